-- Comments, and security labels where a provider is named. The designation is given where the address alone does not
-- tell: columns, constraints, and relations of all sorts
WITH notes AS (
    SELECT classoid, objoid, objsubid, NULL AS provider, description AS text FROM pg_description
    UNION ALL
    SELECT classoid, objoid, objsubid, provider, label FROM pg_seclabel
)
SELECT d.classoid AS classid, d.objoid AS objid, quote_literal(d.text) AS literal, quote_ident(d.provider) AS provider,
       CASE WHEN k.contype = 'n' AND k.conrelid <> 0 THEN 180000 END AS since, 'NOT NULL has no name to comment on' AS since_why,
       CASE WHEN d.objsubid > 0 THEN format('COLUMN %s.%I', CASE WHEN c.relkind = 'c' THEN c.reltype::regtype::text
                                                                 ELSE c.oid::regclass::text END, a.attname)
            WHEN k.contypid <> 0 THEN format('CONSTRAINT %I ON DOMAIN %s', k.conname, format_type(k.contypid, NULL))
            WHEN k.oid IS NOT NULL THEN format('CONSTRAINT %I ON %s', k.conname, k.conrelid::regclass)
            WHEN c.oid IS NOT NULL THEN @sql_kind_of_c@ || ' ' || c.oid::regclass
       END AS designation,
       CASE WHEN d.objsubid > 0 THEN 'column'
            WHEN k.oid IS NOT NULL
            THEN CASE k.contype WHEN 'c' THEN 'check' WHEN 'n' THEN 'check' WHEN 'f' THEN 'foreign-key' ELSE 'key' END
            WHEN c.oid IS NOT NULL THEN @kind_of_c@ END AS kind,
       CASE WHEN d.objsubid > 0 THEN format('%s.%I', CASE WHEN c.relkind = 'c' THEN c.reltype::regtype::text
                                                          ELSE c.oid::regclass::text END, a.attname)
            WHEN k.contypid <> 0 THEN format('%s.%I', format_type(k.contypid, NULL), k.conname)
            WHEN k.oid IS NOT NULL THEN format('%s.%I', k.conrelid::regclass, k.conname)
            ELSE c.oid::regclass::text END AS name
FROM notes d
LEFT JOIN pg_class c ON d.classoid = 'pg_class'::regclass AND c.oid = d.objoid
LEFT JOIN pg_attribute a ON d.classoid = 'pg_class'::regclass AND a.attrelid = d.objoid AND a.attnum = d.objsubid
     AND d.objsubid > 0
LEFT JOIN pg_constraint k ON d.classoid = 'pg_constraint'::regclass AND k.oid = d.objoid
LEFT JOIN pg_extension x ON d.classoid = 'pg_extension'::regclass AND x.oid = d.objoid
LEFT JOIN pg_available_extensions usual ON usual.name = x.extname
WHERE (d.objoid >= 16384 AND d.classoid <> 'pg_largeobject'::regclass
       AND (d.provider IS NOT NULL OR usual.comment IS DISTINCT FROM d.text)
       AND (d.classoid <> 'pg_class'::regclass OR c.relnamespace IN (@namespaces@))
       AND NOT EXISTS (SELECT FROM pg_depend e WHERE e.classid = d.classoid AND e.objid = d.objoid AND e.deptype = 'e'))
   OR (d.classoid = 'pg_namespace'::regclass AND d.objoid = (SELECT oid FROM pg_namespace WHERE nspname = 'public')
       AND d.text <> 'standard public schema')
   OR (d.provider IS NOT NULL AND d.classoid = 'pg_largeobject'::regclass)
UNION ALL
SELECT 'pg_namespace'::regclass, n.oid, 'NULL', NULL, NULL, NULL, NULL, NULL, NULL
FROM pg_namespace n
WHERE n.nspname = 'public' AND obj_description(n.oid, 'pg_namespace') IS NULL
