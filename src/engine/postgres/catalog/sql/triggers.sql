-- Triggers; those of partitions come with the parent's, and are only mentioned if they are enabled otherwise
WITH RECURSIVE clones(oid, root) AS (
    SELECT t.oid, t.tgparentid FROM pg_trigger t
    JOIN pg_trigger p ON p.oid = t.tgparentid AND p.tgparentid = 0
    UNION ALL
    SELECT t.oid, c.root FROM clones c JOIN pg_trigger t ON t.tgparentid = c.oid
)
SELECT 'trigger' AS kind, 'pg_trigger'::regclass::oid AS classid, t.oid AS objid,
       format('%s.%I', c.oid::regclass, t.tgname) AS name,
       format('TRIGGER %I ON %s', t.tgname, c.oid::regclass) AS designation,
       @kind_of_c@ || ' ' || c.oid::regclass AS on_identity,
       pg_get_triggerdef(t.oid) || ';'
           || CASE t.tgenabled WHEN 'O' THEN ''
                   ELSE format(E'\nALTER TABLE %s %s TRIGGER %I;', c.oid::regclass,
                               CASE t.tgenabled WHEN 'D' THEN 'DISABLE' WHEN 'A' THEN 'ENABLE ALWAYS'
                                    ELSE 'ENABLE REPLICA' END, t.tgname) END AS definition,
       CASE WHEN c.relkind IN ('v', 'f') THEN '' ELSE '1:' || c.oid END AS needs
FROM pg_trigger t
JOIN pg_class c ON c.oid = t.tgrelid
WHERE c.relnamespace IN (@namespaces@) AND NOT t.tgisinternal AND t.tgparentid = 0
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid AND e.deptype = 'e')
UNION ALL
SELECT 'trigger', 'pg_trigger'::regclass::oid, t.oid, format('%s.%I', c.oid::regclass, t.tgname), NULL,
       @kind_of_c@ || ' ' || c.oid::regclass,
       format('ALTER TABLE %s %s TRIGGER %I;', c.oid::regclass,
              CASE t.tgenabled WHEN 'D' THEN 'DISABLE' WHEN 'A' THEN 'ENABLE ALWAYS' WHEN 'R' THEN 'ENABLE REPLICA'
                   ELSE 'ENABLE' END, t.tgname),
       'pg_trigger'::regclass::oid || ':' || p.oid
FROM clones
JOIN pg_trigger t ON t.oid = clones.oid
JOIN pg_trigger p ON p.oid = clones.root
JOIN pg_class c ON c.oid = t.tgrelid
WHERE c.relnamespace IN (@namespaces@) AND t.tgenabled <> p.tgenabled AND t.tgname = p.tgname
