-- Odd objects of every kind that MariaDB 10.11 has, in the current database; "beside" is another database that some of them
-- refer to. Run by the plain shell as root.
CREATE DATABASE IF NOT EXISTS beside;
CREATE TABLE IF NOT EXISTS beside.station (id INT PRIMARY KEY, name VARCHAR(40));
REPLACE INTO beside.station VALUES (1, 'Ridge'), (2, 'Pond');

-- ---- Numbers, times, bytes, texts: the extremes of each type ----
CREATE TABLE extremes_int (a TINYINT, b TINYINT UNSIGNED, c SMALLINT, d MEDIUMINT, e INT(8) ZEROFILL, f BIGINT, g BIGINT UNSIGNED,
  h BOOL, i YEAR, PRIMARY KEY (f));
INSERT INTO extremes_int VALUES (-128, 255, -32768, 8388607, 42, -9223372036854775808, 18446744073709551615, 1, 1901),
  (127, 0, NULL, NULL, NULL, 9223372036854775807, 0, 0, '0000'), (NULL, NULL, NULL, NULL, NULL, 0, NULL, NULL, 2155);
CREATE TABLE extremes_number (id INT PRIMARY KEY AUTO_INCREMENT, f FLOAT, f2 FLOAT(7,3), d DOUBLE, d2 DOUBLE(20,4),
  dc DECIMAL(65,30), dc2 DECIMAL(5,0) UNSIGNED);
INSERT INTO extremes_number (f, f2, d, d2, dc, dc2) VALUES
  (0.1, 1234.567, 0.1, 1e15 + 0.1234, -12345678901234567890123456789012345.123456789012345678901234567890, 99999),
  (3.4028234e38, -1, 1.7976931348623157e308, 0, 0, 0), (1.17549435e-38, NULL, 2.2250738585072014e-308, NULL, NULL, NULL),
  (16777217, 0, -0.0, -0.0, 1, 1), (1e-45, 0, 5e-324, 0, 0, 0), (NULL, NULL, 123456789.123456789, 1, 1, 1);
SET sql_mode = '', time_zone = '+03:00';
CREATE TABLE extremes_time (id INT PRIMARY KEY, d DATE, dt DATETIME, dt6 DATETIME(6), t TIME(6), ts TIMESTAMP(3) NULL,
  ts0 TIMESTAMP NOT NULL DEFAULT CURRENT_TIMESTAMP ON UPDATE CURRENT_TIMESTAMP, bare TIMESTAMP NOT NULL DEFAULT 0);
INSERT INTO extremes_time VALUES
  (1, '0000-00-00', '0000-00-00 00:00:00', '2021-12-31 23:59:59.999999', '-838:59:59.999999', '2021-06-01 12:34:56.789', '2001-01-01 01:01:01', 0),
  (2, '2021-00-00', '2021-02-00 00:00:00', '1000-01-01 00:00:00.000001', '838:59:59', '1970-01-01 03:00:01', '2038-01-19 06:14:07', 0),
  (3, '9999-12-31', NULL, NULL, '00:00:00.5', NULL, 0, 0);
SET sql_mode = 'ALLOW_INVALID_DATES';
INSERT INTO extremes_time (id, d, ts0) VALUES (4, '2021-02-31', '2021-01-01');
SET sql_mode = '';
CREATE TABLE extremes_byte (id INT PRIMARY KEY, b BIT(1), b64 BIT(64), bn BINARY(5), vb VARBINARY(300), tb TINYBLOB, bl BLOB,
  lb LONGBLOB, g GEOMETRY, p POINT, c VARCHAR(10) COLLATE utf8mb4_bin, v INET6, u UUID, w INET4);
INSERT INTO extremes_byte VALUES
  (1, 1, 0xF00000000000000F, 'ab', UNHEX('00'), '', UNHEX('00095C0A0D0808FF27225C4E'), REPEAT(UNHEX('00FF5C4E09'), 50000),
   ST_GEOMFROMTEXT('POINT(1 2)', 4326), POINT(1, 2), '\\N', '::1', '123e4567-e89b-12d3-a456-426655440000', '10.0.0.1'),
  (2, 0, 0, '', '', NULL, '\\N', '', NULL, NULL, '\0a	b\n', NULL, NULL, NULL),
  (3, NULL, NULL, NULL, NULL, NULL, NULL, NULL, ST_GEOMFROMTEXT('GEOMETRYCOLLECTION(POINT(1 1),LINESTRING(0 0,1 1))'), NULL, '', '2001:db8::2', NULL, NULL);
CREATE TABLE extremes_text (id INT PRIMARY KEY AUTO_INCREMENT, u4 VARCHAR(50) CHARACTER SET utf8mb4, u3 TEXT CHARACTER SET utf8mb3,
  l1 TEXT CHARACTER SET latin1, sj TEXT CHARACTER SET sjis, u16 TEXT CHARACTER SET utf16, gb TEXT CHARACTER SET gbk,
  asc_ VARCHAR(20) CHARACTER SET ascii, bin_ VARCHAR(20) CHARACTER SET binary, cp VARCHAR(30) CHARACTER SET cp1251,
  e ENUM('a', 'b', 'ü') CHARACTER SET latin1, s SET('x', 'y', 'Ä') CHARACTER SET koi8r, j JSON, u2 CHAR(3) CHARACTER SET ucs2);
INSERT INTO extremes_text (u4, u3, l1, sj, u16, gb, asc_, bin_, cp, e, s, j, u2) VALUES
  ('🌳 tree	tab\nline\\', 'äöü €', 'äöü €', '日本', '𝄞a', '中文', 'plain', 'bi\0n', 'Привет', 'ü', 'x,y', '{"a": [1, "ü"]}', 'abc');
INSERT INTO extremes_text (l1, sj, gb, cp) VALUES
  (UNHEX('808182838485868788898a8b8c8d8e8f909192939495969798999a9b9c9d9e9fa0ff00'), UNHEX('8740'), UNHEX('A2A1'), UNHEX('98'));
INSERT INTO extremes_text (e, s) VALUES ('zzz', 'q');
CREATE TABLE emptiness (a VARCHAR(5), b BLOB);
INSERT INTO emptiness VALUES ('', ''), (NULL, NULL), (' ', ' '), ('\\N', 'N');

-- ---- Names ----
CREATE TABLE `select` (`from` INT PRIMARY KEY, `a``b` INT, `%s` INT, `c.d` INT, `Ärger` ENUM('x', 'y''z', ';'), KEY `order` (`a``b`));
INSERT INTO `select` VALUES (1, 2, 3, 4, 'y''z');
CREATE TABLE `two words` (`1st` INT, `x y` INT, PRIMARY KEY (`1st`));
CREATE TABLE `❀` (`✿` INT) COMMENT='it''s; a "comment" \\ with /* odd */ -- signs';
INSERT INTO `❀` VALUES (7);
CREATE TABLE `Tree` (id INT PRIMARY KEY);
CREATE TABLE `tree` (id INT PRIMARY KEY, `ID2` INT);
INSERT INTO `Tree` VALUES (1);
INSERT INTO `tree` VALUES (2, 2);
CREATE TABLE `line
break` (`a
b` INT);
INSERT INTO `line
break` VALUES (1);

-- ---- Tables ----
CREATE TABLE taxon (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY, name VARCHAR(100) NOT NULL DEFAULT 'a;b''c`d"e\\f' COMMENT 'the; name',
  length INT GENERATED ALWAYS AS (CHAR_LENGTH(name) + 1) VIRTUAL, doubled INT AS (rank * 2) STORED, rank INT INVISIBLE DEFAULT 3,
  body TEXT COMPRESSED, made TIMESTAMP(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3) ON UPDATE CURRENT_TIMESTAMP(3),
  token CHAR(36) DEFAULT (CONCAT('t', '-', 'x')), CONSTRAINT `positive; or so` CHECK (rank > 0 AND name <> ''), CHECK (rank < 1000000),
  KEY by_name (name(10)), UNIQUE KEY by_token (token, rank), KEY ignored_one (rank) IGNORED, KEY falling (rank DESC, name),
  FULLTEXT KEY words (name) COMMENT 'words') AUTO_INCREMENT = 1000 COMMENT = 'taxa' ROW_FORMAT = DYNAMIC;
INSERT INTO taxon (id, name, rank, body, made) VALUES (5, 'Quercus', 1, REPEAT('oak ', 500), '2020-01-01'), (9, 'Fagus', 2, NULL, '2020-01-02');
CREATE TABLE zero_key (id INT AUTO_INCREMENT PRIMARY KEY, v INT);
SET sql_mode = 'NO_AUTO_VALUE_ON_ZERO';
INSERT INTO zero_key VALUES (0, 1), (5, 2);
SET sql_mode = '';
CREATE TABLE second_key (kind INT, id INT NOT NULL AUTO_INCREMENT, v INT, PRIMARY KEY (kind, id), KEY (id));
INSERT INTO second_key (kind, v) VALUES (1, 1), (1, 2), (2, 3);
CREATE TABLE no_key (a INT, b TEXT);
INSERT INTO no_key VALUES (1, 'x'), (1, 'x'), (NULL, NULL);
CREATE TABLE unique_only (a INT NOT NULL, b VARCHAR(10) NOT NULL, UNIQUE KEY (a, b), UNIQUE KEY (b));
INSERT INTO unique_only VALUES (1, 'a'), (2, 'b');
CREATE TABLE long_unique (id INT PRIMARY KEY, b BLOB, UNIQUE KEY (b));
INSERT INTO long_unique VALUES (1, 'x'), (2, NULL);
CREATE TABLE text_key (code VARCHAR(20) CHARACTER SET latin1 PRIMARY KEY, v INT);
INSERT INTO text_key VALUES ('b', 1), ('A', 2);
CREATE TABLE packed (id INT PRIMARY KEY, t TEXT) ROW_FORMAT = COMPRESSED KEY_BLOCK_SIZE = 8;
CREATE TABLE redundant (id INT PRIMARY KEY, t TEXT) ROW_FORMAT = REDUNDANT STATS_PERSISTENT = 1;
CREATE TABLE page_packed (id INT PRIMARY KEY) PAGE_COMPRESSED = 1;
CREATE TABLE places (id INT PRIMARY KEY, spot POINT NOT NULL, SPATIAL KEY (spot));
INSERT INTO places VALUES (1, POINT(3, 4));
CREATE TABLE booking (id INT, a DATE, b DATE, PERIOD FOR stay (a, b), PRIMARY KEY (id, stay WITHOUT OVERLAPS));
INSERT INTO booking VALUES (1, '2020-01-01', '2020-02-01'), (1, '2020-02-01', '2020-03-01');
CREATE TABLE history (id INT PRIMARY KEY, v INT) WITH SYSTEM VERSIONING;
INSERT INTO history VALUES (1, 1), (2, 2);
UPDATE history SET v = v + 10;
DELETE FROM history WHERE id = 1;
CREATE TABLE history_told (id INT PRIMARY KEY, v INT, note INT WITHOUT SYSTEM VERSIONING, rs TIMESTAMP(6) GENERATED ALWAYS AS ROW START INVISIBLE,
  re TIMESTAMP(6) GENERATED ALWAYS AS ROW END INVISIBLE, PERIOD FOR SYSTEM_TIME (rs, re)) WITH SYSTEM VERSIONING;
INSERT INTO history_told (id, v) VALUES (1, 1);
UPDATE history_told SET v = 2;
CREATE TABLE history_parts (id INT) WITH SYSTEM VERSIONING PARTITION BY SYSTEM_TIME (PARTITION old HISTORY, PARTITION now CURRENT);
INSERT INTO history_parts VALUES (1);
DELETE FROM history_parts;
CREATE TABLE by_range (id INT NOT NULL, d DATE NOT NULL, PRIMARY KEY (id, d), KEY (d)) PARTITION BY RANGE (YEAR(d))
  (PARTITION p0 VALUES LESS THAN (2000) COMMENT = 'old; ones', PARTITION p1 VALUES LESS THAN MAXVALUE);
INSERT INTO by_range VALUES (1, '1990-01-01'), (2, '2020-01-01');
CREATE TABLE by_list (k VARCHAR(5), v INT) PARTITION BY LIST COLUMNS (k) (PARTITION a VALUES IN ('x', 'y'), PARTITION rest DEFAULT);
INSERT INTO by_list VALUES ('x', 1), ('q', 2);
CREATE TABLE by_hash (id INT PRIMARY KEY) PARTITION BY HASH (id) PARTITIONS 3;
INSERT INTO by_hash VALUES (1), (2), (3);
CREATE TABLE by_two (id INT, d DATE) PARTITION BY RANGE (YEAR(d)) SUBPARTITION BY HASH (id) SUBPARTITIONS 2
  (PARTITION p0 VALUES LESS THAN (2000), PARTITION p1 VALUES LESS THAN MAXVALUE);
CREATE TABLE isam (id INT, v VARCHAR(20), KEY (v), FULLTEXT (v)) ENGINE = MyISAM ROW_FORMAT = FIXED MAX_ROWS = 1000;
INSERT INTO isam VALUES (1, 'a'), (1, 'a'), (2, NULL);
CREATE TABLE isam_group (g INT, n INT AUTO_INCREMENT, PRIMARY KEY (g, n)) ENGINE = MyISAM;
INSERT INTO isam_group (g) VALUES (1), (1), (2);
CREATE TABLE isam_too (id INT, v VARCHAR(20), KEY (v)) ENGINE = MyISAM;
CREATE TABLE joined_isam (id INT, v VARCHAR(20), KEY (v)) ENGINE = MRG_MyISAM UNION = (isam_too) INSERT_METHOD = LAST;
CREATE TABLE memory_table (id INT PRIMARY KEY, v VARCHAR(10)) ENGINE = MEMORY;
INSERT INTO memory_table VALUES (1, 'm'), (2, NULL);
CREATE TABLE csv_table (id INT NOT NULL, v VARCHAR(10) NOT NULL) ENGINE = CSV;
INSERT INTO csv_table VALUES (7, 'a,"b');
CREATE TABLE aria_table (id INT PRIMARY KEY, v TEXT) ENGINE = Aria TRANSACTIONAL = 1;
INSERT INTO aria_table VALUES (1, 'x');

-- ---- Foreign keys: onto itself, in a circle, into another database, to nothing, and with rows that have no partner ----
CREATE TABLE loan (id INT PRIMARY KEY, taxon INT UNSIGNED NOT NULL, parent INT, `weird ``col` INT, KEY (taxon),
  CONSTRAINT fk_taxon FOREIGN KEY (taxon) REFERENCES taxon (id) ON DELETE CASCADE ON UPDATE CASCADE,
  CONSTRAINT `fk self` FOREIGN KEY (parent) REFERENCES loan (id) ON DELETE SET NULL,
  CONSTRAINT fk_beside FOREIGN KEY (`weird ``col`) REFERENCES beside.station (id));
INSERT INTO loan VALUES (1, 5, NULL, 1), (2, 9, 1, NULL), (3, 5, 2, 2);
CREATE TABLE chicken (id INT PRIMARY KEY, egg INT);
CREATE TABLE egg (id INT PRIMARY KEY, chicken INT, CONSTRAINT egg_of FOREIGN KEY (chicken) REFERENCES chicken (id));
ALTER TABLE chicken ADD CONSTRAINT chicken_of FOREIGN KEY (egg) REFERENCES egg (id);
SET foreign_key_checks = 0;
INSERT INTO chicken VALUES (1, 1);
INSERT INTO egg VALUES (1, 1);
SET foreign_key_checks = 1;
CREATE TABLE composite_parent (a INT, b VARCHAR(5), PRIMARY KEY (a, b));
CREATE TABLE composite_child (id INT PRIMARY KEY, a INT, b VARCHAR(5), FOREIGN KEY (a, b) REFERENCES composite_parent (a, b));
INSERT INTO composite_parent VALUES (1, 'x');
INSERT INTO composite_child VALUES (1, 1, 'x'), (2, NULL, 'q'), (3, 5, NULL);

-- ---- Sequences ----
CREATE SEQUENCE steps START WITH 100 INCREMENT BY 5 CACHE 10;
CREATE SEQUENCE falling START WITH -1 MINVALUE -50 MAXVALUE -1 INCREMENT BY -3 CYCLE NOCACHE;
CREATE SEQUENCE `odd seq` MAXVALUE 5 CYCLE CACHE 2;
DO NEXTVAL(steps), NEXTVAL(falling), NEXTVAL(falling);
DO NEXTVAL(`odd seq`), NEXTVAL(`odd seq`), NEXTVAL(`odd seq`), NEXTVAL(`odd seq`), NEXTVAL(`odd seq`), NEXTVAL(`odd seq`), NEXTVAL(`odd seq`);
CREATE TABLE numbered (id INT NOT NULL DEFAULT NEXTVAL(steps) PRIMARY KEY, v INT);
INSERT INTO numbered (v) VALUES (1), (2);

-- ---- Routines, each under a mode and a character set of its own ----
DELIMITER $$
CREATE FUNCTION reverse(t VARCHAR(20)) RETURNS VARCHAR(30) DETERMINISTIC RETURN CONCAT('own ', t)$$
CREATE FUNCTION format_bytes(n INT) RETURNS INT DETERMINISTIC RETURN n + 1$$
CREATE FUNCTION age_of(p INT) RETURNS INT READS SQL DATA COMMENT 'x''y' BEGIN DECLARE r INT; SELECT MAX(id) INTO r FROM taxon; RETURN r; END$$
CREATE PROCEDURE report(IN a INT, OUT b VARCHAR(10), INOUT c DECIMAL(5,2)) SQL SECURITY INVOKER MODIFIES SQL DATA
BEGIN
  -- a comment; with a semicolon
  /* another; one */
  SET b = 'é;;//';
  IF a > 1 THEN CALL report(a - 1, b, c); END IF;
END$$
SET sql_mode = 'ANSI_QUOTES,PIPES_AS_CONCAT,NO_BACKSLASH_ESCAPES'$$
CREATE PROCEDURE "ansi proc"() BEGIN SELECT 'back\' || "name" FROM "taxon"; END$$
CREATE VIEW "ansi view" AS SELECT "name" || '\' AS "joined" FROM "taxon"$$
SET sql_mode = 'ORACLE'$$
CREATE PACKAGE store AS FUNCTION f1 RETURN INT; PROCEDURE p1; END$$
CREATE PACKAGE BODY store AS
  counter INT := 0;
  FUNCTION f1 RETURN INT AS BEGIN counter := counter + 1; RETURN counter; END;
  PROCEDURE p1 AS BEGIN NULL; END;
END$$
CREATE FUNCTION of_oracle(a IN VARCHAR2) RETURN VARCHAR2 DETERMINISTIC AS BEGIN RETURN a || 'x'; END$$
SET sql_mode = 'STRICT_ALL_TABLES,ERROR_FOR_DIVISION_BY_ZERO,HIGH_NOT_PRECEDENCE,IGNORE_SPACE,REAL_AS_FLOAT,EMPTY_STRING_IS_NULL,TIME_ROUND_FRACTIONAL,PAD_CHAR_TO_FULL_LENGTH,NO_UNSIGNED_SUBTRACTION,IGNORE_BAD_TABLE_OPTIONS,NO_DIR_IN_CREATE,ONLY_FULL_GROUP_BY'$$
CREATE FUNCTION with_modes() RETURNS INT DETERMINISTIC RETURN 1$$
SET sql_mode = ''$$
CREATE AGGREGATE FUNCTION total(x INT) RETURNS INT DETERMINISTIC BEGIN
  DECLARE s INT DEFAULT 0; DECLARE CONTINUE HANDLER FOR NOT FOUND RETURN s;
  LOOP FETCH GROUP NEXT ROW; SET s = s + x; END LOOP; END$$
SET NAMES latin1 COLLATE latin1_german1_ci$$
CREATE FUNCTION of_latin1() RETURNS VARCHAR(10) DETERMINISTIC RETURN 'plain'$$
CREATE FUNCTION of_latin1_too() RETURNS VARCHAR(10) DETERMINISTIC RETURN 'café'$$
SET NAMES utf8mb4 COLLATE utf8mb4_unicode_ci$$
CREATE FUNCTION ping(n INT) RETURNS INT READS SQL DATA RETURN (SELECT pong_count FROM a_view_on_pong WHERE n > 0 LIMIT 1)$$
CREATE FUNCTION pong(n INT) RETURNS INT READS SQL DATA RETURN IF(n > 0, (SELECT COUNT(*) FROM taxon), ping(n))$$
CREATE VIEW with_own_functions AS SELECT odd.reverse('abc') AS r, format_bytes(1) AS f, `concat`('a', 'b') AS c$$
CREATE FUNCTION `a``quoted`() RETURNS INT DETERMINISTIC RETURN 1$$
DELIMITER ;

-- ---- Views: over each other against the alphabet, over functions, in a circle through one, over another database ----
CREATE VIEW a_view_on_pong AS SELECT pong(1) AS pong_count;
CREATE VIEW z_base AS SELECT t.id, t.name, loan.id AS loan FROM taxon t JOIN loan ON loan.taxon = t.id;
CREATE ALGORITHM = MERGE SQL SECURITY INVOKER VIEW m_middle AS SELECT * FROM z_base WHERE id > 3 WITH LOCAL CHECK OPTION;
CREATE ALGORITHM = TEMPTABLE VIEW a_top (`first col`, two) AS SELECT m_middle.id, COUNT(*) FROM m_middle GROUP BY m_middle.id;
CREATE VIEW over_function AS SELECT age_of(1) AS a, total(id) AS b FROM taxon GROUP BY name;
CREATE VIEW over_beside AS SELECT z_base.id, s.name FROM z_base, beside.station s WHERE s.id = z_base.loan;
CREATE VIEW with_cte AS WITH RECURSIVE n AS (SELECT 1 AS i UNION ALL SELECT i + 1 FROM n WHERE i < 3) SELECT i FROM n;
CREATE VIEW literals AS SELECT 'it''s; \\ "x"' AS a, 0x00FF AS b, _latin1 'x' AS c, DATE '2020-01-01' AS d, b'101' AS e;
CREATE VIEW with_cascade AS SELECT id, rank FROM taxon WHERE rank > 0 WITH CASCADED CHECK OPTION;

-- ---- Triggers, several on one event, and events ----
DELIMITER //
CREATE TRIGGER loan_second BEFORE INSERT ON loan FOR EACH ROW SET NEW.parent = NULL//
CREATE TRIGGER loan_third BEFORE INSERT ON loan FOR EACH ROW FOLLOWS loan_second BEGIN SET @a = '//;'; SET NEW.parent = 1; END//
CREATE TRIGGER loan_first BEFORE INSERT ON loan FOR EACH ROW PRECEDES loan_second SET @b = 1//
CREATE TRIGGER `after; taxon` AFTER UPDATE ON taxon FOR EACH ROW INSERT INTO no_key VALUES (OLD.id, NEW.name)//
CREATE EVENT nightly ON SCHEDULE EVERY 1 DAY STARTS '2035-01-01 03:00:00' ON COMPLETION PRESERVE DISABLE COMMENT 'never; yet'
  DO BEGIN DELETE FROM no_key; END//
SET time_zone = 'SYSTEM'//
CREATE EVENT once ON SCHEDULE AT '2036-02-03 04:05:06' DO CALL report(1, @x, @y)//
SET time_zone = '+05:30'//
CREATE EVENT `weekly ``one` ON SCHEDULE EVERY '1:30' HOUR_MINUTE STARTS '2035-01-01 00:00:00' ENDS '2037-01-01 00:00:00' DISABLE ON SLAVE DO SELECT 1//
DELIMITER ;
SET NAMES latin1;
CREATE EVENT `zurück` ON SCHEDULE EVERY 1 DAY STARTS '2035-01-01 00:00:00' DISABLE DO SELECT 'ä';
SET NAMES utf8mb4;

-- ---- Values that the server stumbles over when it computes others from them ----
CREATE TABLE stumbles (id INT PRIMARY KEY, a VARCHAR(10), b INT AS (CAST(a AS SIGNED)) STORED, c TINYINT AS (a * 100) PERSISTENT, KEY (c));
INSERT IGNORE INTO stumbles (id, a) VALUES (1, 'abc'), (2, '12x'), (3, '7'), (4, NULL);
