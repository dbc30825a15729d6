-- What takes away the rights of others on the journal
SELECT format('REVOKE ALL ON SCHEMA hornbeam_journal FROM %s',
              CASE a.grantee WHEN 0 THEN 'PUBLIC' ELSE a.grantee::regrole::text END) AS statement
FROM pg_namespace n, aclexplode(n.nspacl) a
WHERE n.nspname = 'hornbeam_journal' AND a.grantee <> n.nspowner
UNION
SELECT format('REVOKE ALL ON hornbeam_journal.%s FROM %s', c.relname,
              CASE a.grantee WHEN 0 THEN 'PUBLIC' ELSE a.grantee::regrole::text END)
FROM pg_namespace n JOIN pg_class c ON c.relnamespace = n.oid, aclexplode(c.relacl) a
WHERE n.nspname = 'hornbeam_journal' AND a.grantee <> c.relowner
