-- A database that is written to: accounts whose sum stays, keys that change, columns of all kinds, what is rolled back
CREATE TABLE station (id INT PRIMARY KEY, code VARCHAR(30) UNIQUE NOT NULL, balance BIGINT NOT NULL DEFAULT 0, story TEXT, `Höhe m` DECIMAL(20,5), twice BIGINT AS (balance * 2) VIRTUAL);
CREATE TABLE reading (no BIGINT PRIMARY KEY AUTO_INCREMENT, station INT NOT NULL, at TIMESTAMP(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3), value DOUBLE, raw BLOB, kind ENUM('rain','it''s wind','Höhe') CHARACTER SET latin1, flags SET('a','b','c'), bits BIT(11), f FLOAT, small TINYINT, big BIGINT UNSIGNED, d DATE, t TIME(2), dt DATETIME(6), y YEAR, c CHAR(20), bin BINARY(8), latin VARCHAR(50) CHARACTER SET latin1, wide VARCHAR(40) CHARACTER SET utf16, g POINT, m MEDIUMINT, fixed BINARY(4), KEY (station));
CREATE TABLE day (d DATE, station INT, label TEXT, PRIMARY KEY (d, station)) PARTITION BY RANGE (YEAR(d)) (PARTITION a VALUES LESS THAN (2027), PARTITION b VALUES LESS THAN MAXVALUE);
CREATE TABLE scratch (k INT PRIMARY KEY, t TEXT);
CREATE TABLE remark (t TEXT, n INT);
INSERT INTO station (id, code, balance, story, `Höhe m`) WITH RECURSIVE s(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM s WHERE i < 200) SELECT i, CONCAT('S', i), 1000, REPEAT(SHA2(i, 256), 15), -i / 7 FROM s;
INSERT INTO day WITH RECURSIVE s(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM s WHERE i < 500) SELECT DATE_ADD('2026-01-01', INTERVAL i DAY), i, CONCAT('d', i) FROM s;
DELIMITER //
CREATE PROCEDURE write_some(steps INT, seed INT)
BEGIN
  DECLARE i INT DEFAULT 0; DECLARE a INT; DECLARE b INT; DECLARE r DOUBLE;
  SET r = RAND(seed);
  WHILE i < steps DO
    SET i = i + 1, r = RAND(), a = 1 + FLOOR(RAND() * 200), b = 1 + FLOOR(RAND() * 200);
    START TRANSACTION;
    IF r < 0.4 THEN
      INSERT INTO reading (station, value, raw, kind, flags, bits, f, small, big, d, t, dt, y, c, bin, latin, wide, g, m, fixed) VALUES (a, RAND() * 100 - 50, UNHEX(SHA2(RAND(), 256)), ELT(1 + FLOOR(RAND() * 4), 'rain', 'it''s wind', 'Höhe', NULL), ELT(1 + FLOOR(RAND() * 4), 'a', 'a,c', '', NULL), FLOOR(RAND() * 2047), RAND() * 1e10, FLOOR(RAND() * 255) - 128, 18446744073709551615 - a, DATE_ADD('2026-01-01', INTERVAL a DAY), SEC_TO_TIME(RAND() * 2000000 - 1000000), NOW(6), 1950 + a, CONCAT(' c\t', a, '\\'), 'ab\0', CONCAT('Größe € ', a), CONCAT('日本 ', a), POINT(a, b), a - 100, UNHEX(HEX(a)));
    ELSEIF r < 0.6 AND a <> b THEN
      UPDATE station SET balance = balance - 5 WHERE id = LEAST(a, b);
      UPDATE station SET balance = balance + 5 WHERE id = GREATEST(a, b);
    ELSEIF r < 0.7 THEN
      UPDATE reading SET value = -value, raw = NULL WHERE no = FLOOR(RAND() * 5000);
    ELSEIF r < 0.75 THEN
      DELETE FROM reading WHERE no = FLOOR(RAND() * 5000);
    ELSEIF r < 0.8 THEN
      UPDATE IGNORE day SET d = DATE_ADD('2026-01-01', INTERVAL FLOOR(RAND() * 700) DAY) WHERE station = a;
    ELSEIF r < 0.85 AND a <> b THEN
      UPDATE station SET code = CONCAT(code, '?') WHERE id = LEAST(a, b);
      UPDATE station SET code = LEFT(code, CHAR_LENGTH(code) - 1) WHERE id = LEAST(a, b);
    ELSEIF r < 0.88 THEN
      UPDATE station SET id = id + 1000 WHERE id = a;
      UPDATE station SET id = id - 1000 WHERE id = a + 1000;
    ELSEIF r < 0.9 THEN
      UPDATE station SET balance = balance + 1000000 WHERE id = a;
      ROLLBACK;
    ELSEIF r < 0.91 THEN
      DELETE FROM scratch; INSERT INTO scratch SELECT id, CONCAT('\r\n', code) FROM station WHERE id < 20;
    ELSE
      INSERT INTO remark VALUES (CONCAT('remark ', a), b);
      DELETE FROM remark WHERE n = a;
    END IF;
    COMMIT;
  END WHILE;
END //
DELIMITER ;
