-- Kinds of objects that few databases have. Moved by the tests, and compared by the census.
SET client_min_messages = warning;
CREATE ROLE kinds_owner NOLOGIN;
CREATE ROLE kinds_taker LOGIN CONNECTION LIMIT 3 VALID UNTIL '2031-05-05 12:00:00+00';
CREATE ROLE kinds_group NOLOGIN;
GRANT kinds_group TO kinds_taker WITH ADMIN OPTION;
COMMENT ON ROLE kinds_group IS 'a group';
CREATE SCHEMA kinds;
GRANT ALL ON SCHEMA kinds TO kinds_owner;
CREATE EXTENSION hstore SCHEMA kinds;
CREATE EXTENSION postgres_fdw;
CREATE FUNCTION kinds.bark(text) RETURNS text LANGUAGE sql AS 'SELECT $1';
CREATE PROCEDURE kinds.strip(IN a int, INOUT b int) LANGUAGE sql AS 'SELECT 1';
CREATE AGGREGATE kinds.all_bark(text) (SFUNC = textcat, STYPE = text);
CREATE FUNCTION kinds.touch() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NEW; END';
CREATE TABLE kinds.ring (year int PRIMARY KEY, width int) PARTITION BY RANGE (year);
CREATE TABLE kinds.ring_old PARTITION OF kinds.ring FOR VALUES FROM (0) TO (2000);
CREATE INDEX ring_width ON kinds.ring (width);
CREATE MATERIALIZED VIEW kinds.rings AS SELECT count(*) AS n FROM kinds.ring;
CREATE TRIGGER touch BEFORE INSERT ON kinds.ring FOR EACH ROW EXECUTE FUNCTION kinds.touch();
ALTER FUNCTION kinds.bark DEPENDS ON EXTENSION hstore;
ALTER FUNCTION kinds.bark DEPENDS ON EXTENSION postgres_fdw;
ALTER PROCEDURE kinds.strip DEPENDS ON EXTENSION hstore;
ALTER ROUTINE kinds.all_bark(text) DEPENDS ON EXTENSION hstore;
ALTER INDEX kinds.ring_width DEPENDS ON EXTENSION hstore;
ALTER INDEX kinds.ring_old_pkey DEPENDS ON EXTENSION hstore;
ALTER MATERIALIZED VIEW kinds.rings DEPENDS ON EXTENSION hstore;
ALTER TRIGGER touch ON kinds.ring DEPENDS ON EXTENSION hstore;
ALTER TRIGGER touch ON kinds.ring_old DEPENDS ON EXTENSION postgres_fdw;

-- a base type with all its functions, a shell that was never filled, a range with a canonical function
CREATE TYPE kinds.girth;
CREATE FUNCTION kinds.girth_in(cstring) RETURNS kinds.girth LANGUAGE internal IMMUTABLE STRICT AS 'int4in';
CREATE FUNCTION kinds.girth_out(kinds.girth) RETURNS cstring LANGUAGE internal IMMUTABLE STRICT AS 'int4out';
CREATE FUNCTION kinds.girth_receive(internal) RETURNS kinds.girth LANGUAGE internal IMMUTABLE STRICT AS 'int4recv';
CREATE FUNCTION kinds.girth_send(kinds.girth) RETURNS bytea LANGUAGE internal IMMUTABLE STRICT AS 'int4send';
CREATE TYPE kinds.girth (INPUT = kinds.girth_in, OUTPUT = kinds.girth_out, RECEIVE = kinds.girth_receive, SEND = kinds.girth_send,
    INTERNALLENGTH = 4, PASSEDBYVALUE, ALIGNMENT = int4, CATEGORY = 'g', DEFAULT = '10', DELIMITER = ';');
ALTER TYPE kinds.girth OWNER TO kinds_owner;
COMMENT ON TYPE kinds.girth IS 'a base type';
CREATE TYPE kinds.never_filled;
CREATE TYPE kinds.steps;
CREATE FUNCTION kinds.steps_canonical(kinds.steps) RETURNS kinds.steps LANGUAGE internal IMMUTABLE STRICT AS 'int4range_canonical';
CREATE FUNCTION kinds.step_distance(int, int) RETURNS float8 LANGUAGE sql IMMUTABLE AS $$ SELECT ($1 - $2)::float8 $$;
CREATE TYPE kinds.steps AS RANGE (SUBTYPE = int, CANONICAL = kinds.steps_canonical, SUBTYPE_DIFF = kinds.step_distance);
CREATE DOMAIN kinds.wide_girth AS kinds.girth NOT NULL;

-- operators, families, classes
CREATE FUNCTION kinds.girth_lt(kinds.girth, kinds.girth) RETURNS bool LANGUAGE internal IMMUTABLE STRICT AS 'int4lt';
CREATE FUNCTION kinds.girth_le(kinds.girth, kinds.girth) RETURNS bool LANGUAGE internal IMMUTABLE STRICT AS 'int4le';
CREATE FUNCTION kinds.girth_eq(kinds.girth, kinds.girth) RETURNS bool LANGUAGE internal IMMUTABLE STRICT AS 'int4eq';
CREATE FUNCTION kinds.girth_ne(kinds.girth, kinds.girth) RETURNS bool LANGUAGE internal IMMUTABLE STRICT AS 'int4ne';
CREATE FUNCTION kinds.girth_ge(kinds.girth, kinds.girth) RETURNS bool LANGUAGE internal IMMUTABLE STRICT AS 'int4ge';
CREATE FUNCTION kinds.girth_gt(kinds.girth, kinds.girth) RETURNS bool LANGUAGE internal IMMUTABLE STRICT AS 'int4gt';
CREATE FUNCTION kinds.girth_cmp(kinds.girth, kinds.girth) RETURNS int LANGUAGE internal IMMUTABLE STRICT AS 'btint4cmp';
CREATE FUNCTION kinds.girth_hash(kinds.girth) RETURNS int LANGUAGE internal IMMUTABLE STRICT AS 'hashint4';
CREATE FUNCTION kinds.girth_int_eq(kinds.girth, int) RETURNS bool LANGUAGE internal IMMUTABLE STRICT AS 'int4eq';
CREATE FUNCTION kinds.girth_int_cmp(kinds.girth, int) RETURNS int LANGUAGE internal IMMUTABLE STRICT AS 'btint4cmp';
CREATE FUNCTION kinds.girth_minus(kinds.girth) RETURNS kinds.girth LANGUAGE internal IMMUTABLE STRICT AS 'int4um';
CREATE OPERATOR kinds.< (FUNCTION = kinds.girth_lt, LEFTARG = kinds.girth, RIGHTARG = kinds.girth, COMMUTATOR = OPERATOR(kinds.>),
    NEGATOR = OPERATOR(kinds.>=), RESTRICT = scalarltsel, JOIN = scalarltjoinsel);
CREATE OPERATOR kinds.<= (FUNCTION = kinds.girth_le, LEFTARG = kinds.girth, RIGHTARG = kinds.girth, COMMUTATOR = OPERATOR(kinds.>=),
    NEGATOR = OPERATOR(kinds.>));
CREATE OPERATOR kinds.= (FUNCTION = kinds.girth_eq, LEFTARG = kinds.girth, RIGHTARG = kinds.girth, COMMUTATOR = OPERATOR(kinds.=),
    NEGATOR = OPERATOR(kinds.<>), RESTRICT = eqsel, JOIN = eqjoinsel, HASHES, MERGES);
CREATE OPERATOR kinds.<> (FUNCTION = kinds.girth_ne, LEFTARG = kinds.girth, RIGHTARG = kinds.girth, NEGATOR = OPERATOR(kinds.=));
CREATE OPERATOR kinds.>= (FUNCTION = kinds.girth_ge, LEFTARG = kinds.girth, RIGHTARG = kinds.girth, COMMUTATOR = OPERATOR(kinds.<=),
    NEGATOR = OPERATOR(kinds.<));
CREATE OPERATOR kinds.> (FUNCTION = kinds.girth_gt, LEFTARG = kinds.girth, RIGHTARG = kinds.girth, COMMUTATOR = OPERATOR(kinds.<),
    NEGATOR = OPERATOR(kinds.<=));
CREATE OPERATOR kinds.= (FUNCTION = kinds.girth_int_eq, LEFTARG = kinds.girth, RIGHTARG = int);
CREATE OPERATOR kinds.@- (FUNCTION = kinds.girth_minus, RIGHTARG = kinds.girth);
ALTER OPERATOR kinds.= (kinds.girth, int) OWNER TO kinds_owner;
COMMENT ON OPERATOR kinds.@- (NONE, kinds.girth) IS 'a prefix operator';
CREATE OPERATOR FAMILY kinds.girths USING btree;
CREATE OPERATOR CLASS kinds.girth_order DEFAULT FOR TYPE kinds.girth USING btree FAMILY kinds.girths AS
    OPERATOR 1 kinds.<, OPERATOR 2 kinds.<=, OPERATOR 3 kinds.=, OPERATOR 4 kinds.>=, OPERATOR 5 kinds.>,
    FUNCTION 1 kinds.girth_cmp(kinds.girth, kinds.girth);
ALTER OPERATOR FAMILY kinds.girths USING btree ADD OPERATOR 3 kinds.= (kinds.girth, int),
    FUNCTION 1 (kinds.girth, int) kinds.girth_int_cmp(kinds.girth, int);
CREATE OPERATOR CLASS kinds.girth_hashing DEFAULT FOR TYPE kinds.girth USING hash AS
    OPERATOR 1 kinds.=, FUNCTION 1 kinds.girth_hash(kinds.girth);
CREATE OPERATOR FAMILY kinds.nobody USING gist;
COMMENT ON OPERATOR FAMILY kinds.nobody USING gist IS 'an empty family';
COMMENT ON OPERATOR CLASS kinds.girth_order USING btree IS 'an operator class';
CREATE TYPE kinds.girth_range AS RANGE (SUBTYPE = kinds.girth, SUBTYPE_OPCLASS = kinds.girth_order);
CREATE FUNCTION kinds.wider(kinds.girth, kinds.girth) RETURNS kinds.girth LANGUAGE internal IMMUTABLE STRICT AS 'int4larger';
CREATE AGGREGATE kinds.widest(kinds.girth) (SFUNC = kinds.wider, STYPE = kinds.girth, SORTOP = OPERATOR(kinds.>));

-- casts, conversions, languages, transforms, access methods
CREATE FUNCTION kinds.to_girth(int) RETURNS kinds.girth LANGUAGE internal IMMUTABLE STRICT AS 'int4abs';
CREATE CAST (int AS kinds.girth) WITH FUNCTION kinds.to_girth(int) AS ASSIGNMENT;
CREATE CAST (kinds.girth AS int) WITHOUT FUNCTION AS IMPLICIT;
CREATE CAST (kinds.girth AS text) WITH INOUT;
CREATE CAST (text AS money) WITH INOUT AS ASSIGNMENT;
COMMENT ON CAST (kinds.girth AS int) IS 'a cast';
CREATE CONVERSION kinds.turkish FOR 'LATIN5' TO 'UTF8' FROM iso8859_to_utf8;
COMMENT ON CONVERSION kinds.turkish IS 'a conversion';
CREATE TRUSTED LANGUAGE notes HANDLER plpgsql_call_handler INLINE plpgsql_inline_handler VALIDATOR plpgsql_validator;
COMMENT ON LANGUAGE notes IS 'a language';
REVOKE USAGE ON LANGUAGE notes FROM PUBLIC; GRANT USAGE ON LANGUAGE notes TO kinds_taker;
CREATE FUNCTION kinds.in_notes() RETURNS int LANGUAGE notes AS $$ BEGIN RETURN 3; END $$;
CREATE FUNCTION kinds.from_girth(internal) RETURNS internal LANGUAGE internal IMMUTABLE AS 'textlike_support';
CREATE TRANSFORM FOR kinds.girth LANGUAGE notes (FROM SQL WITH FUNCTION kinds.from_girth(internal));
COMMENT ON TRANSFORM FOR kinds.girth LANGUAGE notes IS 'a transform';
CREATE ACCESS METHOD heap_two TYPE TABLE HANDLER heap_tableam_handler;
CREATE ACCESS METHOD tree_two TYPE INDEX HANDLER bthandler;
COMMENT ON ACCESS METHOD heap_two IS 'an access method';
CREATE TABLE kinds.in_heap_two (id int, wide kinds.girth) USING heap_two;
INSERT INTO kinds.in_heap_two VALUES (1, 20), (2, 5);
CREATE INDEX by_girth ON kinds.in_heap_two (wide);
CREATE INDEX by_girth_hash ON kinds.in_heap_two USING hash (wide);

-- text search
CREATE TEXT SEARCH PARSER kinds.words (START = prsd_start, GETTOKEN = prsd_nexttoken, END = prsd_end, LEXTYPES = prsd_lextype, HEADLINE = prsd_headline);
CREATE TEXT SEARCH TEMPLATE kinds.plain (INIT = dsimple_init, LEXIZE = dsimple_lexize);
CREATE TEXT SEARCH DICTIONARY kinds.latin (TEMPLATE = kinds.plain, STOPWORDS = 'english', ACCEPT = 'false');
CREATE TEXT SEARCH CONFIGURATION kinds.labels (PARSER = kinds.words);
ALTER TEXT SEARCH CONFIGURATION kinds.labels ADD MAPPING FOR asciiword, word WITH kinds.latin, english_stem;
ALTER TEXT SEARCH DICTIONARY kinds.latin OWNER TO kinds_owner;
COMMENT ON TEXT SEARCH PARSER kinds.words IS 'a parser'; COMMENT ON TEXT SEARCH TEMPLATE kinds.plain IS 'a template';
COMMENT ON TEXT SEARCH DICTIONARY kinds.latin IS 'a dictionary'; COMMENT ON TEXT SEARCH CONFIGURATION kinds.labels IS 'a configuration';
CREATE TABLE kinds.searched (body text, terms tsvector GENERATED ALWAYS AS (to_tsvector('kinds.labels', body)) STORED);
INSERT INTO kinds.searched VALUES ('the quick oak');
CREATE INDEX ON kinds.searched USING gin (to_tsvector('kinds.labels', body));

-- foreign data
CREATE FOREIGN DATA WRAPPER nothing OPTIONS (debug 'it''s');
CREATE SERVER sister TYPE 'garden' VERSION '1.2' FOREIGN DATA WRAPPER postgres_fdw OPTIONS (host '/nowhere', dbname 'sister');
ALTER SERVER sister OWNER TO kinds_owner;
GRANT USAGE ON FOREIGN SERVER sister TO kinds_taker WITH GRANT OPTION;
GRANT USAGE ON FOREIGN DATA WRAPPER nothing TO kinds_taker;
CREATE USER MAPPING FOR kinds_taker SERVER sister OPTIONS (user 'visitor', password 'never-to-be-seen');
CREATE USER MAPPING FOR PUBLIC SERVER sister OPTIONS (user 'anybody');
CREATE FOREIGN TABLE kinds.remote (id int OPTIONS (column_name 'ID') NOT NULL, note text COLLATE "C" DEFAULT 'x', CHECK (id > 0))
    SERVER sister OPTIONS (table_name 'r', schema_name 's');
COMMENT ON FOREIGN TABLE kinds.remote IS 'a foreign table'; COMMENT ON COLUMN kinds.remote.note IS 'its column';
COMMENT ON SERVER sister IS 'a server'; COMMENT ON FOREIGN DATA WRAPPER nothing IS 'a wrapper';
GRANT SELECT ON kinds.remote TO kinds_taker;
CREATE FUNCTION kinds.guard() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RETURN NEW; END $$;
CREATE TRIGGER guard BEFORE INSERT ON kinds.remote FOR EACH ROW EXECUTE FUNCTION kinds.guard();
CREATE TABLE kinds.split (id int, day date) PARTITION BY RANGE (id);
CREATE TABLE kinds.split_near PARTITION OF kinds.split FOR VALUES FROM (0) TO (100);
CREATE FOREIGN TABLE kinds.split_far PARTITION OF kinds.split FOR VALUES FROM (100) TO (200) SERVER sister;
INSERT INTO kinds.split VALUES (5, '2020-01-01');
CREATE VIEW kinds.over_remote AS SELECT r.id, s.day FROM kinds.remote r JOIN kinds.split s USING (id);

-- publications, subscriptions
CREATE TABLE kinds.published (id int PRIMARY KEY, secret text, open boolean);
CREATE PUBLICATION everything FOR ALL TABLES WITH (publish = 'insert, delete');
CREATE PUBLICATION through_root WITH (publish_via_partition_root);
ALTER PUBLICATION through_root ADD TABLE kinds.split;
ALTER PUBLICATION through_root OWNER TO kinds_owner;
COMMENT ON PUBLICATION everything IS 'a publication';
CREATE SUBSCRIPTION hears CONNECTION 'host=/nowhere dbname=x password=''never-to-be-seen'' user=y' PUBLICATION a, "B c"
    WITH (connect = false, slot_name = 'hears_slot', synchronous_commit = 'local');
COMMENT ON SUBSCRIPTION hears IS 'a subscription';

-- rights on what is not ours, statistics on a materialized view
GRANT EXECUTE ON FUNCTION pg_catalog.pg_ls_dir(text) TO kinds_taker;
REVOKE EXECUTE ON FUNCTION pg_catalog.pg_sleep(double precision) FROM PUBLIC;
GRANT SELECT (rolname) ON pg_catalog.pg_authid TO kinds_taker;
REVOKE EXECUTE ON FUNCTION kinds.akeys(kinds.hstore) FROM PUBLIC;
GRANT USAGE ON SCHEMA information_schema TO kinds_taker WITH GRANT OPTION;
CREATE MATERIALIZED VIEW kinds.seen AS SELECT 1 AS a, 2 AS b;
CREATE STATISTICS kinds.seen_pairs (dependencies) ON a, b FROM kinds.seen;

-- views and functions that use each other
CREATE VIEW kinds.left_view AS SELECT 1 AS n;
CREATE FUNCTION kinds.count_left() RETURNS bigint LANGUAGE sql AS $$ SELECT count(*) FROM kinds.left_view $$;
CREATE VIEW kinds.right_view AS SELECT n, kinds.count_left() AS c FROM kinds.left_view;
CREATE OR REPLACE VIEW kinds.left_view AS SELECT 1 AS n WHERE EXISTS (SELECT FROM kinds.right_view);
CREATE FUNCTION kinds.of_table(kinds.published) RETURNS boolean LANGUAGE sql AS $$ SELECT $1.open $$;
ALTER TABLE kinds.published ADD CHECK (kinds.of_table(published));
INSERT INTO kinds.published VALUES (1, 'x', true);

-- large objects
SELECT lo_from_bytea(424200, '\x00010203') \g /dev/null
SELECT lo_from_bytea(424201, decode(repeat('abcdef0123', 30000), 'hex')) \g /dev/null
SELECT lo_create(990001) \g /dev/null
SELECT lo_put(990001, 100000, '\xff') \g /dev/null
SELECT lo_create(990002) \g /dev/null
ALTER LARGE OBJECT 424200 OWNER TO kinds_owner; GRANT SELECT ON LARGE OBJECT 424200 TO kinds_taker;
COMMENT ON LARGE OBJECT 424201 IS 'a drawing';
