-- What takes away the rights of others on the schema of ours that is called $1
SELECT format('REVOKE ALL ON SCHEMA %I FROM %s', n.nspname,
              CASE a.grantee WHEN 0 THEN 'PUBLIC' ELSE a.grantee::regrole::text END) AS statement
FROM pg_namespace n, aclexplode(n.nspacl) a
WHERE n.nspname = $1 AND a.grantee <> n.nspowner
UNION
SELECT format('REVOKE ALL ON %I.%I FROM %s', n.nspname, c.relname,
              CASE a.grantee WHEN 0 THEN 'PUBLIC' ELSE a.grantee::regrole::text END)
FROM pg_namespace n JOIN pg_class c ON c.relnamespace = n.oid, aclexplode(c.relacl) a
WHERE n.nspname = $1 AND a.grantee <> c.relowner
