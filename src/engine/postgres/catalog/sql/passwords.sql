-- Password hashes, for those who may read them
SELECT 'password' AS kind, 0 AS classid, a.oid AS objid, quote_ident(a.rolname) AS name,
       format('ALTER ROLE %I PASSWORD %L;', a.rolname, a.rolpassword) AS definition,
       format('%s:%s', 'pg_authid'::regclass::oid, a.oid) AS needs
FROM pg_authid a
WHERE a.rolpassword IS NOT NULL
