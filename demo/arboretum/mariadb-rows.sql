-- Fennick Vale: the rows. Run in database fennick_vale with @scale set: scale 1 makes about 60,000 rows, most of them
-- weather readings; scale 100 makes six million. The same scale always makes the same rows.

SET foreign_key_checks = 0, sql_mode = 'NO_AUTO_VALUE_ON_ZERO', time_zone = '+00:00';
SET @scale = COALESCE(@scale, 1), @the_desk_is_open = TRUE;

INSERT INTO taxon (taxon_id, name, family, common_names, hardy_to, notes)
SELECT 100 + seq,
       CONCAT(ELT(1 + seq % 8, 'Carpinus', 'Quercus', 'Acer', 'Betula', 'Tilia', 'Sorbus', 'Prunus', 'Fagus'), ' ',
              ELT(1 + (seq DIV 8) % 8, 'betulus', 'robur', 'campestre', 'pendula', 'cordata', 'aucuparia', 'avium', 'sylvatica'),
              IF(seq >= 64, CONCAT(' var. ', CHAR(97 + seq DIV 100), CHAR(97 + seq DIV 10 % 10), CHAR(97 + seq % 10)), '')),
       ELT(1 + seq % 8, 'Betulaceae', 'Fagaceae', 'Sapindaceae', 'Betulaceae', 'Malvaceae', 'Rosaceae', 'Rosaceae', 'Fagaceae'),
       ELT(1 + seq % 4, '["hornbeam", "Hainbuche", "鹅耳枥"]', '[]', '["with \\"quotes\\"", "a,comma", null, ""]', '["tab\\there", "\\\\backslash"]'),
       IF(seq % 7 = 0, NULL, -5.5 - seq % 25), IF(seq % 3 = 0, NULL, CONCAT('leaf ', seq % 5, ' 🌳🍂\n\\N ', REPEAT('bark ', seq)))
FROM seq_0_to_199;

INSERT INTO keeper SELECT seq, CONCAT(ELT(1 + seq % 5, 'Orla Fenn', 'Bastian Ruhl', 'Wanda Ösk', 'Łucja Brzoza', 'Emeka Thorn'), ' ', seq),
       IF(seq % 6 = 5, NULL, CONCAT('keeper', seq, '@fennick-vale.example')), seq, seq % 2 = 0 FROM seq_1_to_30;
INSERT INTO plot SELECT seq, CONCAT('P-', LPAD(seq, 4, '0')), IF(seq <= 30, seq, NULL),
       ST_GEOMFROMTEXT(CONCAT('POLYGON((0 0,', seq, ' 0,', seq, ' ', seq + 1, ',0 ', seq + 1, ',0 0))')),
       CASE seq WHEN 1 THEN NULL WHEN 2 THEN 1.7976931348623157e308 WHEN 3 THEN 1e-300 ELSE seq * 10.1 END, 1901 + seq FROM seq_1_to_60;
INSERT INTO accession SELECT CONCAT(1950 + seq % 70, '.', LPAD(seq, 4, '0')), 100 + seq % 200, DATE '1950-03-01' + INTERVAL seq * 9 DAY,
       CASE seq % 4 WHEN 0 THEN NULL WHEN 1 THEN '' ELSE CONCAT('collected near “Nowhere Hill”, bag ', seq) END,
       IF(seq % 5 = 0, 'Botanical Society of Lower Marsh', NULL), seq * 1.25 FROM seq_1_to_2000;
INSERT INTO tree (tree_id, code, plot_id, tag, planted, `condition`, marks, height_m, canopy, removed, touched)
SELECT s.seq, a.code, 1 + s.seq % 60, INSERT(INSERT(INSERT(INSERT(MD5(s.seq), 9, 0, '-'), 14, 0, '-'), 19, 0, '-'), 24, 0, '-'),
       IF(s.seq = 7, '0000-00-00', DATE '1955-01-01' + INTERVAL s.seq DAY), 1 + s.seq % 5, s.seq % 16,
       IF(s.seq % 9 = 0, NULL, s.seq % 300 / 7), s.seq % 101, s.seq % 17 = 0, TIMESTAMP '2024-02-29 12:00:00.000001' + INTERVAL s.seq SECOND
FROM seq_1_to_20000 s JOIN accession a ON a.code = CONCAT(1950 + (1 + s.seq % 2000) % 70, '.', LPAD(1 + s.seq % 2000, 4, '0'))
WHERE s.seq <= 2000 * LEAST(@scale, 10);
INSERT INTO photograph SELECT seq, seq, IF(seq = 1, '0001-01-01', TIMESTAMP '2019-05-01 06:30:00.123456' + INTERVAL seq HOUR),
       CONCAT(REPEAT(UNHEX(MD5(seq)), 200), UNHEX(REPEAT('00FF5C0A0D09', 100))), ELT(1 + seq % 3, '', NULL, 'in bloom 🌸') FROM seq_1_to_40;
INSERT INTO label_price VALUES ('T-0042', 3.5), ('T-0044', 4), ('T-0046', 4.5);
UPDATE label_price SET price = price + 1 WHERE label <> 'T-0042';
DELETE FROM label_price WHERE label = 'T-0046';
INSERT INTO guided_tour VALUES (1, '2026-04-01', '2026-07-01'), (1, '2026-07-01', '2026-10-01'), (2, '2026-05-01', '2026-06-01');
INSERT INTO `Größter Baum` VALUES (2023, 4210.5, '大きな木', 'first'), (2024, 0, NULL, ''), (2025, 4268.25, 'बड़ा पेड़', NULL);
INSERT INTO note SELECT TIMESTAMP '2024-01-01 00:00:00' + INTERVAL seq * 7 HOUR, CONCAT('note ', seq) FROM seq_1_to_120;
INSERT INTO visitor_count SELECT DATE '2024-01-01' + INTERVAL seq DAY, seq * 37 % 500 FROM seq_0_to_365;
INSERT INTO label_queue SELECT CONCAT('T-', seq), seq % 2 = 0 FROM seq_1_to_50;
INSERT INTO seed_lot (lot_id, code, `stored`, grams, lot_flags)
SELECT n, code, received + INTERVAL 30 DAY, n / 3, n % 256 FROM (SELECT code, received, ROW_NUMBER() OVER (ORDER BY code) AS n FROM accession) a WHERE n <= 300;
INSERT INTO `germination trial` SELECT l.seq, d.seq * 7, l.seq % 9 + d.seq, (l.seq + d.seq) % 101, SEC_TO_TIME(l.seq * 99.125) FROM seq_1_to_300 l, seq_0_to_9 d;
INSERT INTO borrower SELECT seq, CONCAT('Garden of ', seq), ELT(1 + seq % 4, 'AT', 'NZ', 'JP', NULL), CONCAT('2001:db8::', HEX(seq)),
       IF(seq % 2 = 0, '<who><name>Dr. &amp; Co</name></who>', NULL) FROM seq_1_to_25;
INSERT INTO loan SELECT n, 1 + n % 25, code, DATE '2020-01-01' + INTERVAL n DAY, IF(n % 4 > 0, DATE '2020-02-01' + INTERVAL n DAY, NULL), n * 99.95
FROM (SELECT code, ROW_NUMBER() OVER (ORDER BY code) AS n FROM accession) a WHERE n <= 600;
INSERT INTO station VALUES (1, 'Gatehouse', 212.5), (2, 'Ridge', 388), (3, 'Pond "below"', NULL), (4, 'Nursery 🌱', 199.25);

INSERT INTO reading
SELECT 1 + seq % 4, TIMESTAMP '2023-01-01 00:00:00' + INTERVAL FLOOR((seq DIV 4) * 101952000 / (10000 * @scale)) SECOND,
       IF(seq % 997 = 0, NULL, 10 + 12 * SIN(seq / 2000) + seq * 7919 % 400 / 100), 40 + seq % 60, seq * 104729 % 20000 / 997,
       seq * 31 % 90 / 10, IF(seq % 50 = 0, CONCAT('gauge cleaned by ', ELT(1 + seq % 3, 'Orla', 'Bastian', 'Wanda')), NULL)
FROM seq_0_to_9999999 WHERE seq < 40000 * @scale;
INSERT INTO logger_message
SELECT 1 + seq, 1 + seq % 4, TIMESTAMP '2025-01-01 00:00:00.125' + INTERVAL seq SECOND, 1 + seq % 3,
       JSON_OBJECT('battery', seq % 100 / 10, 'note', ELT(1 + seq % 2, 'still', 'windy 🍃')), UNHEX(CONCAT(MD5(seq), MD5(seq + 1))),
       CONCAT('logger ', seq % 97, ' says: ', REPEAT(ELT(1 + seq % 4, 'all is well, ', 'die Böe war stark, ', 'feuchte Luft, ', 'ветер, '), 1 + seq % 9))
FROM seq_0_to_9999999 WHERE seq < 11000 * @scale;

DO NEXTVAL(label_number);
SET foreign_key_checks = 1;
