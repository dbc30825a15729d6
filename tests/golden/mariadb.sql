-- What the golden dumps of MariaDB hold
CREATE TABLE plot (id INT PRIMARY KEY, name VARCHAR(40) NOT NULL, area DECIMAL(8,2), shaded BOOLEAN DEFAULT FALSE);
CREATE TABLE tree (
    id BIGINT AUTO_INCREMENT PRIMARY KEY,
    plot INT NOT NULL,
    label VARCHAR(80),
    height DOUBLE,
    planted DATE,
    leaf BLOB,
    kind ENUM('native', 'guest') NOT NULL DEFAULT 'native',
    seen TIMESTAMP NULL,
    KEY tree_label (label),
    CONSTRAINT tree_plot FOREIGN KEY (plot) REFERENCES plot (id),
    CHECK (height > 0)) COMMENT 'one row for each stem; it''s counted each spring';
CREATE FUNCTION age (planted DATE) RETURNS INT DETERMINISTIC RETURN TIMESTAMPDIFF(YEAR, planted, '2026-01-01');
CREATE VIEW old_tree AS SELECT id, label, age(planted) AS years FROM tree WHERE age(planted) > 50;
INSERT INTO plot VALUES (1, 'Ridge', 120.50, TRUE), (2, CONCAT('Pond', CHAR(9), 'edge'), NULL, FALSE), (3, '', 0, NULL);
INSERT INTO tree (plot, label, height, planted, leaf, kind, seen) VALUES
    (1, 'Hornbeam', 12.25, '1962-03-09', x'00ff0a', 'native', '2026-03-01 12:00:00'),
    (1, 'line\nbreak \\N', 0.1, NULL, '', 'guest', NULL),
    (2, 'Schwarzerle ❀', 1e-7, '2019-11-30', NULL, 'native', NULL),
    (3, NULL, NULL, '1875-01-01', x'5c4e', 'guest', '1999-12-31 23:59:59');
