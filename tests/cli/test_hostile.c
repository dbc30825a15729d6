/* SPDX-License-Identifier: Apache-2.0 */
/*
 * Somebody with few rights lays traps for an administrator with many: what he makes in source, target or dump must not
 * run with the rights of who dumps, looks, verifies or restores. $ON is one server of each engine, where `mallory` may
 * create; ran() says whether his code has run.
 */
#include "support/check.h"
#include "support/servers.h"
#include "support/tamper.h"

#include <string.h>

/* As mallory, on one of the servers */
#define AS_MALLORY                                                                                                     \
    "pg() { psql -qX -v ON_ERROR_STOP=1 \"$(server_uri pg bed | sed s/postgres@/mallory@/)\" -c \"$1\" || exit 97; };" \
    " my() { mariadb --no-defaults -u mallory -S $SERVERS/my/socket bed -e \"$1\" || exit 97; };"                      \
    " my_program() { printf 'DELIMITER //\\n%s//\\n' \"$1\" | mariadb --no-defaults -u mallory -S $SERVERS/my/socket " \
    "bed; };"

static void nothing_that_is_called_like_the_journal_is_read(void **state)
{
    static const struct {
        const char *claim;
        const char *server;
        const char *trap;
        const char *cleaning;
        const char *told;
    } traps[] = {
        {"a view", "pg",
         "pg 'CREATE SCHEMA hornbeam_journal; CREATE FUNCTION hornbeam_journal.f() RETURNS text LANGUAGE plpgsql AS "
         "$f$ BEGIN"
         " ALTER ROLE mallory SUPERUSER; RETURN 1; END $f$; CREATE VIEW hornbeam_journal.dump AS SELECT"
         " hornbeam_journal.f() AS id'",
         "DROP SCHEMA hornbeam_journal CASCADE", "it belongs to mallory"},
        {"tables like ours", "pg",
         "pg 'CREATE SCHEMA hornbeam_journal; CREATE TABLE hornbeam_journal.dump (id text, started timestamptz);"
         " CREATE TABLE hornbeam_journal.step (key text, note text, finished timestamptz)'",
         "DROP SCHEMA hornbeam_journal CASCADE", "it belongs to mallory"},
        {"a schema that a superuser made and others create in", "pg",
         "psql -qX $(server_uri pg bed) -c 'CREATE SCHEMA hornbeam_journal' -c 'GRANT CREATE ON SCHEMA "
         "hornbeam_journal TO"
         " mallory'",
         "DROP SCHEMA hornbeam_journal CASCADE", "others may create in it"},
        {"tables that others write to", "pg",
         "psql -qX $(server_uri pg bed) -c 'CREATE SCHEMA hornbeam_journal; CREATE TABLE hornbeam_journal.dump (id "
         "text,"
         " started timestamptz); CREATE TABLE hornbeam_journal.step (key text, note text, finished timestamptz); GRANT"
         " INSERT ON hornbeam_journal.step TO mallory'",
         "DROP SCHEMA hornbeam_journal CASCADE", "others may write to it"},
        {"rules", "pg",
         "psql -qX $(server_uri pg bed) -c 'CREATE SCHEMA hornbeam_journal; CREATE TABLE hornbeam_journal.dump (id "
         "text,"
         " started timestamptz); CREATE TABLE hornbeam_journal.step (key text, note text, finished timestamptz); "
         "CREATE RULE"
         " r AS ON INSERT TO hornbeam_journal.step DO ALSO INSERT INTO ran VALUES (1)'",
         "DROP SCHEMA hornbeam_journal CASCADE", "rules, triggers or row security"},
        {"a view", "my",
         "my_program 'CREATE FUNCTION f() RETURNS VARCHAR(64) SQL SECURITY INVOKER BEGIN INSERT INTO log.ran VALUES "
         "(1);"
         " RETURN 1; END'; my 'CREATE SQL SECURITY INVOKER VIEW hornbeam_journal AS SELECT f() AS id; CREATE TABLE"
         " hornbeam_journal_step (step TEXT)'",
         "DROP VIEW hornbeam_journal; DROP TABLE hornbeam_journal_step; DROP FUNCTION f", "no journal's tables"},
        {"tables of another shape", "my",
         "my 'CREATE TABLE hornbeam_journal (id VARCHAR(64)); CREATE TABLE hornbeam_journal_step (step TEXT)'",
         "DROP TABLE hornbeam_journal, hornbeam_journal_step", "no journal's tables"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(traps); i++) {
        g_autofree char *uri = servers_get_uri(traps[i].server, "bed");
        g_autofree char *dump = g_strdup_printf("%s/%s.dump", servers_get_folder(), traps[i].server);
        g_autofree char *line = g_strconcat(AS_MALLORY, traps[i].trap, NULL), *ran = NULL;
        servers_run_shell(line);
        run_expect(run_hornbeam("preflight", dump, uri, NULL), 1, traps[i].told, NULL);
        run_expect(run_hornbeam("preflight", dump, uri, NULL), 1, "[journal-untrusted]", NULL);
        run_expect(run_hornbeam("restore", dump, uri, "--yes", "--resume", NULL), 1, NULL, traps[i].told);
        run_expect(run_hornbeam("restore", dump, uri, "--yes", "--existing", "replace", "--accept",
                                "unfinished-restore", "--accept", "journal-untrusted", NULL),
                   1, NULL, traps[i].told);
        ran = servers_query(uri,
                            *traps[i].server == 'p'
                                ? "SELECT (SELECT count(*) FROM ran) + (SELECT count(*) FROM pg_roles WHERE rolname = "
                                  "'mallory' AND rolsuper)"
                                : "SELECT COUNT(*) FROM log.ran");
        assert_string_equal(ran, "0");
        g_free(servers_query(uri, traps[i].cleaning));
    }
}

/* A dump, whoever wrote it, asks for nothing to be done by being compared; $BED is one with a view v and a check c */
static void what_a_dump_says_is_never_run_by_verifying_it(void **state)
{
    static const struct {
        const char *claim;
        const char *find, *put; /* replaced in the definitions, whose sums are made right again */
    } tampered[] = {
        {"more statements in a view", "SELECT 1 AS one;",
         "SELECT 1 AS one; COMMIT; INSERT INTO public.ran VALUES (1); SELECT 2;"},
        {"more statements behind a comment", "SELECT 1 AS one;",
         "SELECT 1 AS one /*;*/;COMMIT;DROP TABLE public.ran;--"},
        {"a function that a check has run", "CHECK ((n > 0))", "CHECK ((n > public.f(1)))"},
        {"more statements in a check", "CHECK ((n > 0))", "CHECK ((n > 0)); COMMIT; INSERT INTO public.ran VALUES (1)"},
    };
    g_autofree char *uri = servers_get_uri("pg", "bed");

    (void)state;
    servers_run_shell(
        AS_MALLORY
        "psql -qX \"$(server_uri pg bed)\" -c 'CREATE VIEW v AS SELECT 1 AS one; CREATE TABLE t (n int CONSTRAINT"
        " c CHECK (n > 0)); CREATE FUNCTION f(int) RETURNS int IMMUTABLE LANGUAGE plpgsql AS $$ BEGIN INSERT"
        " INTO ran VALUES (1); RETURN 1; END $$';"
        " $HORNBEAM dump -q \"$(server_uri pg bed)\" $FOLDER/bed.dump");
    for (gsize i = 0; i < G_N_ELEMENTS(tampered); i++) {
        g_autofree char *original = g_build_filename(servers_get_folder(), "bed.dump", NULL),
                        *dump = tamper_copy(original), *ran = NULL;
        tamper_definitions(dump, tampered[i].find, tampered[i].put);
        Run run = run_hornbeam("verify", dump, uri, NULL);
        if (run.status != 1)
            fail_msg("%s: status %d\n%s%s", tampered[i].claim, run.status, run.out, run.err);
        run_clear(&run);
        ran = servers_query(uri, "SELECT count(*) FROM ran");
        assert_string_equal(ran, "0");
    }
    g_free(servers_query(uri, "DROP VIEW v; DROP TABLE t; DROP FUNCTION f(int)"));
}

/* A script does in the stock shell what it says, and nothing else, whatever the objects are called and hold */
static void a_script_runs_nothing_but_itself(void **state)
{
    Run run = run_shell(
        "set -e; cd $FOLDER; nasty=$'\"a\\n\\\\! touch ran-pg\"'; psql -qX \"$(server_uri pg postgres)\" -c 'CREATE "
        "DATABASE trap';"
        " psql -qX \"$(server_uri pg trap)\" -c 'CREATE TABLE \"x$guard$; CREATE TABLE hacked (n int); --\" (n int)'"
        " -c \"CREATE TABLE $nasty (n int[], \\\"USER\\\" int)\" -c \"INSERT INTO $nasty VALUES (ARRAY[1, 2, 3], 2)\""
        " -c \"CREATE VIEW slice AS SELECT n[1:\\\"USER\\\"] AS part FROM $nasty\"; $HORNBEAM dump -q"
        " \"$(server_uri pg trap)\" trap.dump; for to in y $'host=nowhere dbname=y' $'y\\n\\\\! touch ran-pg'; do "
        "$HORNBEAM sql"
        " trap.dump --database \"$to\" >trap.sql 2>/dev/null; psql -qX \"$(server_uri pg postgres)\" -f trap.sql "
        "2>/dev/null;"
        " [ ! -e ran-pg ]; done; psql -XAtq \"$(server_uri pg y)\" -c 'SELECT part FROM slice' -c"
        " \"SELECT to_regclass('hacked') IS NULL\"; psql -XAtq \"$(server_uri pg postgres)\" -c \"SELECT count(*) FROM"
        " pg_database WHERE datname LIKE '%dbname=y' OR datname LIKE 'y_%touch%'\"");

    (void)state;
    if (run.status != 0 || strcmp(run.out, "{1,2}\nt\n2\n") != 0)
        fail_msg("status %d: %s%s", run.status, run.out, run.err);
    run_clear(&run);
}

static void a_script_of_mariadb_runs_nothing_but_itself(void **state)
{
    static const struct {
        const char *claim, *body; /* of a procedure, for printf */
        gboolean refused;
    } bodies[] = {
        {"a comment of the server's that is none of the shell's",
         "SELECT 1; --\\x01 \\x27\\n SELECT \\x27\\\\\\\\! touch ran-my\\n\\x27;", TRUE},
        {"a command in a comment",
         "SELECT 1; -- \\\\! touch ran-my\\n # \\\\! touch ran-my\\n /* \\\\! touch ran-my */", FALSE},
        {"a command in a string", "SELECT \\x27\\\\\\\\! touch ran-my\\n\\\\\\\\! touch ran-my\\x27;", FALSE},
        {"line ends of two bytes", "SELECT \\x27a\\r\\nb\\x27;\\r\\n", FALSE},
        {"a last comment", "SELECT 1; END # last words;;", FALSE},
        {"all delimiters", "SELECT \\x27;; // $$ @@1@@ @@2@@\\nDELIMITER ;\\n\\x27;", FALSE},
        {"a delimiter of its own", "SELECT 1 AS\\n delimiter ; SELECT 2;", TRUE},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(bodies); i++) {
        g_autofree char *line = g_strdup_printf(
            "cd $FOLDER; rm -rf my_trap.dump ran-my; mariadb_shell my -e 'CREATE OR REPLACE DATABASE trap; DROP "
            "DATABASE IF EXISTS"
            " copy'; hex=$({ printf 'CREATE PROCEDURE p() BEGIN '; printf '%s'; printf ' END'; } | od -An -tx1 | tr -d"
            " ' \n'); mariadb_shell my trap -e \"SET @s = CONVERT(0x$hex USING utf8mb4); EXECUTE IMMEDIATE @s\" || "
            "exit 90; $HORNBEAM dump -q \"$(server_uri my trap)\" my_trap.dump || "
            "exit 91;"
            " $HORNBEAM sql my_trap.dump --database copy >my.sql || exit 10; strict=; if grep -q 'SET"
            " @kept' my.sql; then mariadb_shell my <my.sql >out 2>&1 && exit 92; strict='--binary-mode --comments'; fi;"
            " [ -e ran-my ] && exit 93; mariadb_shell my $strict <my.sql || exit 94; [ -e ran-my ] && exit 95; "
            "a=$(mariadb_shell my -N -r -e 'SHOW CREATE PROCEDURE trap.p'); "
            "b=$(mariadb_shell my -N -r"
            " -e 'SHOW CREATE PROCEDURE copy.p'); [ \"$a\" = \"$b\" ] || { echo \"$a\"; echo \"$b\"; exit 96; }",
            bodies[i].body);
        Run run = run_shell(line);
        if (run.status != (bodies[i].refused ? 10 : 0))
            fail_msg("%s: status %d: %s%s", bodies[i].claim, run.status, run.out, run.err);
        if (bodies[i].refused)
            check_contains(run.err, "procedure p");
        run_clear(&run);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(nothing_that_is_called_like_the_journal_is_read),
        cmocka_unit_test(what_a_dump_says_is_never_run_by_verifying_it),
        cmocka_unit_test(a_script_runs_nothing_but_itself),
        cmocka_unit_test(a_script_of_mariadb_runs_nothing_but_itself),
    };
    return servers_run_tests(
        "pg my:mariadb",
        "psql -qX \"$(server_uri pg postgres)\" -c 'CREATE ROLE mallory LOGIN'"
        " -c 'CREATE DATABASE bed' -c 'GRANT CREATE ON DATABASE bed TO mallory' -c 'CREATE DATABASE empty';"
        " psql -qX \"$(server_uri pg bed)\" -c 'CREATE TABLE ran (n int)';"
        " mariadb_shell my -e \"CREATE DATABASE bed; CREATE DATABASE log; CREATE TABLE log.ran (n INT)"
        " ENGINE = MyISAM; CREATE USER mallory@localhost; GRANT ALL ON bed.* TO mallory@localhost; SET GLOBAL"
        " log_bin_trust_function_creators = ON\";"
        " $HORNBEAM dump -q \"$(server_uri pg empty)\" $FOLDER/pg.dump;"
        " mariadb_shell my -e 'CREATE DATABASE empty'; $HORNBEAM dump -q \"$(server_uri my empty)\" $FOLDER/my.dump",
        tests, G_N_ELEMENTS(tests));
}
