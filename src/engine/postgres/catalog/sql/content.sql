-- One object that somebody made in this database, if there is any
SELECT pg_describe_object(f.classid, f.oid, 0)
FROM (
    (SELECT 'pg_class'::regclass::oid AS classid, c.oid FROM pg_class c
     WHERE c.relnamespace IN (@namespaces@) AND c.relkind IN ('r', 'p', 'v', 'm', 'S', 'f', 'c') ORDER BY c.relkind, c.relname
     LIMIT 20)
    UNION ALL (SELECT 'pg_proc'::regclass, p.oid FROM pg_proc p WHERE p.pronamespace IN (@namespaces@) LIMIT 20)
    UNION ALL (SELECT 'pg_type'::regclass, t.oid FROM pg_type t
               WHERE t.typnamespace IN (@namespaces@) AND t.typtype IN ('e', 'd', 'r') LIMIT 20)
    UNION ALL (SELECT 'pg_namespace'::regclass, n.oid FROM pg_namespace n
               WHERE n.oid IN (@namespaces@) AND n.nspname <> 'public' LIMIT 20)
) f
WHERE NOT EXISTS (SELECT FROM pg_depend e WHERE e.classid = f.classid AND e.objid = f.oid AND e.deptype = 'e')
LIMIT 1
