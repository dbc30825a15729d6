-- What only the newest server can express. Moved to one of its kind, and to an older one.
SET client_min_messages = warning;
CREATE EXTENSION btree_gist;
CREATE ROLE modern_taker NOLOGIN;
CREATE ROLE modern_group NOLOGIN;
GRANT modern_group TO modern_taker WITH INHERIT FALSE, SET FALSE;
GRANT pg_maintain TO modern_group;
CREATE SCHEMA modern;
CREATE SCHEMA told;

CREATE TABLE modern.named (id int CONSTRAINT id_is_there NOT NULL, a int CONSTRAINT a_here NOT NULL NO INHERIT, b int);
CREATE TABLE modern.child (c int NOT NULL) INHERITS (modern.named);
ALTER TABLE modern.named ADD CONSTRAINT b_later NOT NULL b NOT VALID;
COMMENT ON CONSTRAINT id_is_there ON modern.named IS 'a NOT NULL of its own';
CREATE TABLE modern.grown (n int, twice int GENERATED ALWAYS AS (n * 2) VIRTUAL, kept int GENERATED ALWAYS AS (n * 3) STORED);
CREATE TABLE modern.loose (id int PRIMARY KEY, up int, CONSTRAINT never CHECK (up > id) NOT ENFORCED,
    CONSTRAINT nowhere FOREIGN KEY (up) REFERENCES modern.loose NOT ENFORCED);
CREATE TABLE modern.held (bed int, during daterange, CONSTRAINT held_once PRIMARY KEY (bed, during WITHOUT OVERLAPS));
CREATE TABLE modern.visited (bed int, during daterange,
    CONSTRAINT while_held FOREIGN KEY (bed, PERIOD during) REFERENCES modern.held (bed, PERIOD during));
CREATE TABLE modern.alike (a int, b int, UNIQUE NULLS NOT DISTINCT (a));
CREATE UNIQUE INDEX alike_b ON modern.alike (b) NULLS NOT DISTINCT;
CREATE TABLE modern.many_ranges (r int4multirange);
CREATE TABLE modern.numbered (id int GENERATED ALWAYS AS IDENTITY, day date) PARTITION BY RANGE (day);
CREATE TABLE modern.numbered_2024 PARTITION OF modern.numbered FOR VALUES FROM ('2024-01-01') TO ('2025-01-01');
CREATE DOMAIN modern.sure AS int CONSTRAINT always_there NOT NULL;
CREATE UNLOGGED SEQUENCE modern.light;

CREATE TABLE modern.papers (id int PRIMARY KEY, paper text DEFAULT JSON_OBJECT('of': 'JSON_VALUE(' RETURNING text),
    CONSTRAINT proper CHECK (paper IS NOT JSON ARRAY), CONSTRAINT titled CHECK (JSON_VALUE(paper::jsonb, '$.of') <> ''));
CREATE INDEX papers_of ON modern.papers ((JSON_VALUE(paper::jsonb, '$.of')));
CREATE TABLE modern.drawn (id int, of text GENERATED ALWAYS AS (JSON_VALUE('{"of": 1}'::jsonb, '$.of')) STORED);

CREATE TABLE modern.parent (n int, of_it int GENERATED ALWAYS AS (n * 2) STORED);
CREATE TABLE modern.other_expression (of_it int GENERATED ALWAYS AS (n * 3) STORED) INHERITS (modern.parent);
CREATE TABLE modern.changed_expression () INHERITS (modern.parent);
ALTER TABLE modern.changed_expression ALTER COLUMN of_it SET EXPRESSION AS (n * 9);
INSERT INTO modern.changed_expression VALUES (1);

CREATE VIEW modern.asks WITH (security_invoker = true) AS SELECT n FROM modern.grown;
CREATE VIEW modern.from_json AS SELECT t.a FROM JSON_TABLE('[1]'::jsonb, '$[*]' COLUMNS (a int PATH '$')) t;
CREATE VIEW modern.over_json AS SELECT a FROM modern.from_json;
CREATE VIEW modern.says_json AS SELECT 'JSON_TABLE( any_value('::text AS text_only;
CREATE VIEW modern.any_of AS SELECT any_value(n) AS n FROM modern.grown;
CREATE FUNCTION modern.twice(n int) RETURNS int LANGUAGE sql RETURN n * 2;
CREATE FUNCTION modern.at_login() RETURNS event_trigger LANGUAGE plpgsql AS $$ BEGIN END $$;
CREATE EVENT TRIGGER greets ON login EXECUTE FUNCTION modern.at_login();
CREATE COLLATION modern.plain (provider = builtin, locale = 'C.UTF-8');
CREATE STATISTICS modern.sums ON (a + b), a FROM modern.alike;

GRANT SELECT, MAINTAIN ON modern.grown TO modern_taker;
GRANT ALL ON modern.alike TO modern_taker;
ALTER DEFAULT PRIVILEGES GRANT SELECT ON LARGE OBJECTS TO modern_taker;

CREATE TABLE told.of (id int PRIMARY KEY, open boolean, secret text);
CREATE PUBLICATION some_rows FOR TABLE told.of (id, open) WHERE (open) WITH (publish_generated_columns = stored);
CREATE PUBLICATION whole_schema FOR TABLES IN SCHEMA told;

INSERT INTO modern.papers VALUES (1, '{"of": "Quercus"}'), (2, DEFAULT);
INSERT INTO modern.drawn VALUES (1);
INSERT INTO modern.named VALUES (1, 1, 1);
INSERT INTO modern.grown (n) VALUES (4), (NULL);
INSERT INTO modern.loose VALUES (1, 0);
INSERT INTO modern.held VALUES (1, '[2024-01-01,2024-02-01)');
INSERT INTO modern.visited VALUES (1, '[2024-01-05,2024-01-07)');
INSERT INTO modern.alike VALUES (NULL, NULL);
INSERT INTO modern.many_ranges VALUES ('{[1,2),[5,9)}');
INSERT INTO modern.numbered (day) VALUES ('2024-05-05');
