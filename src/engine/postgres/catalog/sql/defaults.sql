-- Column defaults, of views too; generated columns are part of their table
SELECT 'default' AS kind, 'pg_attrdef'::regclass::oid AS classid, d.oid AS objid,
       format('%s.%I', c.oid::regclass, a.attname) AS name,
       @kind_of_c@ || ' ' || c.oid::regclass AS on_identity,
       format('ALTER TABLE %s%s ALTER COLUMN %I SET DEFAULT %s;', @only_of_c@, c.oid::regclass, a.attname,
              pg_get_expr(d.adbin, d.adrelid)) AS definition
FROM pg_attrdef d
JOIN pg_class c ON c.oid = d.adrelid AND c.relkind IN ('r', 'p', 'v', 'f')
JOIN pg_attribute a ON a.attrelid = d.adrelid AND a.attnum = d.adnum
WHERE a.attgenerated = '' AND c.relnamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid AND e.deptype = 'e')
