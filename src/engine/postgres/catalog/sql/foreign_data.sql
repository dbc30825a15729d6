-- Foreign data wrappers, servers and user mappings. Options that hold a secret are left out; omissions.sql names them
SELECT 'foreign-data-wrapper' AS kind, 'pg_foreign_data_wrapper'::regclass::oid AS classid, w.oid AS objid,
       quote_ident(w.fdwname) AS name, 'FOREIGN DATA WRAPPER ' || quote_ident(w.fdwname) AS designation,
       quote_ident(pg_get_userbyid(w.fdwowner)) AS owner,
       format('CREATE FOREIGN DATA WRAPPER %I%s%s%s;', w.fdwname,
              CASE WHEN w.fdwhandler <> 0 THEN ' HANDLER ' || w.fdwhandler::regproc ELSE '' END,
              CASE WHEN w.fdwvalidator <> 0 THEN ' VALIDATOR ' || w.fdwvalidator::regproc ELSE '' END,
              coalesce((SELECT format(E'\n    OPTIONS (%s)', o.list) FROM (SELECT w.fdwoptions AS options) s, @options_of_s@ o
                        WHERE o.list IS NOT NULL), '')) AS definition
FROM pg_foreign_data_wrapper w
WHERE w.oid >= 16384
  AND NOT EXISTS (SELECT FROM pg_depend e WHERE e.classid = 'pg_foreign_data_wrapper'::regclass AND e.objid = w.oid
                                            AND e.deptype = 'e')
UNION ALL
SELECT 'foreign-server', 'pg_foreign_server'::regclass::oid, f.oid, quote_ident(f.srvname),
       'SERVER ' || quote_ident(f.srvname), quote_ident(pg_get_userbyid(f.srvowner)),
       format('CREATE SERVER %I%s%s FOREIGN DATA WRAPPER %I%s;', f.srvname,
              coalesce(' TYPE ' || quote_literal(f.srvtype), ''), coalesce(' VERSION ' || quote_literal(f.srvversion), ''),
              w.fdwname,
              coalesce((SELECT format(E'\n    OPTIONS (%s)', o.list) FROM (SELECT f.srvoptions AS options) s, @options_of_s@ o
                        WHERE o.list IS NOT NULL), ''))
FROM pg_foreign_server f
JOIN pg_foreign_data_wrapper w ON w.oid = f.srvfdw
WHERE NOT EXISTS (SELECT FROM pg_depend e WHERE e.classid = 'pg_foreign_server'::regclass AND e.objid = f.oid
                                            AND e.deptype = 'e')
UNION ALL
SELECT 'user-mapping', 'pg_user_mapping'::regclass::oid, u.umid,
       format('%s on %I', CASE u.umuser WHEN 0 THEN 'public' ELSE quote_ident(u.usename) END, u.srvname), NULL, NULL,
       format('CREATE USER MAPPING FOR %s SERVER %I%s;', CASE u.umuser WHEN 0 THEN 'PUBLIC' ELSE quote_ident(u.usename) END,
              u.srvname,
              coalesce((SELECT format(E'\n    OPTIONS (%s)', o.list) FROM (SELECT u.umoptions AS options) s, @options_of_s@ o
                        WHERE o.list IS NOT NULL), ''))
FROM pg_user_mappings u
WHERE NOT EXISTS (SELECT FROM pg_depend e WHERE e.classid = 'pg_user_mapping'::regclass AND e.objid = u.umid
                                            AND e.deptype = 'e')
