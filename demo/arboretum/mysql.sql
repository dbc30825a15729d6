-- Fennick Vale, a public arboretum: the structure of its database, for MySQL 8.0 and later.
-- All people, places and figures are made up. Rows come from mariadb-rows.sql, of which servers.sh makes MySQL's.
-- It means to hold what real databases hold, awkward names included.

-- Users ---------------------------------------------------------------------------------------------------------------

CREATE ROLE vale_readers;
CREATE ROLE vale_keepers;
CREATE USER 'Ida Quill'@'%' IDENTIFIED BY 'hazel-catkins-9' PASSWORD EXPIRE INTERVAL 180 DAY;
CREATE USER loans_desk@'10.20.%' IDENTIFIED BY 'borrowed-birch-3' REQUIRE SSL WITH MAX_USER_CONNECTIONS 12;
CREATE USER weather_station@localhost IDENTIFIED BY 'rain-gauge-7' ATTRIBUTE '{"place": "ridge"}';
CREATE USER vale_owner@localhost IDENTIFIED BY 'every-gate-1' ACCOUNT LOCK;
GRANT vale_readers TO vale_keepers;
GRANT vale_keepers TO 'Ida Quill'@'%' WITH ADMIN OPTION;
GRANT vale_readers TO loans_desk@'10.20.%';
SET DEFAULT ROLE vale_keepers TO 'Ida Quill'@'%';
GRANT PROCESS, BACKUP_ADMIN ON *.* TO 'Ida Quill'@'%';
GRANT CONNECTION_ADMIN ON *.* TO 'Ida Quill'@'%' WITH GRANT OPTION;
GRANT vale_readers, vale_keepers TO vale_owner@localhost;

-- The database --------------------------------------------------------------------------------------------------------

CREATE DATABASE fennick_vale CHARACTER SET utf8mb4 COLLATE utf8mb4_0900_ai_ci;
USE fennick_vale;
GRANT ALL PRIVILEGES ON fennick_vale.* TO vale_owner@localhost WITH GRANT OPTION;

-- Tables --------------------------------------------------------------------------------------------------------------

CREATE TABLE taxon (
    taxon_id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    name VARCHAR(120) NOT NULL,
    family VARCHAR(60) CHARACTER SET latin1 NOT NULL,
    common_names JSON NOT NULL DEFAULT (JSON_ARRAY()),
    hardy_to DECIMAL(4,1),
    notes TEXT,
    habitat POINT SRID 4326,
    reviewed INT INVISIBLE DEFAULT 0,
    name_length INT AS (CHAR_LENGTH(name)) STORED,
    initial CHAR(1) AS (LEFT(name, 1)) VIRTUAL COMMENT 'for the card index',
    UNIQUE KEY by_name (name),
    FULLTEXT KEY words (name),
    KEY by_lower_name ((LOWER(name))),
    CONSTRAINT hardy CHECK (hardy_to < 0) NOT ENFORCED,
    CONSTRAINT latin_name CHECK (name REGEXP '^[A-Z][a-z .-]+')
) AUTO_INCREMENT = 100;

CREATE TABLE keeper (
    keeper_id INT NOT NULL AUTO_INCREMENT PRIMARY KEY,
    name VARCHAR(80) NOT NULL,
    email VARCHAR(120) UNIQUE,
    in_charge_of INT, -- a plot; the key follows, because plots have keepers
    `Führerschein` BOOLEAN NOT NULL DEFAULT FALSE
);

CREATE TABLE plot (
    plot_id INT NOT NULL PRIMARY KEY,
    label VARCHAR(20) NOT NULL DEFAULT (CONCAT('P-', LEFT(UUID(), 4))),
    keeper_id INT,
    outline POLYGON NOT NULL SRID 0,
    area_m2 DOUBLE CHECK (area_m2 > 0),
    open_from YEAR,
    UNIQUE KEY (label),
    SPATIAL KEY (outline),
    CONSTRAINT plot_keeper FOREIGN KEY (keeper_id) REFERENCES keeper (keeper_id) ON DELETE SET NULL
);
ALTER TABLE keeper ADD CONSTRAINT keeper_in_charge_of FOREIGN KEY (in_charge_of) REFERENCES plot (plot_id);

CREATE TABLE accession (
    code CHAR(10) CHARACTER SET ascii NOT NULL PRIMARY KEY,
    taxon_id INT UNSIGNED NOT NULL,
    received DATE NOT NULL DEFAULT (CURRENT_DATE),
    provenance VARCHAR(200),
    donor VARCHAR(80),
    cost DECIMAL(12,2),
    KEY received (received DESC),
    CONSTRAINT accession_taxon FOREIGN KEY (taxon_id) REFERENCES taxon (taxon_id)
);

CREATE TABLE tree (
    tree_id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
    code CHAR(10) CHARACTER SET ascii NOT NULL,
    plot_id INT NOT NULL,
    tag CHAR(36) CHARACTER SET ascii NOT NULL DEFAULT (UUID()),
    planted DATE,
    `condition` ENUM('thriving', 'fair', 'poor', 'dead', 'missing') NOT NULL DEFAULT 'fair',
    marks SET('labelled', 'listed', 'staked', 'caged') NOT NULL DEFAULT '',
    height_m FLOAT,
    canopy TINYINT UNSIGNED,
    removed BIT(1) NOT NULL DEFAULT b'0',
    touched TIMESTAMP(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6) ON UPDATE CURRENT_TIMESTAMP(6) INVISIBLE,
    KEY by_plot (plot_id, `condition`) COMMENT 'for the weekly round',
    KEY by_height (height_m) INVISIBLE,
    CONSTRAINT tree_accession FOREIGN KEY (code) REFERENCES accession (code) ON UPDATE CASCADE,
    CONSTRAINT tree_plot FOREIGN KEY (plot_id) REFERENCES plot (plot_id)
);

CREATE TABLE photograph (
    photograph_id INT NOT NULL AUTO_INCREMENT PRIMARY KEY,
    tree_id BIGINT,
    taken DATETIME(6),
    image LONGBLOB NOT NULL,
    caption VARCHAR(200),
    CONSTRAINT photograph_tree FOREIGN KEY (tree_id) REFERENCES tree (tree_id) ON DELETE CASCADE
);

CREATE TABLE label_price (label VARCHAR(20) PRIMARY KEY, price DECIMAL(6,2)) COMMENT 'of this year';
CREATE TABLE guided_tour (tour_id INT, opens DATE, closes DATE, PRIMARY KEY (tour_id, opens));
CREATE TABLE `Größter Baum` (`Jahr` SMALLINT PRIMARY KEY, `Höhe in "cm"` DECIMAL(8,2) NOT NULL COMMENT 'with a laser, from three sides',
    `名前` VARCHAR(50), `order` TEXT) COMMENT = 'the tallest tree, year by year; it''s a matter of pride';
CREATE TABLE note (written TIMESTAMP(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3), body TEXT);
CREATE TABLE visitor_count (day DATE PRIMARY KEY, visitors INT) ENGINE = MyISAM COMMENT 'from the old till';
CREATE TABLE label_queue (label VARCHAR(20), printed BOOLEAN) ENGINE = InnoDB;

CREATE TABLE seed_lot (
    lot_id INT NOT NULL AUTO_INCREMENT PRIMARY KEY,
    code CHAR(10) CHARACTER SET ascii NOT NULL,
    `stored` DATE NOT NULL,
    grams FLOAT,
    lot_flags BIT(8) NOT NULL DEFAULT b'00000001',
    CONSTRAINT lot_accession FOREIGN KEY (code) REFERENCES accession (code)
);
CREATE TABLE `germination trial` (
    lot_id INT NOT NULL,
    day_of_trial INT NOT NULL CHECK (day_of_trial BETWEEN 0 AND 400),
    sprouted INT NOT NULL DEFAULT 0,
    humidity DECIMAL(5,2),
    lasted TIME(3),
    PRIMARY KEY (lot_id, day_of_trial),
    CONSTRAINT trial_lot FOREIGN KEY (lot_id) REFERENCES seed_lot (lot_id)
);

CREATE TABLE borrower (
    borrower_id INT NOT NULL AUTO_INCREMENT PRIMARY KEY,
    garden_name VARCHAR(80) NOT NULL,
    country CHAR(2),
    address VARCHAR(45),
    contact MEDIUMTEXT CHARACTER SET utf8mb3
);
CREATE TABLE loan (
    loan_id INT NOT NULL AUTO_INCREMENT PRIMARY KEY,
    borrower_id INT NOT NULL,
    code CHAR(10) CHARACTER SET ascii,
    lent DATE NOT NULL,
    returned DATE,
    value_eur DECIMAL(12,2),
    CHECK (returned >= lent),
    KEY open_ones (returned, lent),
    CONSTRAINT loan_borrower FOREIGN KEY (borrower_id) REFERENCES borrower (borrower_id),
    CONSTRAINT loan_accession FOREIGN KEY (code) REFERENCES accession (code)
);

CREATE TABLE station (station_id SMALLINT PRIMARY KEY, name VARCHAR(40) NOT NULL, height_m FLOAT);
CREATE TABLE reading (
    station_id SMALLINT NOT NULL,
    taken DATETIME NOT NULL,
    celsius FLOAT,
    humidity TINYINT UNSIGNED CHECK (humidity BETWEEN 0 AND 100),
    wind_ms DOUBLE,
    rain_mm DECIMAL(5,1),
    remark VARCHAR(200),
    PRIMARY KEY (taken, station_id),
    KEY by_celsius (celsius)
) PARTITION BY RANGE (YEAR(taken)) (
    PARTITION y2023 VALUES LESS THAN (2024),
    PARTITION y2024 VALUES LESS THAN (2025) COMMENT = 'the wet one',
    PARTITION y2025 VALUES LESS THAN (2026),
    PARTITION later VALUES LESS THAN MAXVALUE);
CREATE TABLE logger_message (
    message_id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
    station_id SMALLINT NOT NULL,
    received DATETIME(3) NOT NULL,
    level ENUM('info', 'warning', 'alarm') NOT NULL,
    payload JSON,
    packet VARBINARY(64),
    body VARCHAR(400),
    KEY by_station (station_id, received),
    KEY by_note ((CAST(payload->'$.note' AS CHAR(20) ARRAY))),
    CONSTRAINT message_station FOREIGN KEY (station_id) REFERENCES station (station_id)
);

-- Routines ------------------------------------------------------------------------------------------------------------

DELIMITER //
CREATE FUNCTION age_of(planted DATE) RETURNS INT DETERMINISTIC NO SQL COMMENT 'in whole years'
    RETURN TIMESTAMPDIFF(YEAR, planted, '2026-01-01')//
CREATE FUNCTION trees_of(family_name VARCHAR(60)) RETURNS INT READS SQL DATA
BEGIN
    -- reads a view, which another view reads through this function
    RETURN (SELECT COUNT(*) FROM standing_tree WHERE family = family_name);
END//
CREATE DEFINER = vale_owner@localhost PROCEDURE give_back(IN which INT, OUT fine DECIMAL(8,2)) SQL SECURITY INVOKER MODIFIES SQL DATA
BEGIN
    UPDATE loan SET returned = CURRENT_DATE WHERE loan_id = which AND returned IS NULL;
    SELECT GREATEST(0, DATEDIFF(returned, lent) - 365) * 0.10 INTO fine FROM loan WHERE loan_id = which;
END//

-- Views ---------------------------------------------------------------------------------------------------------------

CREATE DEFINER = vale_owner@localhost VIEW standing_tree AS
    SELECT t.tree_id, t.tag, x.name, x.family, p.label, t.`condition`, t.height_m, age_of(t.planted) AS age
    FROM tree t JOIN accession a USING (code) JOIN taxon x USING (taxon_id) JOIN plot p ON p.plot_id = t.plot_id
    WHERE NOT t.removed//
CREATE VIEW alarming AS SELECT tree_id, plot_id, `condition` FROM tree WHERE `condition` IN ('poor', 'dead') WITH CASCADED CHECK OPTION//
CREATE ALGORITHM = MERGE SQL SECURITY INVOKER VIEW a_worry_list AS SELECT * FROM alarming WHERE `condition` = 'dead' WITH LOCAL CHECK OPTION//
CREATE ALGORITHM = TEMPTABLE VIEW family_census AS
    SELECT family, COUNT(*) AS trees, MAX(height_m) AS tallest_m FROM standing_tree GROUP BY family//
CREATE VIEW big_family AS SELECT DISTINCT family, trees_of(family) AS trees FROM taxon//
CREATE VIEW daily AS
    SELECT station_id, DATE(taken) AS day, MIN(celsius) AS low, MAX(celsius) AS high, SUM(rain_mm) AS rain
    FROM reading GROUP BY station_id, DATE(taken)//

-- Triggers and events -------------------------------------------------------------------------------------------------

CREATE TRIGGER tree_dies AFTER UPDATE ON tree FOR EACH ROW
BEGIN
    IF NEW.`condition` = 'dead' AND OLD.`condition` <> 'dead' THEN
        INSERT INTO note (body) VALUES (CONCAT('tree ', NEW.tree_id, ' has died'));
    END IF;
END//
CREATE TRIGGER never BEFORE INSERT ON borrower FOR EACH ROW
BEGIN
    IF @the_desk_is_open IS NULL THEN
        SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'this trigger must never fire while rows are restored';
    END IF;
END//
CREATE TRIGGER tree_grows BEFORE UPDATE ON tree FOR EACH ROW SET NEW.height_m = GREATEST(NEW.height_m, OLD.height_m)//
CREATE TRIGGER tree_is_marked BEFORE UPDATE ON tree FOR EACH ROW PRECEDES tree_grows SET NEW.marks = CONCAT_WS(',', NEW.marks, 'listed')//
CREATE EVENT tidy_up ON SCHEDULE EVERY 1 WEEK STARTS '2035-01-01 03:00:00' ON COMPLETION PRESERVE COMMENT 'on Mondays'
    DO DELETE FROM note WHERE written < NOW() - INTERVAL 5 YEAR//
CREATE EVENT stock_take ON SCHEDULE AT '2036-11-30 18:00:00' DISABLE DO CALL give_back(1, @fine)//
DELIMITER ;

-- Rights --------------------------------------------------------------------------------------------------------------

GRANT SELECT ON fennick_vale.* TO vale_readers;
GRANT INSERT, UPDATE ON tree TO vale_keepers;
GRANT UPDATE (returned, value_eur) ON loan TO loans_desk@'10.20.%';
GRANT INSERT ON reading TO weather_station@localhost;
GRANT EXECUTE ON PROCEDURE give_back TO loans_desk@'10.20.%';
GRANT EXECUTE ON FUNCTION age_of TO vale_readers;
GRANT PROXY ON weather_station@localhost TO 'Ida Quill'@'%';
