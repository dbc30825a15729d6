-- What the account, and the role that it has taken, may do with the whole database
SELECT p.PRIVILEGE_TYPE
FROM (SELECT GRANTEE, PRIVILEGE_TYPE, '%' AS pattern FROM information_schema.USER_PRIVILEGES
      UNION ALL SELECT GRANTEE, PRIVILEGE_TYPE, TABLE_SCHEMA FROM information_schema.SCHEMA_PRIVILEGES) p
WHERE DATABASE() LIKE p.pattern
  AND p.GRANTEE IN (CONCAT('''', REPLACE(CURRENT_USER(), '@', '''@'''), ''''), CONCAT('''', CURRENT_ROLE(), '''@'''''))
