-- What the golden logs of MariaDB and MySQL tell; the table is there before
INSERT INTO plot VALUES (1, -5, 18446744073709551615, -12345678901234.567891, 0.1, -2.5e-300, '2026-02-28', '-12:34:56.7', '2026-01-01 00:00:00.000001', '2026-03-04 05:06:07', 2026, 'it''s wind', 'a,c', x'00ff', b'101', 'Größe € ', x'00', -8388608, POINT(1, 2), 'tab\t\\');
INSERT INTO plot VALUES (2, 127, 0, 0.00012, NULL, NULL, '0000-00-00', '00:00:00', NULL, '1970-01-01 00:00:01', 0, '', '', NULL, NULL, '', x'0102030405060708', 8388607, NULL, NULL), (3, 0, 1, 0.5, 1, 1, NULL, '838:59:58.99', NULL, '2038-01-19 03:14:07', 1901, 'rain', 'a', '', b'0', NULL, NULL, NULL, NULL, '');
START TRANSACTION; UPDATE plot SET small = small - 1, id = id + 10 WHERE id > 1; DELETE FROM plot WHERE id = 1; SAVEPOINT s; COMMIT;
START TRANSACTION; INSERT INTO plot (id, ts) VALUES (99, '2026-01-01'); ROLLBACK;
INSERT INTO other VALUES (1);
TRUNCATE TABLE plot;
CREATE TABLE later (id INT PRIMARY KEY); INSERT INTO later VALUES (1);
ALTER TABLE plot ADD COLUMN more INT; INSERT INTO plot (id, ts, more) VALUES (5, '2026-01-01', 1);
