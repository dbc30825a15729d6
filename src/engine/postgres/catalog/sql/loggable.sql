-- Ordinary tables, and why the server's log cannot tell us their changes; NULL: it can. Only what identifies a row tells which one changed
SELECT c.oid::regclass::text AS name, c.oid AS number,
       CASE WHEN c.relpersistence <> 'p' THEN 'it is unlogged'
            WHEN NOT pg_has_role(current_user, c.relowner, 'USAGE') THEN format('it belongs to %I', pg_get_userbyid(c.relowner))
            WHEN c.relreplident NOT IN ('d', 'i') THEN format('its REPLICA IDENTITY is %s', CASE c.relreplident WHEN 'f' THEN 'FULL' ELSE 'NOTHING' END)
            WHEN NOT EXISTS (SELECT FROM pg_index i
                             WHERE i.indrelid = c.oid AND i.indisvalid AND i.indimmediate AND i.indisunique AND i.indpred IS NULL
                               AND CASE c.relreplident WHEN 'd' THEN i.indisprimary ELSE i.indisreplident END)
            THEN 'it has no primary key' END AS why
FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
WHERE n.nspname !~ '^pg_' AND n.nspname NOT IN ('information_schema', 'hornbeam_journal', 'hornbeam_origin')
  AND c.relkind = 'r' AND c.relpersistence <> 't'
  AND NOT EXISTS (SELECT FROM pg_depend e
                  WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid AND e.deptype = 'e')
ORDER BY c.oid
