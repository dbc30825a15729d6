-- Comments. The designation is given where the address alone does not tell: columns, and relations of all sorts
SELECT d.classoid AS classid, d.objoid AS objid, quote_literal(d.description) AS literal,
       CASE WHEN d.objsubid > 0 THEN format('COLUMN %s.%I', CASE WHEN c.relkind = 'c' THEN c.reltype::regtype::text
                                                                 ELSE c.oid::regclass::text END, a.attname)
            WHEN k.oid IS NOT NULL THEN format('CONSTRAINT %I ON DOMAIN %s', k.conname, format_type(k.contypid, NULL))
            WHEN c.oid IS NOT NULL
            THEN CASE c.relkind WHEN 'i' THEN 'INDEX ' WHEN 'I' THEN 'INDEX ' WHEN 'S' THEN 'SEQUENCE '
                      WHEN 'v' THEN 'VIEW ' WHEN 'm' THEN 'MATERIALIZED VIEW ' ELSE 'TABLE ' END || c.oid::regclass
       END AS designation,
       CASE WHEN d.objsubid > 0 THEN 'column' WHEN k.oid IS NOT NULL THEN 'check'
            ELSE CASE c.relkind WHEN 'i' THEN 'index' WHEN 'I' THEN 'index' WHEN 'S' THEN 'sequence'
                      WHEN 'v' THEN 'view' WHEN 'm' THEN 'materialized-view' WHEN 'r' THEN 'table'
                      WHEN 'p' THEN 'table' END END AS kind,
       CASE WHEN d.objsubid > 0 THEN format('%s.%I', CASE WHEN c.relkind = 'c' THEN c.reltype::regtype::text
                                                          ELSE c.oid::regclass::text END, a.attname)
            WHEN k.oid IS NOT NULL THEN format('%s.%I', format_type(k.contypid, NULL), k.conname)
            ELSE c.oid::regclass::text END AS name
FROM pg_description d
LEFT JOIN pg_class c ON d.classoid = 'pg_class'::regclass AND c.oid = d.objoid
LEFT JOIN pg_attribute a ON d.classoid = 'pg_class'::regclass AND a.attrelid = d.objoid AND a.attnum = d.objsubid
     AND d.objsubid > 0
LEFT JOIN pg_constraint k ON d.classoid = 'pg_constraint'::regclass AND k.oid = d.objoid AND k.contypid <> 0
WHERE (d.objoid >= 16384 AND (c.oid IS NULL OR c.relnamespace IN (@namespaces@)))
   OR (d.classoid = 'pg_namespace'::regclass AND d.objoid = (SELECT oid FROM pg_namespace WHERE nspname = 'public')
       AND d.description <> 'standard public schema')
UNION ALL
SELECT 'pg_namespace'::regclass, n.oid, 'NULL', NULL, NULL, NULL
FROM pg_namespace n
WHERE n.nspname = 'public' AND obj_description(n.oid, 'pg_namespace') IS NULL
