-- Tablespaces, with options, comment and rights
WITH made AS (
    SELECT t.oid, quote_ident(t.spcname) AS name, quote_ident(pg_get_userbyid(t.spcowner)) AS owner, t.spcowner, t.spcacl,
           t.spcoptions
    FROM pg_tablespace t WHERE t.spcname !~ '^pg_'
), grants AS (
    SELECT i.oid, string_agg(format(E'\nGRANT %s ON TABLESPACE %s TO %s%s;', i.rights, i.name,
                                    CASE i.grantee WHEN 0 THEN 'PUBLIC' ELSE quote_ident(pg_get_userbyid(i.grantee)) END,
                                    CASE WHEN i.is_grantable THEN ' WITH GRANT OPTION' ELSE '' END), '' ORDER BY i.at) AS text
    FROM (SELECT m.oid, m.name, x.grantee, x.is_grantable, min(x.at) AS at,
                 string_agg(x.privilege_type, ', ' ORDER BY x.at) AS rights
          FROM made m, aclexplode(m.spcacl) WITH ORDINALITY AS x(grantor, grantee, privilege_type, is_grantable, at)
          GROUP BY m.oid, m.name, x.grantee, x.is_grantable) i
    GROUP BY i.oid
)
SELECT 'tablespace' AS kind, 'pg_tablespace'::regclass::oid AS classid, m.oid AS objid, m.name,
       format('CREATE TABLESPACE %s OWNER %s LOCATION %L%s;', m.name, m.owner, pg_tablespace_location(m.oid),
              coalesce(' WITH (' || array_to_string(m.spcoptions, ', ') || ')', '')) AS definition,
       format('%s:%s', 'pg_authid'::regclass::oid, m.spcowner) AS needs
FROM made m
UNION ALL
SELECT 'tablespace', 0, m.oid, m.name || ' comment',
       format('COMMENT ON TABLESPACE %s IS %L;', m.name, shobj_description(m.oid, 'pg_tablespace')),
       format('%s:%s', 'pg_tablespace'::regclass::oid, m.oid)
FROM made m WHERE shobj_description(m.oid, 'pg_tablespace') IS NOT NULL
UNION ALL
SELECT 'tablespace', 0, m.oid, m.name || ' grants',
       format(E'REVOKE ALL ON TABLESPACE %s FROM PUBLIC;\nREVOKE ALL ON TABLESPACE %s FROM %s;', m.name, m.name, m.owner)
           || coalesce(g.text, ''),
       format('%s:%s', 'pg_tablespace'::regclass::oid, m.oid)
FROM made m LEFT JOIN grants g ON g.oid = m.oid WHERE m.spcacl IS NOT NULL
