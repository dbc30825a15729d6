/* SPDX-License-Identifier: Apache-2.0 */
/* A copy is brought up to date by comparing, whatever has happened to the source and to the copy meanwhile */
#include "support/check.h"
#include "support/servers.h"

typedef struct {
    const char *from, *to; /* servers */
    const char *tables;
    const char *changes[24]; /* of the source, each brought over by one pass; ended by NULL */
    const char *drift[12];   /* of the copy, likewise */
} Engine;

static const Engine postgres = {
    "old",
    "new",
    "CREATE TABLE plot (n int PRIMARY KEY, name text UNIQUE, sun float4, size float8 DEFAULT random());"
    " INSERT INTO plot (n, name, sun) SELECT i, 'plot ' || i, i / 3.0 FROM generate_series(1, 3000) i;"
    " CREATE TABLE tree (id int GENERATED ALWAYS AS IDENTITY PRIMARY KEY, plot int NOT NULL REFERENCES plot ON DELETE"
    " CASCADE, parent int REFERENCES tree ON DELETE SET NULL, height numeric(8,2), twice numeric GENERATED ALWAYS AS"
    " (height * 2) STORED, CHECK (height >= 0));"
    " INSERT INTO tree (plot, parent, height) SELECT 1 + i % 3000, nullif(i / 2, 0), i % 40 FROM generate_series(1,"
    " 4000) i;"
    " CREATE TABLE label (t text, n int); INSERT INTO label SELECT 'x', i % 5 FROM generate_series(1, 50) i;"
    " CREATE TABLE reading (station text, taken date, v int, PRIMARY KEY (station, taken)) PARTITION BY RANGE (taken);"
    " CREATE TABLE reading_1 PARTITION OF reading FOR VALUES FROM ('2020-01-01') TO ('2021-01-01');"
    " CREATE TABLE reading_2 PARTITION OF reading FOR VALUES FROM ('2021-01-01') TO ('2022-01-01');"
    " INSERT INTO reading SELECT 's' || i % 4, date '2020-01-01' + i, i FROM generate_series(1, 700) i;"
    " CREATE TABLE slot (room int, during int4range, EXCLUDE USING gist (during WITH &&)); INSERT INTO slot SELECT i,"
    " int4range(i * 10, i * 10 + 10) FROM generate_series(1, 40) i;"
    " CREATE TABLE opt (a int, b int, UNIQUE (a, b)); INSERT INTO opt VALUES (1, NULL), (1, NULL), (2, 3);"
    " CREATE TABLE big (k text PRIMARY KEY, v text); INSERT INTO big VALUES ('a', repeat('x', 3000000)), ('B', 'b'),"
    " ('ä', E'\\t\\n\\\\'), ('', NULL), ('it''s', 'quoted');"
    " CREATE MATERIALIZED VIEW sums AS SELECT plot, sum(height) AS total FROM tree GROUP BY plot;"
    " CREATE MATERIALIZED VIEW tops AS SELECT max(total) AS top FROM sums; CREATE SEQUENCE numbers;"
    " SELECT nextval('numbers');"
    " CREATE FUNCTION grow() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN NEW.height := NEW.height + 1; RETURN NEW; END';"
    " CREATE TRIGGER grows BEFORE INSERT OR UPDATE ON tree FOR EACH ROW EXECUTE FUNCTION grow();"
    " CREATE RULE never AS ON DELETE TO label DO INSTEAD NOTHING",
    {"UPDATE plot SET name = 'swap' WHERE n = 1; UPDATE plot SET name = 'plot 1' WHERE n = 2; UPDATE plot SET name ="
     " 'plot 2' WHERE n = 1",
     "UPDATE plot SET n = n + 100000 WHERE n > 2990 AND n NOT IN (SELECT plot FROM tree)",
     "DELETE FROM plot WHERE n BETWEEN 5 AND 9", "UPDATE tree SET parent = id + 1 WHERE id BETWEEN 100 AND 110",
     "INSERT INTO tree (plot, parent, height) SELECT 20, 50, 3 FROM generate_series(1, 10)",
     "INSERT INTO label SELECT 'x', 3 FROM generate_series(1, 3); UPDATE label SET t = NULL WHERE n = 1",
     "UPDATE reading SET taken = taken + 366 WHERE station = 's1' AND taken < '2020-03-01'",
     "UPDATE slot SET during = int4range(lower(during) + 1000, upper(during) + 1000) WHERE room < 5; INSERT INTO slot"
     " VALUES (99, '[10,20)')",
     "DELETE FROM opt WHERE ctid = (SELECT min(ctid) FROM opt WHERE a = 1); INSERT INTO opt VALUES (NULL, NULL)",
     "UPDATE big SET v = repeat('y', 4000000) WHERE k = 'a'; UPDATE big SET k = 'b' WHERE k = 'B'; UPDATE big SET v = "
     "'z'"
     " WHERE k IN ('', 'ä', 'it''s')",
     "UPDATE plot SET sun = sun * 1.1, size = -size WHERE n % 400 = 0", "TRUNCATE label",
     "SELECT nextval('numbers') FROM generate_series(1, 7); ALTER TABLE tree DISABLE TRIGGER grows; UPDATE tree SET"
     " height = height + 0.5 WHERE id < 4; ALTER TABLE tree ENABLE TRIGGER grows",
     "CREATE TABLE later (n int PRIMARY KEY, plot int REFERENCES plot); INSERT INTO plot (n, name) VALUES (7777, 'l');"
     " INSERT INTO later VALUES (1, 7777), (2, NULL); CREATE VIEW latest AS SELECT max(n) FROM later; CREATE INDEX ON"
     " later (plot)",
     "DELETE FROM tree; INSERT INTO tree (plot, height) SELECT 1 + i % 4, i % 9 FROM generate_series(1, 2000) i",
     "DELETE FROM plot WHERE n > 1500 AND n < 7000; INSERT INTO plot (n, name) SELECT i, 'again ' || i FROM"
     " generate_series(2000, 2500) i; REFRESH MATERIALIZED VIEW sums; REFRESH MATERIALIZED VIEW tops",
     NULL},
    {"DELETE FROM reading", "INSERT INTO plot (n, name) VALUES (-5, 'plot 12x')",
     "SET session_replication_role = replica; DELETE FROM plot WHERE n < 30", "TRUNCATE big, opt, slot",
     "INSERT INTO label VALUES ('only', 1), ('only', 1); SELECT setval('numbers', 9000); REFRESH MATERIALIZED VIEW "
     "sums",
     "DROP VIEW latest; DROP TRIGGER grows ON tree; ALTER TABLE later DROP CONSTRAINT later_plot_fkey", NULL}};

static const Engine mariadb = {
    "mold",
    "mnew",
    "CREATE TABLE plot (n INT PRIMARY KEY, name VARCHAR(40) UNIQUE, sun FLOAT, size DOUBLE);"
    " INSERT INTO plot SELECT seq, CONCAT('plot ', seq), seq / 3, RAND(7) FROM seq_1_to_3000;"
    " CREATE TABLE tree (id INT AUTO_INCREMENT PRIMARY KEY, plot INT NOT NULL, parent INT, height DECIMAL(8,2), twice"
    " DECIMAL(9,2) AS (height * 2) STORED, FOREIGN KEY (plot) REFERENCES plot (n) ON DELETE CASCADE, FOREIGN KEY "
    "(parent)"
    " REFERENCES tree (id) ON DELETE SET NULL, CHECK (height >= 0));"
    " INSERT INTO tree (plot, parent, height) SELECT 1 + seq % 3000, NULLIF(seq DIV 2, 0), seq % 40 FROM seq_1_to_4000;"
    " CREATE TABLE label (t TEXT, n INT); INSERT INTO label SELECT 'x', seq % 5 FROM seq_1_to_50;"
    " CREATE TABLE reading (station VARCHAR(9), taken DATE, v INT, PRIMARY KEY (station, taken)) PARTITION BY RANGE"
    " (YEAR(taken)) (PARTITION a VALUES LESS THAN (2021), PARTITION b VALUES LESS THAN (2023));"
    " INSERT INTO reading SELECT CONCAT('s', seq % 4), DATE('2020-01-01') + INTERVAL seq DAY, seq FROM seq_1_to_700;"
    " CREATE TABLE plain (n INT, v VARCHAR(9), KEY (n)) ENGINE = MyISAM; INSERT INTO plain VALUES (1, 'a'), (1, 'a');"
    " CREATE TABLE opt (a INT, b INT, UNIQUE (a, b)); INSERT INTO opt VALUES (1, NULL), (1, NULL), (2, 3);"
    " CREATE TABLE big (k VARCHAR(40) CHARACTER SET latin1 PRIMARY KEY, v LONGTEXT, w BLOB); INSERT INTO big VALUES "
    "('a',"
    " REPEAT('x', 3000000), NULL), ('B', 'b', x'00ff'), ('ä', '\\t\\n\\\\', ''), ('', NULL, x'0a09'), ('it''s', 'q', "
    "'q');"
    " CREATE TABLE bin (k BINARY(16) PRIMARY KEY, v BIT(9), d DATETIME(6)); INSERT INTO bin SELECT UNHEX(MD5(seq)), "
    "seq,"
    " '2020-01-01 00:00:00.000001' + INTERVAL seq HOUR FROM seq_1_to_400;"
    " CREATE TABLE aged (n INT PRIMARY KEY, v INT) WITH SYSTEM VERSIONING; INSERT INTO aged SELECT seq, seq FROM"
    " seq_1_to_20; UPDATE aged SET v = 0 WHERE n < 5; CREATE SEQUENCE numbers; SELECT NEXTVAL(numbers);"
    " CREATE TRIGGER grows BEFORE INSERT ON tree FOR EACH ROW SET NEW.height = NEW.height + 1;"
    " CREATE TRIGGER falls AFTER DELETE ON tree FOR EACH ROW INSERT INTO label VALUES ('fell', OLD.id)",
    {"UPDATE plot SET name = 'swap' WHERE n = 1; UPDATE plot SET name = 'plot 1' WHERE n = 2; UPDATE plot SET name ="
     " 'plot 2' WHERE n = 1",
     "UPDATE plot SET n = n + 100000 WHERE n > 2990 AND n NOT IN (SELECT plot FROM tree)",
     "DELETE FROM plot WHERE n BETWEEN 5 AND 9", "UPDATE tree SET parent = id + 1 WHERE id BETWEEN 100 AND 110",
     "INSERT INTO tree (plot, parent, height) SELECT 20, 50, 3 FROM seq_1_to_10",
     "INSERT INTO label SELECT 'x', 3 FROM seq_1_to_3; UPDATE label SET t = NULL WHERE n = 1",
     "UPDATE reading SET taken = taken + INTERVAL 366 DAY WHERE station = 's1' AND taken < '2020-03-01'",
     "INSERT INTO plain VALUES (2, 'b'); UPDATE plain SET v = 'c' WHERE n = 1 LIMIT 1",
     "DELETE FROM opt WHERE a = 1 LIMIT 1; INSERT INTO opt VALUES (NULL, NULL)",
     "UPDATE big SET v = REPEAT('y', 4000000) WHERE k = 'a'; UPDATE big SET k = 'b' WHERE k = 'B'; UPDATE big SET v = "
     "'z'"
     " WHERE k IN ('', 'ä', 'it''s')",
     "UPDATE plot SET sun = sun * 1.1, size = -size WHERE n % 400 = 0", "TRUNCATE label",
     "DO NEXTVAL(numbers); UPDATE bin SET v = v + 1 WHERE v % 50 = 0; UPDATE aged SET v = 77 WHERE n = 9; DELETE FROM"
     " aged WHERE n = 10",
     "CREATE TABLE later (n INT PRIMARY KEY, plot INT REFERENCES plot (n)); INSERT INTO plot (n, name) VALUES (7777,"
     " 'l'); INSERT INTO later VALUES (1, 7777), (2, NULL); CREATE VIEW latest AS SELECT MAX(n) FROM later; CREATE "
     "INDEX"
     " p ON later (plot, n); CREATE TRIGGER lates BEFORE INSERT ON later FOR EACH ROW SET NEW.n = NEW.n + 1",
     "DELETE FROM tree; INSERT INTO tree (plot, height) SELECT 1 + seq % 4, seq % 9 FROM seq_1_to_2000",
     "DELETE FROM plot WHERE n > 1500 AND n < 7000; INSERT INTO plot (n, name) SELECT seq, CONCAT('again ', seq) FROM"
     " seq_2000_to_2500",
     NULL},
    {"DELETE FROM reading", "INSERT INTO plot (n, name) VALUES (-5, 'plot 12x')", "DO SETVAL(numbers, 9000)",
     "SET foreign_key_checks = 0; DELETE FROM plot WHERE n < 30", "DELETE FROM big; DELETE FROM opt; TRUNCATE plain",
     "INSERT INTO label VALUES ('only', 1), ('only', 1)",
     "DROP VIEW latest; DROP TRIGGER grows; ALTER TABLE later DROP FOREIGN KEY later_ibfk_1, DROP INDEX p", NULL}};

static const Engine *const engines[] = {&postgres, &mariadb};

static void fill_database(const char *server, const char *database, const char *sql)
{
    g_autofree char *shell = servers_get_uri(server, NULL), *uri = servers_get_uri(server, database);
    g_autofree char *drop = g_strdup_printf("DROP DATABASE IF EXISTS %s", database),
                    *create = g_strdup_printf("CREATE DATABASE %s", database);

    g_free(servers_query(shell, drop));
    g_free(servers_query(shell, create));
    g_free(servers_query(uri, sql));
}

static void fill(const char *server, const char *sql)
{
    fill_database(server, "vale", sql);
}

/* The source as the engine's tables have it, and a copy of it */
static void make_copy(const Engine *engine, const char *from, const char *to)
{
    fill(engine->from, engine->tables);
    fill(engine->to, "SELECT 1");
    run_expect(run_hornbeam("carry", "-q", from, to, NULL), 0, NULL, NULL);
}

static void expect_same(const Engine *engine, const char *from, const char *to)
{
    run_expect(run_hornbeam("verify", "-q", from, to, NULL), 0, "Equal", NULL);
    if (engine == &postgres) /* a pass has refreshed what its changes made stale */
        g_free(servers_query(from, "REFRESH MATERIALIZED VIEW sums; REFRESH MATERIALIZED VIEW tops"));
    if (engine == &postgres)
        compare_censuses(from, to, 50);
    else
        compare_mariadb_censuses(engine->from, engine->to, "vale", "^nothing$", 50);
}

static void follow(const Engine *engine, const char *const *changes, const char *changed, const char *from,
                   const char *to)
{
    for (; *changes != NULL; changes++) {
        g_free(servers_query(changed, *changes));
        run_expect(run_hornbeam("freshen", "-q", "--yes", from, to, NULL), 0, NULL, NULL);
        run_expect(run_hornbeam("verify", "-q", from, to, NULL), 0, "Equal", NULL);
    }
    expect_same(engine, from, to);
}

static void a_copy_follows_its_source(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(engines); i++) {
        const Engine *engine = engines[i];
        g_autofree char *from = servers_get_uri(engine->from, "vale"), *to = servers_get_uri(engine->to, "vale");
        make_copy(engine, from, to);
        run_expect(run_hornbeam("freshen", from, to, NULL), 0, "Fresh: TO holds what FROM held at 2", NULL);
        follow(engine, engine->changes, from, from, to);
        follow(engine, engine->drift, to, from, to);
    }
}

static const char *const half_an_hour[] = {
    "UPDATE plot SET name = CONCAT(name, '!') WHERE n % 7 = 0; DELETE FROM tree WHERE id % 11 = 0 AND id NOT IN (SELECT"
    " parent FROM (SELECT parent FROM tree WHERE parent IS NOT NULL) p)",
    "UPDATE plot SET name = CONCAT('?', name) WHERE n % 5 = 1; INSERT INTO label VALUES ('y', 4), ('y', 4)",
    "DELETE FROM reading WHERE v % 3 = 0; UPDATE opt SET b = 5 WHERE a = 2",
};

/* Killed at any moment, also while triggers are taken off: the next pass brings what is left */
static void what_a_killed_pass_leaves_the_next_one_completes(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(engines); i++) {
        g_autofree char *from = servers_get_uri(engines[i]->from, "vale"),
                        *to = servers_get_uri(engines[i]->to, "vale");
        make_copy(engines[i], from, to);
        for (gsize round = 0; round < 8; round++) {
            g_autofree char *line = g_strdup_printf(
                "$HORNBEAM freshen -q --yes '%s' '%s' >$FOLDER/told 2>&1 & sleep %.2f; kill -KILL $!; wait $!; true",
                from, to, 0.05 + 0.09 * (double)round);
            g_free(servers_query(from, half_an_hour[round % G_N_ELEMENTS(half_an_hour)]));
            run_expect(run_shell(line), 0, NULL, NULL);
        }
        run_expect(run_hornbeam("freshen", "-q", "--yes", from, to, NULL), 0, NULL, NULL);
        expect_same(engines[i], from, to);
    }
}

/* Rows are in, and what is computed from them is not yet: the next pass, which finds no row to bring, still does that
 */
static void a_view_is_refreshed_after_a_pass_was_killed_before_it(void **state)
{
    g_autofree char *from = servers_get_uri("old", "vale"), *to = servers_get_uri("new", "vale");
    g_autofree char *line = g_strdup_printf(
        "refreshing() { psql -qXAt \"$(server_uri new vale)\" -c \"SELECT $1 FROM pg_stat_activity WHERE"
        " pid <> pg_backend_pid() AND query LIKE '%%REFRESH MAT%%'\" | grep -q t; };"
        " hold new vale 'BEGIN; SELECT count(*) FROM sums'; $HORNBEAM freshen -q --yes '%s' '%s'"
        " >$FOLDER/told 2>&1 & p=$!; wait_for 'refreshing true' || exit; kill -KILL $p;"
        " refreshing 'pg_terminate_backend(pid)'; let_go",
        from, to);

    (void)state;
    make_copy(&postgres, from, to);
    g_free(servers_query(from,
                         "ALTER TABLE tree DISABLE TRIGGER grows; UPDATE tree SET height = height + 2 WHERE id < 30; "
                         "ALTER TABLE tree ENABLE TRIGGER grows"));
    run_expect(run_shell(line), 0, NULL, NULL);
    run_expect(run_hornbeam("verify", "-q", "--parts", "data", from, to, NULL), 0, "Equal", NULL);
    run_expect(run_hornbeam("freshen", "-q", "--yes", from, to, NULL), 0, NULL, NULL);
    expect_same(&postgres, from, to);
}

/* Killed while its rows come, slowly; the source has changed since */
static void a_carry_that_broke_off_goes_on(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(engines); i++) {
        g_autofree char *from = servers_get_uri(engines[i]->from, "vale"),
                        *to = servers_get_uri(engines[i]->to, "vale");
        g_autofree char *shell = servers_get_uri(engines[i]->to, NULL);
        fill(engines[i]->from, engines[i]->tables);
        for (int tenth = 3; tenth < 9; tenth += 4) {
            g_autofree char *line = g_strdup_printf("$HORNBEAM carry -q --throttle 1M '%s' '%s' >$FOLDER/told 2>&1 & "
                                                    "until $HORNBEAM preflight '%s' '%s' 2>&1 |"
                                                    " grep -q another-run; do [ $((n += 1)) -lt 100 ] || exit 7; sleep "
                                                    "0.1; done; sleep 0.%d; kill -KILL $!;"
                                                    " wait $!; true",
                                                    from, to, from, to, tenth);
            g_free(servers_query(shell, "DROP DATABASE IF EXISTS vale"));
            run_expect(run_shell(line), 0, NULL, NULL);
            g_free(servers_query(from, half_an_hour[1]));
            run_expect(run_hornbeam("freshen", "--yes", from, to, NULL), 1, NULL, "a carry from this source left");
            run_expect(run_hornbeam("carry", "--resume", from, to, NULL), 0, "Fresh: TO holds what FROM held at", NULL);
            expect_same(engines[i], from, to);
        }
        run_expect(run_hornbeam("carry", "--resume", from, to, NULL), 1, NULL, "nothing that a carry left unfinished");
    }
}

/* What is planned is told and nothing written; what cannot be brought is named, and left */
static void what_cannot_be_brought_is_named(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(engines); i++) {
        g_autofree char *from = servers_get_uri(engines[i]->from, "vale"),
                        *to = servers_get_uri(engines[i]->to, "vale");
        make_copy(engines[i], from, to);
        g_free(servers_query(from, "UPDATE plot SET name = 'new name' WHERE n = 77; DELETE FROM opt WHERE a = 2; INSERT"
                                   " INTO reading VALUES ('s9', '2020-05-05', 1)"));
        run_expect(run_hornbeam("freshen", "--dry-run", from, to, NULL), 0, "plot: 1 to update\n", NULL);
        run_expect(run_hornbeam("freshen", "--dry-run", from, to, NULL), 0, "opt: 1 to delete\n", NULL);
        run_expect(run_hornbeam("freshen", "--dry-run", "--json", from, to, NULL), 0, "\"document\": \"pass\"", NULL);
        run_expect(run_hornbeam("freshen", from, to, NULL), 1, NULL,
                   "nobody is there to agree, and nothing was written");
        run_expect(run_hornbeam("verify", "-q", from, to, NULL), 1, "3 differences", NULL);
        g_free(servers_query(to, "ALTER TABLE opt ADD COLUMN c INT; CREATE TABLE own (n INT)"));
        run_expect(run_hornbeam("freshen", "--yes", from, to, NULL), 1, "opt: defined differently", NULL);
        run_expect(run_hornbeam("verify", "-q", from, to, NULL), 1, "own: only in TO", NULL);
        g_free(servers_query(to, "DROP TABLE own; DROP TABLE opt"));
        run_expect(run_hornbeam("freshen", "-q", "--yes", from, to, NULL), 0, NULL, NULL);
        expect_same(engines[i], from, to);
        run_expect(run_hornbeam("freshen", from, from, NULL), 1, NULL, "TO is FROM itself");
        run_expect(run_hornbeam("freshen", from, "nonsense", NULL), 2, NULL, "a server was expected");
    }
}

static void what_would_be_lost_or_is_not_allowed_is_refused(void **state)
{
    g_autofree char *from = servers_get_uri("mold", "vale"), *to = servers_get_uri("mnew", "vale");
    g_autofree char *source = servers_get_uri("old", "vale"), *copy = servers_get_uri("new", "vale");

    (void)state;
    make_copy(&mariadb, from, to);
    make_copy(&postgres, source, copy);
    g_free(servers_query(to, "CREATE TRIGGER own AFTER UPDATE ON plot FOR EACH ROW SET @x = 1"));
    g_free(servers_query(from, "UPDATE plot SET name = 'x' WHERE n = 78"));
    run_expect(run_hornbeam("freshen", "--yes", from, to, NULL), 4, "trigger own is only in TO, and would act", NULL);
    g_free(servers_query(to, "DROP TRIGGER own"));
    /* nor what acts however rows are changed */
    g_free(servers_query(copy,
                         "ALTER TABLE tree ENABLE ALWAYS TRIGGER grows; ALTER TABLE label ENABLE REPLICA RULE never"));
    g_free(servers_query(source, "INSERT INTO tree (plot, height) VALUES (1, 5); INSERT INTO label VALUES ('n', 1)"));
    run_expect(run_hornbeam("freshen", "--yes", source, copy, NULL), 4, "trigger grows of public.tree acts", NULL);
    run_expect(run_hornbeam("freshen", "--yes", source, copy, NULL), 4, "rule never of public.label acts", NULL);
    run_expect(run_hornbeam("verify", "-q", source, copy, NULL), 1, "rows  1 missing", NULL);
    g_free(servers_query(copy, "ALTER TABLE tree ENABLE TRIGGER grows; ALTER TABLE label ENABLE RULE never"));
    run_expect(run_hornbeam("freshen", "-q", "--yes", source, copy, NULL), 0, NULL, NULL);
    expect_same(&postgres, source, copy);
    /* a role that may not keep triggers from acting changes nothing */
    g_free(servers_query(source, "UPDATE plot SET name = 'x' WHERE n = 78"));
    run_expect(
        run_shell("psql -qX \"$(server_uri new vale)\" -c 'CREATE ROLE mover LOGIN CREATEROLE; GRANT ALL ON SCHEMA"
                  " public TO mover; GRANT ALL ON ALL TABLES IN SCHEMA public TO mover; GRANT ALL ON ALL SEQUENCES"
                  " IN SCHEMA public TO mover; GRANT ALL ON DATABASE vale TO mover; GRANT USAGE, CREATE ON SCHEMA"
                  " public TO mover'; $HORNBEAM freshen --yes --parts data \"$(server_uri old vale)\""
                  " \"$(server_uri new vale | sed s/postgres@/mover@/)\""),
        4, "have one run: GRANT SET ON PARAMETER session_replication_role", NULL);
    run_expect(run_hornbeam("verify", "-q", source, copy, "--parts", "data", NULL), 1, "rows  1 changed", NULL);
    g_free(servers_query(copy, "DROP OWNED BY mover; DROP ROLE mover"));
    run_expect(run_hornbeam("freshen", "-q", "--yes", source, copy, NULL), 0, NULL, NULL);
}

/* Byte by byte, whatever became of each: longer, shorter to any size, changed inside, new, empty, gone, given away */
static void large_objects_are_brought_over(void **state)
{
    static const char *const changes[] = {
        "SELECT lo_from_bytea(4711, 'seed'), lo_create(4712), lo_from_bytea(9000, repeat('a', 200000)::bytea),"
        " lo_from_bytea(9001, repeat('b', 131072)::bytea), lo_from_bytea(9002, repeat('c', 70000)::bytea)",
        "SELECT lo_put(4711, 4, ' and soil'), lo_put(9000, 100000, 'middle'), lo_put(9001, 131072, 'longer'),"
        " lo_truncate(lo_open(9002, 131072), 65536)",
        "SELECT lo_truncate(lo_open(9000, 131072), 100), lo_truncate(lo_open(9001, 131072), 0), lo_unlink(4712),"
        " lo_create(4713), lo_from_bytea(12000, repeat('d', 65536)::bytea), lo_put(9002, 300000, 'after a hole')",
        "SELECT lo_unlink(9000), lo_unlink(9001), lo_put(12000, 65535, 'end'), lo_truncate(lo_open(9002, 131072), "
        "131073)",
        "SELECT lo_from_bytea(n::oid, n::text::bytea) FROM generate_series(20000, 22500) n",
        "SELECT lo_unlink(n::oid) FROM generate_series(20000, 21999) n; SELECT lo_put(22400, 0, 'x')"};
    g_autofree char *from = servers_get_uri("old", "vale"), *to = servers_get_uri("new", "vale");

    (void)state;
    fill("old", "CREATE TABLE t (n int)");
    fill("new", "SELECT 1");
    run_expect(run_hornbeam("carry", "-q", from, to, NULL), 0, NULL, NULL);
    for (gsize i = 0; i < G_N_ELEMENTS(changes); i++) {
        g_free(servers_query(from, changes[i]));
        run_expect(run_hornbeam("freshen", "-q", "--yes", from, to, NULL), 0, NULL, NULL);
        run_expect(run_hornbeam("verify", "-q", from, to, NULL), 0, "Equal", NULL);
        compare_censuses(from, to, 50);
        g_free(servers_query(to, "SELECT lo_put(4711, 0, 'drift')"));
        run_expect(run_hornbeam("verify", "-q", from, to, NULL), 1, "rows  1 changed", NULL);
        run_expect(run_hornbeam("freshen", "-q", "--yes", from, to, NULL), 0, NULL, NULL);
        compare_censuses(from, to, 50);
    }
}

/* Of each type: told by all of its values, byte by byte, and the others of the table stay where they are */
static void rows_without_a_key_come_and_go_one_by_one(void **state)
{
    static const char *const tables[] = {
        "CREATE TABLE every (i int, f float4, d float8, n numeric, j json, p point, t text, b bytea, s timestamptz, a "
        "int[],"
        " c char(5)); INSERT INTO every VALUES (1, 0.1, 0.1, 1.50, '{\"a\":  1}', '(1,2)', E'x\\ty\\n\\\\', '\\x00ff', "
        "now(),"
        " '{1,2}', 'ab'), (2, 'NaN', '-0', NULL, NULL, NULL, '', '', 'infinity', NULL, ' '), (3, NULL, NULL, NULL, "
        "NULL,"
        " NULL, NULL, NULL, NULL, NULL, NULL); INSERT INTO every SELECT every.* FROM every, generate_series(1, 10); "
        "CREATE TABLE"
        " bare (); INSERT INTO bare DEFAULT VALUES; INSERT INTO bare DEFAULT VALUES; INSERT INTO bare DEFAULT VALUES",
        "CREATE TABLE any_one (i BIGINT, f FLOAT, d DOUBLE, n DECIMAL(20,6), t DATETIME(6), h TIME(3), s TIMESTAMP(2)"
        " NULL, y YEAR, j JSON, g POINT, b BIT(11), e ENUM('a','b'), o SET('x','y'), c CHAR(5) CHARACTER SET latin1, v"
        " VARCHAR(30) CHARACTER SET utf8mb4 COLLATE utf8mb4_general_ci, u VARCHAR(20) CHARACTER SET utf16, k "
        "BINARY(4), w"
        " VARBINARY(9), l BLOB, x TEXT, made INT AS (i + 1) STORED); INSERT INTO any_one "
        "(i,f,d,n,t,h,s,y,j,g,b,e,o,c,v,u,"
        "k,w,l,x) VALUES (1,0.1,0.1,1.5,'2020-01-01 01:02:03.000004','-10:11:12.345','2021-01-01 00:00:00.5',2001,"
        "'{\"a\": 1.0}',POINT(1,2),5,'a','x,y','ab','Ä ','ß','a','\\0\\1','x','t\\tn\\n\\\\'),(2,1e30,"
        "1.7976931348623157e308,-3,'0001-01-01','800:00:00',NULL,0,'[1,\"ü\"]',NULL,0,'b','',' é','a','a','','','',''),"
        "(3,NULL,NULL,NULL,NULL,NULL,NULL,NULL,NULL,NULL,NULL,NULL,NULL,NULL,'A',NULL,NULL,NULL,NULL,NULL); INSERT INTO"
        " any_one (i,f,d,n,t,h,s,y,j,g,b,e,o,c,v,u,k,w,l,x) SELECT i,f,d,n,t,h,s,y,j,g,b,e,o,c,v,u,k,w,l,x FROM any_one"
        " a, seq_1_to_10"};
    static const char *const changes[] = {
        "DELETE FROM every WHERE ctid IN (SELECT min(ctid) FROM every GROUP BY i); DELETE FROM bare WHERE ctid = "
        "(SELECT"
        " min(ctid) FROM bare); INSERT INTO every (i, t) VALUES (7, 'new')",
        "DELETE FROM any_one WHERE i = 1 LIMIT 2; DELETE FROM any_one WHERE i = 2 LIMIT 1; UPDATE any_one SET v = 'a'"
        " WHERE i = 3 LIMIT 1; INSERT INTO any_one (i) VALUES (9)"};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(engines); i++) {
        g_autofree char *from = servers_get_uri(engines[i]->from, "vale"),
                        *to = servers_get_uri(engines[i]->to, "vale");
        g_autofree char *line =
            g_strdup_printf("$HORNBEAM freshen --yes -q --json '%s' '%s' | grep -c '\"anew\": true'", from, to);
        fill(engines[i]->from, tables[i]);
        fill(engines[i]->to, "SELECT 1");
        run_expect(run_hornbeam("carry", "-q", from, to, NULL), 0, NULL, NULL);
        g_free(servers_query(from, changes[i]));
        run_expect(run_shell(line), 1, "0\n", NULL);
        run_expect(run_hornbeam("verify", "-q", from, to, NULL), 0, "Equal", NULL);
    }
}

/* What differs too much is read twice, and then once more: all of it as it was at one moment, whoever writes meanwhile
 */
static void what_is_read_again_is_of_the_same_moment(void **state)
{
    static const char *const shells[] = {"psql -qX \"$(server_uri old vale)\"", "mariadb_shell mold vale"};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(engines); i++) {
        g_autofree char *from = servers_get_uri(engines[i]->from, "vale"),
                        *to = servers_get_uri(engines[i]->to, "vale");
        g_autofree char *line = g_strdup_printf(
            "touch $FOLDER/go; (while [ -e $FOLDER/go ]; do echo \"UPDATE plot SET sun = $((i += 1)) WHERE n "
            "BETWEEN 1 AND 400;\"; done | %s) & for n in 1 2 3 4 5; do $HORNBEAM freshen -q --yes '%s' '%s' || "
            "s=$?; $HORNBEAM verify '%s' '%s' 2>&1 | grep -E '^ +rows +[0-9]+ (missing|extra)' && s=9; done; rm "
            "$FOLDER/go; wait; exit ${s:-0}",
            shells[i], from, to, from, to);
        make_copy(engines[i], from, to);
        run_expect(run_shell(line), 0, NULL, NULL);
        run_expect(run_hornbeam("freshen", "-q", "--yes", from, to, NULL), 0, NULL, NULL);
        expect_same(engines[i], from, to);
    }
}

/* A copy knows by itself what it is one of, what was chosen for it, and whether it is whole */
static void what_a_copy_remembers(void **state)
{
    static const char *const traps[] = {"CREATE SCHEMA hornbeam_origin; CREATE VIEW hornbeam_origin.origin AS SELECT "
                                        "'x'::text AS text",
                                        "CREATE VIEW hornbeam_origin AS SELECT 1 AS id, 'x' AS text"};

    static const char *const newer[] = {
        "CREATE TABLE later (n int PRIMARY KEY, v text); INSERT INTO later SELECT n, 'v' FROM generate_series(1, 2000) "
        "n;"
        " DELETE FROM reading WHERE v % 5 = 0; UPDATE tree SET height = 7 WHERE id < 4000; INSERT INTO label VALUES"
        " ('z', 1); SELECT nextval('numbers'); REFRESH MATERIALIZED VIEW sums; REFRESH MATERIALIZED VIEW tops",
        "CREATE TABLE later (n INT PRIMARY KEY, v TEXT); INSERT INTO later SELECT seq, 'v' FROM seq_1_to_2000; DELETE"
        " FROM reading WHERE v % 5 = 0; UPDATE tree SET height = 7 WHERE id < 4000; INSERT INTO label VALUES ('z', 1);"
        " DO NEXTVAL(numbers)"};
    /* while others hold what is to be changed, a pass cannot end */
    static const char *const holds[] = {"BEGIN; LOCK TABLE plot IN SHARE MODE", "LOCK TABLES plot READ"};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(engines); i++) {
        g_autofree char *from = servers_get_uri(engines[i]->from, "vale"),
                        *to = servers_get_uri(engines[i]->to, "vale"),
                        *other = servers_get_uri(engines[i]->from, "other"),
                        *dump = g_strdup_printf("%s/remembered.%s.dump", servers_get_folder(), engines[i]->from),
                        *newer_dump = g_strdup_printf("%s/newer.%s.dump", servers_get_folder(), engines[i]->from),
                        *half = NULL;
        fill(engines[i]->from, engines[i]->tables);
        fill(engines[i]->to, "SELECT 1");
        run_expect(run_hornbeam("carry", "-q", "--remember", "--skip", "rows:big", from, to, NULL), 0, NULL, NULL);
        run_expect(run_hornbeam("survey", to, NULL), 0, "a copy of database vale at ", NULL);
        g_free(servers_query(from, half_an_hour[2]));
        /* nobody need agree, and nothing be said again */
        run_expect(run_hornbeam("freshen", "-q", from, to, NULL), 0, NULL, NULL);
        run_expect(run_hornbeam("verify", "-q", "--skip", "rows:big", from, to, NULL), 0, "Equal", NULL);
        run_expect(run_hornbeam("verify", "-q", from, to, NULL), 1, "1 difference", NULL);
        run_expect(run_hornbeam("freshen", "-q", "--skip", "rows:opt", from, to, NULL), 2, NULL, "another choice");
        fill_database(engines[i]->from, "other", "CREATE TABLE plot (n INT)");
        run_expect(run_hornbeam("freshen", "--yes", other, to, NULL), 1, NULL, "is a copy of database vale at ");
        /* a pass that breaks off says so, until the next one has ended */
        half = g_strdup_printf("hold %s vale '%s'; $HORNBEAM freshen -q '%s' '%s' >$FOLDER/told 2>&1 & p=$!; wait_for"
                               " \"$HORNBEAM survey '%s' | grep -q 'between passes'\" || exit; kill -KILL $p; let_go;"
                               " $HORNBEAM survey '%s'",
                               engines[i]->to, holds[i], from, to, to, to);
        g_free(servers_query(from, "UPDATE plot SET name = CONCAT('half ', name)"));
        run_expect(run_shell(half), 0, "; between passes: parts of it are", NULL);
        run_expect(run_hornbeam("freshen", "-q", from, to, NULL), 0, NULL, NULL);
        run_expect(run_hornbeam("survey", "--json", to, NULL), 0, "\"between_passes\": null", NULL);
        /* another arrival makes it untrue; a dump brings one, too */
        run_expect(run_hornbeam("carry", "--existing", "replace", "--yes", from, to, NULL), 0, NULL,
                   "it forgets that now");
        run_expect(run_hornbeam("survey", "--json", to, NULL), 0, "\"origin\": null", NULL);
        run_expect(run_hornbeam("dump", "-q", from, dump, NULL), 0, NULL, NULL);
        run_expect(run_hornbeam("restore", "-q", "--remember", "--existing", "replace", "--yes", dump, to, NULL), 0,
                   NULL, NULL);
        g_free(servers_query(from, "UPDATE plot SET name = CONCAT('new ', name) WHERE n < 9"));
        run_expect(run_hornbeam("freshen", "-q", from, to, NULL), 0, NULL, NULL);
        run_expect(run_hornbeam("verify", "-q", from, to, NULL), 0, "Equal", NULL);
        /* a newer dump does as well; an older one takes it back, if that is wanted */
        g_free(servers_query(from, newer[i]));
        run_expect(run_hornbeam("dump", "-q", from, newer_dump, NULL), 0, NULL, NULL);
        run_expect(run_hornbeam("freshen", "-q", newer_dump, to, NULL), 0, NULL, NULL);
        run_expect(run_hornbeam("verify", "-q", from, to, NULL), 0, "Equal", NULL);
        run_expect(run_hornbeam("verify", "-q", newer_dump, to, NULL), 0, "Equal", NULL);
        run_expect(run_hornbeam("freshen", "-q", dump, to, NULL), 1, NULL, "goes back to an older moment");
        run_expect(run_hornbeam("freshen", "-q", "--yes", dump, to, NULL), 1, "later: only in TO", NULL);
        run_expect(run_hornbeam("verify", "-q", dump, to, "--parts", "data", NULL), 1, "1 difference", NULL);
        /* what anybody may have put there is not read */
        fill(engines[i]->to, traps[i]);
        run_expect(run_hornbeam("freshen", "--yes", from, to, NULL), 1, NULL, "and was not read");
        run_expect(run_hornbeam("survey", to, NULL), 0, NULL, "and was not read");
        g_free(servers_query(from, "DROP DATABASE other"));
    }
}

#define AS_OWNER "--ownership", "mine", "--grants", "drop", "--parts", "schema,data"

/* The source is the same one after a restart, for a copy that remembers it, and for a carry that it broke off */
static void a_restarted_source_is_the_same(void **state)
{
    static const char *const again[] = {
        "again() { stop_server old immediate; as_server_user $POSTGRES_BIN/pg_ctl -D $SERVERS/old/data -l"
        " $SERVERS/old/data/server.log -w start >/dev/null; }; ",
        "again() { stop_server mold; run_mariadb mold; }; "};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(engines); i++) {
        g_autofree char *from = servers_get_uri(engines[i]->from, "vale"),
                        *to = servers_get_uri(engines[i]->to, "vale"), *shell = servers_get_uri(engines[i]->to, NULL);
        g_autofree char
            *restart = g_strconcat(again[i], "again", NULL),
            *broken = g_strdup_printf(
                "%s $HORNBEAM carry -q --throttle 1M '%s' '%s' >$FOLDER/told 2>&1 & p=$!; wait_for"
                " \"$HORNBEAM preflight '%s' '%s' 2>&1 | grep -q another-run\" || exit; again; ! wait $p || "
                "exit 8; grep -Eh 'broke|cannot connect' $FOLDER/told || { cat $FOLDER/told; exit 1; }",
                again[i], from, to, from, to);
        fill(engines[i]->from, engines[i]->tables);
        fill(engines[i]->to, "SELECT 1");
        run_expect(run_hornbeam("carry", "-q", "--remember", from, to, NULL), 0, NULL, NULL);
        run_expect(run_shell(restart), 0, NULL, NULL);
        g_free(servers_query(from, half_an_hour[1]));
        run_expect(run_hornbeam("freshen", "-q", from, to, NULL), 0, NULL, NULL);
        run_expect(run_hornbeam("verify", "-q", from, to, NULL), 0, "Equal", NULL);
        g_free(servers_query(shell, "DROP DATABASE vale"));
        run_expect(run_shell(broken), 0, NULL, NULL);
        run_expect(run_hornbeam("carry", "--resume", "-q", from, to, NULL), 0, NULL, NULL);
        expect_same(engines[i], from, to);
    }
}

/* An owner who is no superuser: keys and triggers are taken off meanwhile, and are back whatever happens */
static void an_owner_brings_it_over_too(void **state)
{
    g_autofree char *from = servers_get_uri("old", "vale"), *to = servers_get_uri("new", "vale"),
                    *shell = servers_get_uri("new", NULL);
    g_autoptr(GString) as_owner = g_string_new(to);
    const char *mine = as_owner->str;

    (void)state;
    fill("old", postgres.tables);
    g_free(servers_query(from, "DROP RULE never ON label; COMMENT ON CONSTRAINT"
                               " tree_plot_fkey ON tree IS 'stands on'"));
    g_free(servers_query(shell, "CREATE ROLE keeper LOGIN"));
    fill("new", "ALTER DATABASE vale OWNER TO keeper; ALTER SCHEMA public OWNER TO keeper");
    g_string_replace(as_owner, "postgres@", "keeper@", 1);
    mine = as_owner->str;
    run_expect(run_hornbeam("carry", "-q", AS_OWNER, from, mine, NULL), 0, NULL, NULL);
    for (const char *const *change = postgres.changes; *change != NULL; change++) {
        g_free(servers_query(from, *change));
        run_expect(run_hornbeam("freshen", "-q", "--yes", AS_OWNER, from, mine, NULL), 0, NULL, NULL);
        run_expect(run_hornbeam("verify", "-q", AS_OWNER, from, to, NULL), 0, "Equal", NULL);
    }
    /* what would act, and cannot be kept from it */
    g_free(servers_query(to, "CREATE RULE never AS ON DELETE TO label DO INSTEAD NOTHING"));
    g_free(servers_query(from, "INSERT INTO label VALUES ('y', 1); DELETE FROM tree WHERE id % 2 = 0"));
    run_expect(run_hornbeam("freshen", "--yes", AS_OWNER, from, mine, NULL), 4, "rule public.label.never would act",
               NULL);
    g_free(servers_query(to, "DROP RULE never ON label"));
    for (int round = 0; round < 5; round++) {
        g_autofree char *line = g_strdup_printf(
            "$HORNBEAM freshen -q --yes --ownership mine --grants drop --parts schema,data '%s' '%s' >$FOLDER/told 2>&1"
            " & sleep %.2f; kill -KILL $!; wait $!; true",
            from, mine, 0.15 + 0.08 * (double)round);
        g_free(servers_query(from, half_an_hour[round % G_N_ELEMENTS(half_an_hour)]));
        run_expect(run_shell(line), 0, NULL, NULL);
    }
    run_expect(run_hornbeam("freshen", "-q", "--yes", AS_OWNER, from, mine, NULL), 0, NULL, NULL);
    run_expect(run_hornbeam("verify", "-q", AS_OWNER, from, to, NULL), 0, "Equal", NULL);
    fill("new", "DROP ROLE keeper");
}

/* All databases of a server: what is wrong with one keeps the others from nothing */
static void a_whole_server_is_brought_up_to_date(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(engines); i++) {
        g_autofree char *from = servers_get_uri(engines[i]->from, NULL), *to = servers_get_uri(engines[i]->to, NULL);
        g_autofree char *own = servers_get_uri(engines[i]->from, "vale"),
                        *copy = servers_get_uri(engines[i]->to, "vale");
        g_autofree char *second = servers_get_uri(engines[i]->from, "second");
        g_autofree char *line = g_strdup_printf("$HORNBEAM freshen --yes --json '%s' '%s' 2>/dev/null", from, to);
        make_copy(engines[i], own, copy);
        g_free(servers_query(own, "DELETE FROM reading WHERE v < 9"));
        g_free(servers_query(from, "CREATE DATABASE second"));
        g_free(servers_query(second, "CREATE TABLE t (n INT)"));
        run_expect(run_hornbeam("freshen", "--yes", from, to, NULL), 3, "Fresh: TO holds", "second");
        expect_same(engines[i], own, copy);
        g_free(servers_query(to, "CREATE DATABASE second"));
        run_expect(run_shell(line), 0, "\"document\": \"server freshen\"", NULL);
        run_expect(run_hornbeam("verify", "-q", from, to, "--parts", "schema,data", NULL), 0, NULL, NULL);
        run_expect(run_hornbeam("freshen", from, copy, NULL), 2, NULL, "FROM is a whole server");
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_copy_follows_its_source),
        cmocka_unit_test(what_a_killed_pass_leaves_the_next_one_completes),
        cmocka_unit_test(a_view_is_refreshed_after_a_pass_was_killed_before_it),
        cmocka_unit_test(a_carry_that_broke_off_goes_on),
        cmocka_unit_test(what_cannot_be_brought_is_named),
        cmocka_unit_test(what_would_be_lost_or_is_not_allowed_is_refused),
        cmocka_unit_test(large_objects_are_brought_over),
        cmocka_unit_test(rows_without_a_key_come_and_go_one_by_one),
        cmocka_unit_test(a_restarted_source_is_the_same),
        cmocka_unit_test(an_owner_brings_it_over_too),
        cmocka_unit_test(what_is_read_again_is_of_the_same_moment),
        cmocka_unit_test(what_a_copy_remembers),
        cmocka_unit_test(a_whole_server_is_brought_up_to_date),
    };
    return servers_run_tests("old new mold:mariadb mnew:mariadb", NULL, tests, G_N_ELEMENTS(tests));
}
