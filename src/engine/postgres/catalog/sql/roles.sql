-- The roles that this database needs: owners, grantees and the like, and whoever is tied to them by membership; or all of
-- the server's, where that is the scope
WITH RECURSIVE here AS (
    SELECT oid, datdba FROM pg_database WHERE datname = current_database()
), needed(oid) AS (
    SELECT d.refobjid FROM pg_shdepend d, here h
    WHERE d.refclassid = 'pg_authid'::regclass
      AND (d.dbid = h.oid OR (d.dbid = 0 AND d.classid = 'pg_database'::regclass AND d.objid = h.oid))
    UNION SELECT h.datdba FROM here h
    UNION SELECT s.setrole FROM pg_db_role_setting s, here h WHERE s.setdatabase = h.oid AND s.setrole <> 0
    UNION SELECT 10::oid
    UNION SELECT r.oid FROM pg_roles r WHERE current_setting('hornbeam.scope', true) = 'server'
    UNION
    SELECT CASE WHEN m.roleid = n.oid THEN m.member ELSE m.roleid END
    FROM needed n
    JOIN pg_auth_members m ON m.roleid = n.oid OR m.member = n.oid
    WHERE n.oid >= 16384
), wanted AS (
    SELECT r.*, quote_ident(r.rolname) AS name
    FROM pg_roles r JOIN needed n ON n.oid = r.oid
    WHERE r.rolname !~ '^pg_'
), predefined(name, since) AS (
    VALUES ('pg_database_owner', 140000), ('pg_read_all_data', 140000), ('pg_write_all_data', 140000),
           ('pg_checkpoint', 150000), ('pg_create_subscription', 160000), ('pg_use_reserved_connections', 160000),
           ('pg_maintain', 170000), ('pg_signal_autovacuum_worker', 180000)
)
SELECT 'role' AS kind, 'pg_authid'::regclass::oid AS classid, r.oid AS objid, r.name,
       format('CREATE ROLE %s WITH %s %s %s %s %s %s %s%s%s;', r.name,
              CASE WHEN r.rolsuper THEN 'SUPERUSER' ELSE 'NOSUPERUSER' END,
              CASE WHEN r.rolinherit THEN 'INHERIT' ELSE 'NOINHERIT' END,
              CASE WHEN r.rolcreaterole THEN 'CREATEROLE' ELSE 'NOCREATEROLE' END,
              CASE WHEN r.rolcreatedb THEN 'CREATEDB' ELSE 'NOCREATEDB' END,
              CASE WHEN r.rolcanlogin THEN 'LOGIN' ELSE 'NOLOGIN' END,
              CASE WHEN r.rolreplication THEN 'REPLICATION' ELSE 'NOREPLICATION' END,
              CASE WHEN r.rolbypassrls THEN 'BYPASSRLS' ELSE 'NOBYPASSRLS' END,
              CASE WHEN r.rolconnlimit <> -1 THEN ' CONNECTION LIMIT ' || r.rolconnlimit ELSE '' END,
              coalesce(' VALID UNTIL ' || quote_literal(r.rolvaliduntil), '')) AS definition,
       NULL AS needs, NULL::int AS since, NULL AS since_why
FROM wanted r
UNION ALL
SELECT 'membership', 0, m.roleid, format('%s in %s%s', quote_ident(pg_get_userbyid(m.member)),
                                         quote_ident(pg_get_userbyid(m.roleid)), @membership_by@),
       x.text,
       format('%s:%s,%s:%s', 'pg_authid'::regclass::oid, m.roleid, 'pg_authid'::regclass::oid, m.member)
           || CASE WHEN m.grantor <> 10 THEN format(',%s:%s', 'pg_authid'::regclass::oid, m.grantor) ELSE '' END,
       p.since, format('there is no role %s', p.name)
FROM pg_auth_members m
LEFT JOIN pg_roles b ON b.oid = m.member
LEFT JOIN predefined p ON p.name = pg_get_userbyid(m.roleid)
CROSS JOIN LATERAL (
    SELECT format('GRANT %I TO %I', pg_get_userbyid(m.roleid), pg_get_userbyid(m.member)) || @membership_options@
           || CASE WHEN m.grantor <> 10 AND EXISTS (SELECT FROM pg_roles g WHERE g.oid = m.grantor)
                   THEN @granted_by@ ELSE '' END || ';' AS text
) x
WHERE m.member IN (SELECT oid FROM wanted)
UNION ALL
SELECT 'role-setting', 0, r.oid, r.name || '.' || c.setting,
       format('ALTER ROLE %s SET %s TO %s;', r.name, c.setting, c.value),
       format('%s:%s', 'pg_authid'::regclass::oid, r.oid), NULL, NULL
FROM wanted r
JOIN pg_db_role_setting s ON s.setrole = r.oid AND s.setdatabase = 0
CROSS JOIN LATERAL (@settings_of_s@) c
UNION ALL
SELECT 'role-setting', 0, 0::oid, 'all.' || c.setting, format('ALTER ROLE ALL SET %s TO %s;', c.setting, c.value), NULL, NULL, NULL
FROM pg_db_role_setting s
CROSS JOIN LATERAL (@settings_of_s@) c
WHERE s.setrole = 0 AND s.setdatabase = 0 AND current_setting('hornbeam.scope', true) = 'server'
UNION ALL
SELECT 'role-setting', 0, r.oid, r.name || ' comment',
       format('COMMENT ON ROLE %s IS %L;', r.name, shobj_description(r.oid, 'pg_authid')),
       format('%s:%s', 'pg_authid'::regclass::oid, r.oid), NULL, NULL
FROM wanted r
WHERE shobj_description(r.oid, 'pg_authid') IS NOT NULL AND r.oid >= 16384
UNION ALL
SELECT 'role-setting', 0, r.oid, format('%s label of %s', r.name, quote_ident(l.provider)),
       format('SECURITY LABEL FOR %I ON ROLE %s IS %L;', l.provider, r.name, l.label),
       format('%s:%s', 'pg_authid'::regclass::oid, r.oid), NULL, NULL
FROM wanted r JOIN pg_shseclabel l ON l.classoid = 'pg_authid'::regclass AND l.objoid = r.oid
@parameter_grants@
