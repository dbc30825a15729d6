-- What stands in the database and cannot be carried, or not all of it
SELECT 'index ' || x.oid::regclass AS what, 'it is invalid: its creation once failed, so there is nothing to copy' AS why
FROM pg_index i JOIN pg_class x ON x.oid = i.indexrelid
WHERE NOT i.indisvalid AND x.relkind = 'i' AND x.relnamespace IN (@namespaces@)
UNION ALL
SELECT CASE c.relkind WHEN 'S' THEN 'value of sequence ' ELSE 'rows of table ' END || c.oid::regclass,
       format('%I may not read it; an administrator can run: GRANT USAGE ON SCHEMA %I TO %I; GRANT SELECT ON %s TO %I;',
              current_user, n.nspname, current_user, c.oid::regclass, current_user)
FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
WHERE c.relkind IN ('r', 'S') AND c.relnamespace IN (@namespaces@) AND c.relpersistence <> 't'
  AND NOT (@may_read_c@)
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid AND e.deptype = 'e')
UNION ALL
SELECT format('%s large objects', count(*)),
       format('%I may not read them; their owners can run: GRANT SELECT ON LARGE OBJECT ... TO %I;', current_user, current_user)
FROM pg_largeobject_metadata m WHERE NOT @may_read_m@
HAVING count(*) > 0
UNION ALL
SELECT 'secret options of ' || o.what,
       format('secrets do not leave the server; on the target: ALTER %s OPTIONS (ADD %s ''...'');', o.target,
              (SELECT string_agg(quote_ident(split_part(x, '=', 1)), ' ''...'', ADD ') FROM unnest(o.options) x
               WHERE @is_secret_x@))
FROM (
    SELECT 'user-mapping '
               || format('%s on %I', CASE u.umuser WHEN 0 THEN 'public' ELSE quote_ident(u.usename) END, u.srvname) AS what,
           format('USER MAPPING FOR %s SERVER %I', CASE u.umuser WHEN 0 THEN 'PUBLIC' ELSE quote_ident(u.usename) END,
                  u.srvname) AS target, u.umoptions AS options
    FROM pg_user_mappings u
    UNION ALL
    SELECT 'foreign-server ' || quote_ident(f.srvname), 'SERVER ' || quote_ident(f.srvname), f.srvoptions
    FROM pg_foreign_server f
    UNION ALL
    SELECT 'foreign-data-wrapper ' || quote_ident(w.fdwname), 'FOREIGN DATA WRAPPER ' || quote_ident(w.fdwname), w.fdwoptions
    FROM pg_foreign_data_wrapper w WHERE w.oid >= 16384
    UNION ALL
    SELECT 'foreign-table ' || t.ftrelid::regclass, 'FOREIGN TABLE ' || t.ftrelid::regclass, t.ftoptions
    FROM pg_foreign_table t
    UNION ALL
    SELECT 'column ' || quote_ident(a.attname) || ' of foreign-table ' || a.attrelid::regclass,
           format('FOREIGN TABLE %s ALTER %I', a.attrelid::regclass, a.attname), a.attfdwoptions
    FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid AND c.relkind = 'f'
    WHERE NOT a.attisdropped
) o
WHERE EXISTS (SELECT FROM unnest(o.options) x WHERE @is_secret_x@)
UNION ALL
SELECT 'options of user-mapping '
           || format('%s on %I', CASE u.umuser WHEN 0 THEN 'public' ELSE quote_ident(u.usename) END, u.srvname),
       'only the server''s owner and that user may read them'
FROM pg_user_mappings u
WHERE u.umoptions IS NULL AND NOT pg_has_role(current_user, (SELECT srvowner FROM pg_foreign_server s WHERE s.oid = u.srvid), 'USAGE')
UNION ALL
SELECT 'subscription ' || quote_ident(s.subname), 'only a superuser may read how it connects'
FROM pg_subscription s
WHERE s.subdbid = (SELECT oid FROM pg_database WHERE datname = current_database())
  AND NOT has_column_privilege('pg_catalog.pg_subscription', 'subconninfo', 'SELECT')
UNION ALL
SELECT 'prepared transaction ' || quote_literal(p.gid), 'it is not part of the database until somebody commits it'
FROM pg_prepared_xacts p WHERE p.database = current_database()
ORDER BY 1
