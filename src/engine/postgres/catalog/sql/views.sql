-- Views, each with a stand-in of the same columns that breaks circles
SELECT 'view' AS kind, 'pg_class'::regclass::oid AS classid, c.oid AS objid,
       c.oid::regclass::text AS name,
       'VIEW ' || c.oid::regclass AS designation,
       quote_ident(pg_get_userbyid(c.relowner)) AS owner,
       format(E'CREATE OR REPLACE VIEW %s%s AS\n%s', c.oid::regclass,
              @view_options@,
              x.text) AS definition, f.since, f.since_why,
       format(E'CREATE VIEW %s AS\nSELECT %s;', c.oid::regclass, k.list) AS stand_in
FROM pg_class c
LEFT JOIN (
    SELECT a.attrelid,
           string_agg(format('NULL::%s%s AS %I', format_type(a.atttypid, a.atttypmod),
                             (SELECT format(' COLLATE %I.%I', cn.nspname, co.collname)
                              FROM pg_collation co JOIN pg_namespace cn ON cn.oid = co.collnamespace
                              WHERE co.oid = a.attcollation AND a.attcollation <> t.typcollation), a.attname),
                      E',\n    ' ORDER BY a.attnum) AS list
    FROM pg_attribute a
    JOIN pg_class v ON v.oid = a.attrelid AND v.relkind = 'v' AND v.relnamespace IN (@namespaces@)
    JOIN pg_type t ON t.oid = a.atttypid
    WHERE a.attnum > 0 AND NOT a.attisdropped
    GROUP BY a.attrelid
) k ON k.attrelid = c.oid
CROSS JOIN LATERAL (SELECT pg_get_viewdef(c.oid) AS text OFFSET 0) x
CROSS JOIN @first_version_of_x@ f
WHERE c.relkind = 'v' AND c.relnamespace IN (@namespaces@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid AND e.deptype = 'e')
