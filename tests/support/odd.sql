-- Ordinary objects in their less ordinary forms. Moved by the tests, and compared by the census.
SET client_min_messages = warning;
CREATE EXTENSION IF NOT EXISTS btree_gist;
CREATE SCHEMA "Ünï cödé ";
CREATE SCHEMA side;
CREATE ROLE odd_owner NOLOGIN;
CREATE ROLE odd_giver NOLOGIN;
CREATE ROLE odd_taker NOLOGIN;
GRANT CREATE, USAGE ON SCHEMA side TO odd_owner;
GRANT USAGE ON SCHEMA side TO odd_giver, odd_taker;

-- types upon types
CREATE TYPE side.size AS ENUM ('small', 'it''s', '');
CREATE DOMAIN side.positive AS integer CHECK (VALUE > 0) CHECK (VALUE < 1000000);
CREATE DOMAIN side.small_positive AS side.positive DEFAULT 7 CONSTRAINT small CHECK (VALUE < 100);
CREATE TYPE side.part AS (n side.small_positive, sizes side.size[], label text COLLATE "C");
CREATE TYPE side.whole AS (parts side.part[], at timestamptz(3));
CREATE DOMAIN side.parts AS side.part[];
CREATE TYPE side.float_range AS RANGE (subtype = float8, subtype_diff = float8mi, multirange_type_name = side.many_floats);
COMMENT ON COLUMN side.part.label IS 'of a composite type';
COMMENT ON CONSTRAINT small ON DOMAIN side.small_positive IS 'of a domain';
COMMENT ON DOMAIN side.positive IS 'a domain';
CREATE COLLATION side.loose (provider = icu, locale = 'und-u-ks-level2', deterministic = false);

-- functions in many forms
CREATE FUNCTION side.f_default(a int DEFAULT length('abc'), VARIADIC rest text[] DEFAULT '{}') RETURNS int
    LANGUAGE sql IMMUTABLE PARALLEL SAFE COST 7 AS $$ SELECT a + cardinality(rest) $$;
CREATE FUNCTION side.f_table(OUT a int, OUT b text) RETURNS SETOF record LANGUAGE sql ROWS 12 AS $$ SELECT 1, 'x' $$;
CREATE FUNCTION side.f_returns(n int) RETURNS TABLE (x int, y text) LANGUAGE plpgsql STRICT SET work_mem = '1MB' AS
    $$ BEGIN RETURN QUERY SELECT n, '$inner$'::text; END $$;
CREATE FUNCTION side.f_poly(a anyelement, b anyarray) RETURNS anyelement LANGUAGE sql AS $$ SELECT a $$;
CREATE FUNCTION side.f_atomic(n int) RETURNS int LANGUAGE sql BEGIN ATOMIC SELECT n + side.f_default(n); END;
CREATE FUNCTION side.f_trigger() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RETURN NEW; END $$;
CREATE FUNCTION side.f_event() RETURNS event_trigger LANGUAGE plpgsql AS $$ BEGIN PERFORM 1; END $$;
CREATE FUNCTION side."f ""quoted"""("arg name" text) RETURNS text LANGUAGE sql LEAKPROOF SECURITY DEFINER
    AS $$ SELECT "arg name" -- with a comment
$$;
CREATE FUNCTION side.late(n int) RETURNS boolean LANGUAGE plpgsql IMMUTABLE AS
    $$ BEGIN RETURN EXISTS (SELECT FROM side.allowed a WHERE a.n = late.n); END $$;
CREATE PROCEDURE side.told(OUT a int, IN b int) LANGUAGE sql AS 'SELECT b';
CREATE PROCEDURE side.told(IN a int, IN b int) LANGUAGE sql AS 'SELECT b';
CREATE PROCEDURE side.told(INOUT a text, VARIADIC b int[]) LANGUAGE sql AS 'SELECT a';
CREATE PROCEDURE side.told() LANGUAGE sql AS 'SELECT 1';
COMMENT ON PROCEDURE side.told(OUT int, int) IS 'gives its argument back';
REVOKE EXECUTE ON PROCEDURE side.told(OUT int, int) FROM PUBLIC;
CREATE UNLOGGED TABLE side.noted (id int GENERATED ALWAYS AS IDENTITY, n int GENERATED ALWAYS AS IDENTITY);
ALTER SEQUENCE side.noted_n_seq SET LOGGED;
CREATE PROCEDURE side.p(INOUT n int) LANGUAGE plpgsql SECURITY DEFINER AS $$ BEGIN n := n + 1; END $$;
CREATE AGGREGATE side.total(int) (SFUNC = int4pl, STYPE = int, INITCOND = '0', COMBINEFUNC = int4pl, PARALLEL = SAFE);
CREATE AGGREGATE side.longest(ORDER BY text) (SFUNC = textcat, STYPE = text);
COMMENT ON AGGREGATE side.total(int) IS 'an aggregate';
COMMENT ON PROCEDURE side.p(int) IS 'a procedure';

CREATE FUNCTION side.doubled(int) RETURNS int LANGUAGE sql IMMUTABLE AS $$ SELECT $1 * 2 $$;
CREATE DOMAIN side.doubled_small AS int CHECK (side.doubled(VALUE) < 1000);
CREATE DOMAIN side.later AS side.doubled_small;
CREATE DOMAIN side.grid AS int[][];
CREATE AGGREGATE side.moving(int) (SFUNC = int4pl, STYPE = int, INITCOND = '0', MSFUNC = int4pl, MINVFUNC = int4mi, MSTYPE = int,
    MINITCOND = '0', FINALFUNC_MODIFY = READ_WRITE);
-- tables
CREATE TABLE side.nested (n side.doubled_small, many side.doubled_small[], cube int[][][]);
CREATE TABLE side.allowed (n int PRIMARY KEY);
CREATE TABLE side.checked (n int CONSTRAINT asks CHECK (side.late(n)), m int CHECK (m > 0) NO INHERIT, k int);
CREATE TABLE "Ünï cödé "."select" ("from" side.whole, "where " side.parts, "größe" side.size DEFAULT 'it''s',
    "tab	here" text COLLATE side.loose, plain side.small_positive);
CREATE TABLE side.parent (a int NOT NULL, b text DEFAULT 'p', CHECK (a > 0));
CREATE TABLE side.other_parent (z int, CHECK (z < 9));
CREATE TABLE side.child (c int, CHECK (c > a)) INHERITS (side.parent);
CREATE TABLE side.both (b text DEFAULT 'own') INHERITS (side.parent, side.other_parent);
CREATE TABLE side.adopted (x int, z int, CHECK (z < 9));
ALTER TABLE side.adopted ADD CONSTRAINT other_parent_z_check CHECK (z < 9);
ALTER TABLE side.adopted INHERIT side.other_parent;
CREATE TABLE side.grandchild (d int) INHERITS (side.child);
-- words that some versions quote
CREATE TABLE side."json" ("json" json, "system_user" int PRIMARY KEY, "json_scalar" int, "merge_action" text, "user" int);
CREATE INDEX ON side."json" ("json_scalar", "merge_action");
CREATE FUNCTION side."json_exists"(json, "json_value" int) RETURNS int LANGUAGE sql AS 'SELECT $2';
CREATE VIEW side.words AS SELECT side."json_exists"(j."json", j."user") AS "json_query", "system_user", '"json"'::json AS json_text
    FROM side."json" j;
GRANT SELECT ("system_user") ON side."json" TO PUBLIC;
INSERT INTO side."json" VALUES ('{}', 1, 2, '3', 4);
-- foreign keys of partitions that had one before
CREATE TABLE side.leaves (id int, up int, n int) PARTITION BY RANGE (n);
CREATE TABLE side.half (id int, up int CONSTRAINT "its own" REFERENCES side."json", n int);
ALTER TABLE side.leaves ADD FOREIGN KEY (up) REFERENCES side."json";
ALTER TABLE side.leaves ATTACH PARTITION side.half FOR VALUES FROM (0) TO (10);
CREATE TABLE side.rest PARTITION OF side.leaves FOR VALUES FROM (10) TO (20) PARTITION BY RANGE (n);
CREATE TABLE side.quarter PARTITION OF side.rest FOR VALUES FROM (10) TO (15);
INSERT INTO side.leaves VALUES (1, 1, 1), (2, 1, 12);
-- columns that a parent got after its child had some of its own
CREATE TABLE side.late_parent (id int NOT NULL, "so me" text COLLATE "C");
CREATE TABLE side.other_late (x int);
CREATE TABLE side.early_child (k int) INHERITS (side.late_parent);
CREATE TABLE side.two_parents (z int, later int) INHERITS (side.late_parent, side.other_late);
ALTER TABLE side.late_parent ADD COLUMN later int NOT NULL DEFAULT 4;
ALTER TABLE side.early_child ADD COLUMN own text;
ALTER TABLE side.late_parent ADD COLUMN twice int GENERATED ALWAYS AS (id * 2) STORED;
ALTER TABLE side.other_late ADD COLUMN y int CHECK (y > 0);
ALTER TABLE side.late_parent ADD CONSTRAINT positive CHECK (id > 0);
CREATE TABLE side.grown_child (g int) INHERITS (side.early_child);
ALTER TABLE side.late_parent ADD COLUMN gone text, ADD COLUMN last text;
ALTER TABLE side.late_parent DROP COLUMN gone;
INSERT INTO side.early_child (id, k, own) VALUES (1, 2, 'x');
INSERT INTO side.grown_child (id, g) VALUES (3, 4);
INSERT INTO side.two_parents (id, z, x, y, later) VALUES (5, 6, 7, 8, 9);
CREATE TYPE side.row_type AS (id int, label text);
CREATE TABLE side.typed OF side.row_type (id WITH OPTIONS PRIMARY KEY, label DEFAULT 'none');
CREATE TABLE side.self (id int PRIMARY KEY, up int REFERENCES side.self ON DELETE CASCADE, UNIQUE (id, up));
CREATE TABLE side.composite_key (id int, up int, FOREIGN KEY (id, up) REFERENCES side.self (id, up) MATCH FULL DEFERRABLE);
CREATE TABLE side.by_index (code text); CREATE UNIQUE INDEX by_index_code ON side.by_index (code);
CREATE TABLE side.refers_to_index (code text);
ALTER TABLE side.refers_to_index ADD FOREIGN KEY (code) REFERENCES side.by_index (code) NOT VALID;
CREATE TABLE side.generated (a int, b int GENERATED ALWAYS AS (a * 2) STORED, c int DEFAULT 4,
    d text GENERATED ALWAYS AS (upper('x' || a)) STORED);
CREATE TABLE side.dropped (a int, b int, c text); ALTER TABLE side.dropped DROP COLUMN b;
CREATE TABLE side.stored (t text, u text) WITH (fillfactor = 60, autovacuum_enabled = false, toast.autovacuum_enabled = false);
ALTER TABLE side.stored ALTER t SET COMPRESSION pglz, ALTER u SET (n_distinct = -0.5), ALTER u SET STATISTICS 77;
CREATE SEQUENCE side.down AS smallint INCREMENT -3 MINVALUE -300 MAXVALUE -1 START -10;
SELECT nextval('side.down') \g /dev/null
SELECT setval('side.down', -100, false) \g /dev/null
CREATE TABLE side.uses_seq (id int DEFAULT nextval('side.down'), big bigserial, sm smallserial);
CREATE TABLE side.ids (id bigint GENERATED BY DEFAULT AS IDENTITY (SEQUENCE NAME side.my_own_name INCREMENT 10 CACHE 3));
INSERT INTO side.ids DEFAULT VALUES;
CREATE TABLE side.exclusive (during tsrange, room int, EXCLUDE USING gist (during WITH &&) WHERE (room > 0),
    CONSTRAINT u UNIQUE NULLS NOT DISTINCT (room) INCLUDE (during) WITH (fillfactor = 70) DEFERRABLE);
COMMENT ON INDEX side.u IS 'the index behind a key'; COMMENT ON CONSTRAINT u ON side.exclusive IS 'the key itself';
COMMENT ON SEQUENCE side.my_own_name IS 'of an identity column';

-- partitions of partitions, keys that refer to them
CREATE TABLE side.top (id int, region text, day date, n int, PRIMARY KEY (id, region, day), CHECK (n > 0)) PARTITION BY LIST (region);
CREATE TABLE side.north PARTITION OF side.top FOR VALUES IN ('n', NULL) PARTITION BY RANGE (day);
CREATE TABLE side.north_1 PARTITION OF side.north FOR VALUES FROM (MINVALUE) TO ('2020-01-01');
CREATE TABLE side.north_2 (day date NOT NULL, n int DEFAULT 5, id int NOT NULL, region text NOT NULL, CHECK (n > 0));
ALTER TABLE side.north_2 RENAME CONSTRAINT north_2_n_check TO top_n_check;
ALTER TABLE side.north ATTACH PARTITION side.north_2 FOR VALUES FROM ('2020-01-01') TO ('2030-01-01');
CREATE TABLE side.south PARTITION OF side.top DEFAULT PARTITION BY HASH (id);
CREATE TABLE side.south_0 PARTITION OF side.south FOR VALUES WITH (MODULUS 2, REMAINDER 0);
CREATE TABLE side.south_1 PARTITION OF side.south FOR VALUES WITH (MODULUS 2, REMAINDER 1);
CREATE INDEX top_n ON side.top (n DESC) WHERE n > 3;
CREATE INDEX only_north ON side.north_1 (day);
CREATE TABLE side.points_at_top (id int, region text, day date, FOREIGN KEY (id, region, day) REFERENCES side.top);
CREATE TABLE side.parted_points (id int, region text, day date, FOREIGN KEY (id, region, day) REFERENCES side.top) PARTITION BY RANGE (id);
CREATE TABLE side.parted_points_1 PARTITION OF side.parted_points FOR VALUES FROM (1) TO (10);
CREATE TRIGGER watch AFTER INSERT ON side.top FOR EACH ROW EXECUTE FUNCTION side.f_trigger('an', 'ar''gument');
ALTER TABLE side.north_1 DISABLE TRIGGER watch; ALTER TABLE side.south_0 ENABLE ALWAYS TRIGGER watch;
CREATE TABLE side.listed (v varchar(9) CHECK (v IN ('a', 'b')), CHECK (v NOT IN ('q', 'r')));
CREATE VIEW side.of_listed AS SELECT v FROM side.listed WHERE v IN ('a', 'b');

-- indexes, statistics
CREATE INDEX ON side.stored USING hash (t);
CREATE INDEX ON side.stored (lower(t) COLLATE "C" text_pattern_ops DESC NULLS LAST, (u || 'x'));
CREATE INDEX ON side.generated USING brin (a) WITH (pages_per_range = 4);
CREATE INDEX calls ON side.allowed (side.f_default(n));
CREATE STATISTICS side.expr (mcv) ON (a + c), b FROM side.generated;
ALTER STATISTICS side.expr SET STATISTICS 55;
COMMENT ON STATISTICS side.expr IS 'on an expression';
ALTER TABLE side.self CLUSTER ON self_pkey;
ALTER TABLE side.self REPLICA IDENTITY USING INDEX self_pkey;
ALTER TABLE side.stored REPLICA IDENTITY NOTHING;

-- views
CREATE VIEW side.v_names ("a b", "C") AS SELECT a, b FROM side.parent;
CREATE VIEW side.v_key AS SELECT s.*, count(c.up) FROM side.self s LEFT JOIN side.composite_key c ON c.id = s.id GROUP BY s.id;
CREATE RECURSIVE VIEW side.v_recursive (n) AS VALUES (1) UNION ALL SELECT n + 1 FROM v_recursive WHERE n < 5;
CREATE VIEW side.v_update WITH (check_option = cascaded, security_invoker = true) AS SELECT id, label FROM side.typed WHERE id > 0;
ALTER VIEW side.v_update ALTER label SET DEFAULT 'from the view';
CREATE VIEW side.v_function AS SELECT f.x, f.y FROM side.f_returns(3) f;
CREATE FUNCTION side.of_view(v side.v_names) RETURNS int LANGUAGE sql AS $$ SELECT 1 $$;
CREATE VIEW side.v_of_view AS SELECT side.of_view(v.*) AS n FROM side.v_names v;
CREATE RULE ins AS ON INSERT TO side.v_names DO INSTEAD INSERT INTO side.parent VALUES (NEW."a b", NEW."C");
CREATE RULE note AS ON UPDATE TO side.parent DO ALSO NOTIFY parents;
ALTER TABLE side.parent DISABLE RULE note;
COMMENT ON COLUMN side.v_names."a b" IS 'of a view'; COMMENT ON RULE ins ON side.v_names IS 'a rule';
CREATE VIEW side.v_names_of_all AS SELECT a FROM side.parent; GRANT SELECT ON side.v_names_of_all TO odd_owner;
CREATE MATERIALIZED VIEW side.m WITH (fillfactor = 50) AS SELECT DISTINCT a FROM side.parent;
CREATE UNIQUE INDEX m_a ON side.m (a);
CREATE VIEW side.over_m AS SELECT a FROM side.m;
CREATE MATERIALIZED VIEW side.a_first AS SELECT a FROM side.over_m;

CREATE MATERIALIZED VIEW side.his AS SELECT a FROM side.v_names_of_all; ALTER MATERIALIZED VIEW side.his OWNER TO odd_owner;
-- triggers
CREATE TRIGGER t_when BEFORE INSERT OR UPDATE OF a ON side.parent FOR EACH ROW WHEN (NEW.a > 3) EXECUTE FUNCTION side.f_trigger();
CREATE CONSTRAINT TRIGGER t_constraint AFTER DELETE ON side.self FROM side.allowed DEFERRABLE INITIALLY DEFERRED
    FOR EACH ROW EXECUTE FUNCTION side.f_trigger();
CREATE TRIGGER t_statement AFTER UPDATE ON side.self REFERENCING OLD TABLE AS old_rows NEW TABLE AS new_rows
    FOR EACH STATEMENT EXECUTE FUNCTION side.f_trigger();
CREATE TRIGGER t_instead INSTEAD OF DELETE ON side.v_key FOR EACH ROW EXECUTE FUNCTION side.f_trigger();
ALTER TABLE side.parent ENABLE ALWAYS TRIGGER t_when; ALTER TABLE side.self ENABLE REPLICA TRIGGER t_statement;
CREATE EVENT TRIGGER e ON ddl_command_end WHEN TAG IN ('CREATE TABLE', 'DROP TABLE') EXECUTE FUNCTION side.f_event();
COMMENT ON EVENT TRIGGER e IS 'an event trigger';

-- policies, rights
ALTER TABLE side.self ENABLE ROW LEVEL SECURITY; ALTER TABLE side.self FORCE ROW LEVEL SECURITY;
CREATE POLICY p ON side.self AS RESTRICTIVE FOR UPDATE TO odd_taker, odd_owner USING (id IN (SELECT n FROM side.allowed)) WITH CHECK (up > 0);
ALTER TABLE side.stored OWNER TO odd_owner; ALTER FUNCTION side.f_default(int, text[]) OWNER TO odd_owner;
ALTER TYPE side.size OWNER TO odd_owner; ALTER SEQUENCE side.down OWNER TO odd_owner; ALTER VIEW side.v_names OWNER TO odd_owner;
GRANT SELECT, UPDATE ON side.allowed TO odd_giver WITH GRANT OPTION;
SET ROLE odd_giver; GRANT SELECT ON side.allowed TO odd_taker; RESET ROLE;
GRANT SELECT (a), UPDATE (b) ON side.parent TO odd_taker; GRANT REFERENCES (a) ON side.parent TO PUBLIC;
REVOKE ALL ON side.stored FROM odd_owner; REVOKE ALL ON FUNCTION side.f_default(int, text[]) FROM PUBLIC, odd_owner;
GRANT SELECT ON side.my_own_name TO odd_taker;
GRANT EXECUTE ON FUNCTION side.total(int) TO odd_taker; REVOKE ALL ON SCHEMA public FROM PUBLIC; GRANT CREATE ON SCHEMA public TO odd_taker;
COMMENT ON SCHEMA public IS NULL;
ALTER DEFAULT PRIVILEGES REVOKE ALL ON TABLES FROM postgres;
ALTER DEFAULT PRIVILEGES IN SCHEMA side GRANT USAGE ON TYPES TO odd_taker WITH GRANT OPTION;

-- rows
INSERT INTO side.allowed VALUES (1), (2);
INSERT INTO side.checked VALUES (1, 1, NULL), (2, 5, 6), (1, 1, 5);
-- rows that came before what forbids them
ALTER TABLE side.checked ADD CONSTRAINT later CHECK (k <> 5) NOT VALID;
CREATE TABLE side.lately (v side.later);
INSERT INTO side.lately VALUES (13), (14);
ALTER DOMAIN side.later ADD CONSTRAINT lately CHECK (VALUE <> 13) NOT VALID;
INSERT INTO side.self VALUES (1, NULL), (2, 1), (3, 2);
INSERT INTO side.composite_key VALUES (2, 1);
INSERT INTO side.parent VALUES (1, E'tab\t, nl\n, cr\r, bs\\, \\N'), (2, '\N'), (3, ''), (4, NULL);
INSERT INTO side.child VALUES (1, 'c', 9); INSERT INTO side.both (a, z) VALUES (5, 5);
INSERT INTO side.generated (a) SELECT generate_series(1, 100);
INSERT INTO side.dropped VALUES (1, 'one');
INSERT INTO side.typed VALUES (1); INSERT INTO side.by_index VALUES ('x'), (NULL); INSERT INTO side.refers_to_index VALUES ('x');
INSERT INTO side.top VALUES (1, 'n', '2019-05-05', 4), (2, 'n', '2021-05-05', 5), (3, 's', '2021-05-05', 6), (4, 's', '2000-01-01', 7);
INSERT INTO side.points_at_top SELECT id, region, day FROM side.top; INSERT INTO side.parted_points SELECT id, region, day FROM side.top;
INSERT INTO "Ünï cödé "."select" VALUES (ROW(ARRAY[ROW(5, '{small,""}', E'a"b\\c,d')::side.part, NULL], '2020-02-02 02:02:02.1234+02'),
    ARRAY[ROW(9, NULL, '{}')::side.part], 'small', 'Straße', 42);
INSERT INTO side.exclusive VALUES ('[2020-01-01,2020-02-01)', 1), ('empty', NULL);
CREATE TABLE side.types AS SELECT 1.10::numeric AS n1, 'NaN'::numeric AS n2, 1e131071::numeric AS n3, '-Infinity'::float4 AS f, 1e-45::float4 AS f2,
    0.1::float8 + 0.2 AS f3, '12:00:00.5+05:30'::timetz AS tz, 'infinity'::date AS d, '4713-01-01 BC'::date AS bc, '1 year -2 mons 3.5 secs'::interval AS i,
    '\x00ff0a0d09'::bytea AS b, B'0101'::bit varying AS bv, '08:00:2b:01:02:03'::macaddr AS mac, '::1/128'::inet AS ip, '(1,2),(3,4)'::box AS box,
    '{{1,2},{3,NULL}}'::int[] AS arr, '[5:6]={7,8}'::int[] AS arr2, '{}'::text[] AS arr3, 'a b:1A c'::tsvector AS tv, 'a & !b'::tsquery AS tq,
    '{"a": [1, 2.50, "\u00e9"]}'::jsonb AS j, '{"k" :  1}'::json AS js, '<a b="c"/>'::xml AS x, '12.34'::money AS m, 'pg_class'::regclass AS rc,
    '{[1,2),[5,6)}'::int4multirange AS mr, '123'::char(5) AS c, 'x'::"char" AS ch, '16/B374D848'::pg_lsn AS lsn, '10:20:10,14'::pg_snapshot AS snap;
REFRESH MATERIALIZED VIEW side.m; REFRESH MATERIALIZED VIEW side.a_first; REFRESH MATERIALIZED VIEW side.his;
