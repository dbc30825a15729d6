-- Accounts, roles and grants on every level, for the current database; run after odd_mariadb.sql. @db is its name in backticks
CREATE USER keeper@'%' IDENTIFIED BY 'oak-7' REQUIRE SSL WITH MAX_QUERIES_PER_HOUR 5 MAX_USER_CONNECTIONS 3
  PASSWORD EXPIRE INTERVAL 30 DAY ACCOUNT LOCK;
CREATE USER 'odd''name'@'10.0.%' IDENTIFIED VIA unix_socket OR mysql_native_password USING '*A4B6157319038724E3560894F7F932C8886EBFCF'
  REQUIRE SUBJECT '/CN=vale' AND ISSUER '/CN=ca' AND CIPHER 'AES256-SHA';
CREATE USER ed@localhost IDENTIFIED VIA mysql_native_password USING '*14E65567ABDB5135D0CFD9A70B3032C179A49EE7' PASSWORD EXPIRE;
CREATE USER only_definer@localhost IDENTIFIED BY 'x' PASSWORD EXPIRE NEVER;
CREATE USER elsewhere@localhost IDENTIFIED BY 'x';
CREATE USER global_reader@'%' IDENTIFIED BY 'g';
CREATE ROLE curator;
CREATE ROLE `odd role`;
CREATE ROLE nested;
GRANT nested TO curator;
GRANT curator TO keeper@'%' WITH ADMIN OPTION;
GRANT `odd role` TO ed@localhost;
GRANT curator TO ed@localhost;
SET DEFAULT ROLE curator FOR ed@localhost;
GRANT SELECT, PROCESS ON *.* TO global_reader@'%' WITH GRANT OPTION;
GRANT SELECT ON beside.* TO elsewhere@localhost;
GRANT PROXY ON keeper@'%' TO ed@localhost;
EXECUTE IMMEDIATE CONCAT('GRANT SELECT, INSERT ON ', @db, '.* TO nested');
EXECUTE IMMEDIATE CONCAT('GRANT ALL PRIVILEGES ON ', @db, '.* TO ''odd''''name''@''10.0.%'' WITH GRANT OPTION');
GRANT INSERT (id, parent), SELECT (taxon) ON loan TO keeper@'%' WITH GRANT OPTION;
GRANT DELETE ON taxon TO keeper@'%';
GRANT EXECUTE ON FUNCTION age_of TO keeper@'%';
GRANT EXECUTE, ALTER ROUTINE ON PROCEDURE report TO ed@localhost;
SET sql_mode = 'ORACLE';
GRANT EXECUTE ON PACKAGE store TO curator;
SET sql_mode = '';
EXECUTE IMMEDIATE CONCAT('GRANT SHOW VIEW ON ', @db, '.* TO PUBLIC');
CREATE DEFINER = only_definer@localhost VIEW of_another AS SELECT 1 AS one;
CREATE DEFINER = curator PROCEDURE of_a_role() SELECT 1;
