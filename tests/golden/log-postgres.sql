-- What the golden logs of PostgreSQL tell; the tables are there before
UPDATE "Größter Baum" SET "Höhe m" = 31.5, note = E'tab\there\\' WHERE id = 1;
INSERT INTO plot VALUES ('A', 1, '{"a,b",NULL}', NULL), ('B', 2, '{}', repeat('x', 10000));
BEGIN; UPDATE plot SET n = 3 WHERE code = 'B'; UPDATE plot SET code = 'C' WHERE code = 'B'; DELETE FROM plot WHERE code = 'A'; COMMIT;
BEGIN; INSERT INTO plot VALUES ('never', 0, NULL, NULL); ROLLBACK;
BEGIN; SAVEPOINT s; INSERT INTO plot VALUES ('no', 0, NULL, NULL); ROLLBACK TO s; INSERT INTO plot VALUES (E'it''s\n', 4, NULL, ''); COMMIT;
UPDATE reading SET taken = '2026-08-01' WHERE taken = '2026-02-01';
ALTER TABLE plot ADD COLUMN later int; INSERT INTO plot VALUES ('D', 5, NULL, NULL, 6);
ALTER TABLE plot DROP COLUMN later; INSERT INTO plot VALUES ('E', 6, NULL, NULL);
TRUNCATE plot, "Größter Baum";
