-- All tables whose rows or structure a dump reads, the largest first
SELECT c.oid::regclass::text AS name
FROM pg_class c
WHERE c.relkind IN ('r', 'p') AND c.relnamespace IN (@namespaces@) AND c.relpersistence <> 't'
  AND @may_read_c@
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid AND e.deptype = 'e')
ORDER BY c.relpages DESC, c.oid
