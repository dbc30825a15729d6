-- What belongs to the database as a whole; its own name always stands behind the word DATABASE, so that it can be changed
WITH here AS (
    SELECT d.*, quote_ident(d.datname) AS name FROM pg_database d WHERE d.datname = current_database()
), grants AS (
    SELECT string_agg(
               CASE WHEN x.grantor <> h.datdba THEN format(E'SET ROLE %I;\n', pg_get_userbyid(x.grantor)) ELSE '' END
               || format('GRANT %s ON DATABASE %s TO %s%s;', x.rights, h.name,
                         CASE x.grantee WHEN 0 THEN 'PUBLIC' ELSE quote_ident(pg_get_userbyid(x.grantee)) END,
                         CASE WHEN x.is_grantable THEN ' WITH GRANT OPTION' ELSE '' END)
               || CASE WHEN x.grantor <> h.datdba THEN E'\nRESET ROLE;' ELSE '' END,
               E'\n' ORDER BY x.grantor <> h.datdba, x.at) AS text
    FROM here h, LATERAL (
        SELECT i.grantor, i.grantee, i.is_grantable, min(i.at) AS at,
               string_agg(i.privilege_type, ', ' ORDER BY i.at) AS rights
        FROM aclexplode(h.datacl) WITH ORDINALITY AS i(grantor, grantee, privilege_type, is_grantable, at)
        GROUP BY i.grantor, i.grantee, i.is_grantable) x
)
SELECT 'database-owner' AS kind, 0 AS classid, h.oid AS objid, quote_ident(pg_get_userbyid(h.datdba)) AS name,
       format('ALTER DATABASE %s OWNER TO %I;', h.name, pg_get_userbyid(h.datdba)) AS definition
FROM here h
UNION ALL
SELECT 'database-setting', 0, h.oid, 'grants',
       format(E'REVOKE ALL ON DATABASE %s FROM PUBLIC;\nREVOKE ALL ON DATABASE %s FROM %I;', h.name, h.name,
              pg_get_userbyid(h.datdba)) || coalesce(E'\n' || g.text, '')
FROM here h, grants g WHERE h.datacl IS NOT NULL
UNION ALL
SELECT 'database-setting', 0, h.oid, 'comment',
       format('COMMENT ON DATABASE %s IS %L;', h.name, shobj_description(h.oid, 'pg_database'))
FROM here h WHERE shobj_description(h.oid, 'pg_database') IS NOT NULL
UNION ALL
SELECT 'database-setting', 0, h.oid, 'connection limit',
       format('ALTER DATABASE %s WITH CONNECTION LIMIT %s;', h.name, h.datconnlimit)
FROM here h WHERE h.datconnlimit <> -1
UNION ALL
SELECT 'database-setting', 0, h.oid, 'template', format('ALTER DATABASE %s WITH IS_TEMPLATE true;', h.name)
FROM here h WHERE h.datistemplate
UNION ALL
SELECT 'database-setting', 0, h.oid,
       CASE s.setrole WHEN 0 THEN '' ELSE quote_ident(pg_get_userbyid(s.setrole)) || ': ' END || c.setting,
       CASE s.setrole WHEN 0 THEN format('ALTER DATABASE %s SET %s TO %s;', h.name, c.setting, c.value)
            ELSE format('ALTER ROLE %I IN DATABASE %s SET %s TO %s;', pg_get_userbyid(s.setrole), h.name, c.setting,
                        c.value) END
FROM here h
JOIN pg_db_role_setting s ON s.setdatabase = h.oid
CROSS JOIN LATERAL (@settings_of_s@) c
UNION ALL
SELECT 'database-setting', 0, h.oid, 'label of ' || quote_ident(l.provider),
       format('SECURITY LABEL FOR %I ON DATABASE %s IS %L;', l.provider, h.name, l.label)
FROM here h JOIN pg_shseclabel l ON l.classoid = 'pg_database'::regclass AND l.objoid = h.oid
