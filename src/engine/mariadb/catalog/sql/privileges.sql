-- What the account, and the role that it has taken, may do with the whole database
SELECT p.PRIVILEGE_TYPE, CASE WHEN p.IS_GRANTABLE = 'NO' THEN NULL WHEN p.pattern = '%' THEN 'everywhere' ELSE 'here' END
FROM (SELECT GRANTEE, PRIVILEGE_TYPE, IS_GRANTABLE, '%' AS pattern FROM information_schema.USER_PRIVILEGES
      UNION ALL SELECT GRANTEE, PRIVILEGE_TYPE, IS_GRANTABLE, TABLE_SCHEMA FROM information_schema.SCHEMA_PRIVILEGES) p
WHERE THE_DATABASE LIKE p.pattern
  AND (p.GRANTEE = CONCAT('''', LEFT(CURRENT_USER(), CHAR_LENGTH(CURRENT_USER()) - LOCATE('@', REVERSE(CURRENT_USER()))),
                          '''@''', SUBSTRING_INDEX(CURRENT_USER(), '@', -1), '''')
       OR p.GRANTEE IN (ROLES_TAKEN))
