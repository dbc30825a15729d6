-- Rights that objects will have which are created later. Those of one schema add to the others; the others replace
SELECT 'default-grant' AS kind, 'pg_default_acl'::regclass::oid AS classid, d.oid AS objid,
       format('for %I%s on %s', pg_get_userbyid(d.defaclrole), coalesce(' in ' || quote_ident(n.nspname), ''),
              lower(o.name)) AS name,
       CASE WHEN n.oid IS NULL
            THEN format(E'%s REVOKE ALL ON %s FROM PUBLIC;\n%s REVOKE ALL ON %s FROM %I;', o.head, o.name, o.head, o.name,
                        pg_get_userbyid(d.defaclrole)) || CASE WHEN g.text IS NULL THEN '' ELSE E'\n' END
            ELSE '' END || coalesce(g.text, '') AS definition,
       CASE d.defaclobjtype WHEN 'L' THEN 180000 END AS since, 'no default rights on large objects' AS since_why
FROM pg_default_acl d
LEFT JOIN pg_namespace n ON n.oid = d.defaclnamespace
CROSS JOIN LATERAL (
    SELECT CASE d.defaclobjtype WHEN 'r' THEN 'TABLES' WHEN 'S' THEN 'SEQUENCES' WHEN 'f' THEN 'ROUTINES'
                WHEN 'T' THEN 'TYPES' WHEN 'n' THEN 'SCHEMAS' ELSE 'LARGE OBJECTS' END AS name,
           format('ALTER DEFAULT PRIVILEGES FOR ROLE %I%s', pg_get_userbyid(d.defaclrole),
                  coalesce(' IN SCHEMA ' || quote_ident(n.nspname), '')) AS head
) o
LEFT JOIN LATERAL (
    SELECT string_agg(format('%s GRANT %s ON %s TO %s%s;', o.head, i.rights, o.name,
                             CASE i.grantee WHEN 0 THEN 'PUBLIC' ELSE quote_ident(pg_get_userbyid(i.grantee)) END,
                             CASE WHEN i.is_grantable THEN ' WITH GRANT OPTION' ELSE '' END), E'\n' ORDER BY i.at) AS text
    FROM (SELECT x.grantee, x.is_grantable, min(x.at) AS at, CASE WHEN count(*) = (SELECT count(*) FROM aclexplode(acldefault(CASE d.defaclobjtype WHEN 'S' THEN 's' ELSE d.defaclobjtype END, d.defaclrole)) f WHERE f.grantee = d.defaclrole)
                      THEN 'ALL' ELSE string_agg(x.privilege_type, ', ' ORDER BY x.at) END AS rights
          FROM aclexplode(d.defaclacl) WITH ORDINALITY AS x(grantor, grantee, privilege_type, is_grantable, at)
          GROUP BY x.grantee, x.is_grantable) i
) g ON TRUE
WHERE n.oid IS NULL OR n.oid IN (@namespaces@)
