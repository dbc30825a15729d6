-- Sequences that go with a column; linked when both have their owner, which must be the same
SELECT 'sequence-link' AS kind, 0 AS classid, c.oid AS objid,
       c.oid::regclass::text AS name,
       format('ALTER SEQUENCE %s OWNED BY %s.%I;', c.oid::regclass, d.refobjid::regclass, a.attname) AS definition,
       format('%s:%s,%s:%s', d.classid, d.objid, d.refclassid, d.refobjid) AS needs
FROM pg_depend d
JOIN pg_class c ON c.oid = d.objid AND c.relkind = 'S'
JOIN pg_attribute a ON a.attrelid = d.refobjid AND a.attnum = d.refobjsubid
WHERE d.classid = 'pg_class'::regclass AND d.refclassid = 'pg_class'::regclass AND d.deptype = 'a'
  AND c.relnamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid AND e.deptype = 'e')
