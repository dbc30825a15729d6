-- Why the schema of ours that is called $1 cannot be trusted, whose tables are to be as $2 says; a row without a complaint:
-- it can; no row: there is none
SELECT CASE
    WHEN NOT (SELECT r.rolsuper OR r.rolname = current_user FROM pg_roles r WHERE r.oid = n.nspowner)
        THEN format('it belongs to %s', n.nspowner::regrole)
    WHEN EXISTS (SELECT FROM aclexplode(n.nspacl) a LEFT JOIN pg_roles r ON r.oid = a.grantee
                 WHERE a.privilege_type = 'CREATE' AND a.grantee <> n.nspowner AND r.rolsuper IS NOT TRUE)
        THEN 'others may create in it'
    WHEN (SELECT string_agg(format('%s(%s)', c.relname,
                                   (SELECT string_agg(format('%s %s', a.attname, format_type(a.atttypid, a.atttypmod)), ', '
                                                      ORDER BY a.attnum)
                                    FROM pg_attribute a
                                    WHERE a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped
                                      AND a.attgenerated = '' AND NOT a.atthasdef)), ' ' ORDER BY c.relname)
          FROM pg_class c
          WHERE c.relnamespace = n.oid AND c.relkind <> 'i') IS DISTINCT FROM $2
        THEN 'it holds something else than we put there'
    WHEN EXISTS (SELECT FROM pg_class c WHERE c.relnamespace = n.oid AND c.relkind NOT IN ('r', 'i'))
        THEN 'it holds what is no ordinary table'
    WHEN EXISTS (SELECT FROM pg_class c JOIN pg_roles r ON r.oid = c.relowner
                 WHERE c.relnamespace = n.oid AND NOT (r.rolsuper OR r.rolname = current_user))
        THEN 'its tables belong to somebody else'
    WHEN EXISTS (SELECT FROM pg_class c
                 WHERE c.relnamespace = n.oid AND (c.relhasrules OR c.relhastriggers OR c.relrowsecurity))
        THEN 'its tables have rules, triggers or row security'
    WHEN EXISTS (SELECT FROM pg_class c, aclexplode(c.relacl) a LEFT JOIN pg_roles r ON r.oid = a.grantee
                 WHERE c.relnamespace = n.oid AND a.privilege_type <> 'SELECT' AND a.grantee <> c.relowner
                   AND r.rolsuper IS NOT TRUE)
        THEN 'others may write to it'
    WHEN EXISTS (SELECT FROM pg_inherits h JOIN pg_class c ON c.oid IN (h.inhparent, h.inhrelid)
                 WHERE c.relnamespace = n.oid AND c.relkind = 'r')
        THEN 'its tables are part of others'
END AS complaint
FROM pg_namespace n
WHERE n.nspname = $1
