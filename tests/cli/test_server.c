/* SPDX-License-Identifier: Apache-2.0 */
/* Whole servers, users, and users without many rights */
#include "support/check.h"
#include "support/servers.h"

#include <string.h>

static char *in_folder(const char *name)
{
    return g_build_filename(servers_get_folder(), name, NULL);
}

/* Two databases of a user's, tablespaces, settings of all sorts, something in the database that every server has */
static void fill_server(void)
{
    g_autofree char *postgres = servers_get_uri("three", "postgres"), *garden = servers_get_uri("three", "garden");
    g_autofree char *odd = servers_get_uri("three", "seed \"bank\"");

    servers_run_shell(
        "as_server_user mkdir $SERVERS/fast $SERVERS/slow;"
        " psql -qX \"$(server_uri three postgres)\""
        "  -c \"CREATE ROLE keeper LOGIN PASSWORD 'acorn' CONNECTION LIMIT 7\""
        "  -c 'CREATE ROLE keepers' -c 'GRANT keepers TO keeper' -c \"ALTER ROLE keeper SET work_mem = '9MB'\""
        "  -c \"ALTER ROLE ALL SET lock_timeout = '1h'\" -c 'GRANT SET ON PARAMETER log_statement TO keeper'"
        "  -c \"CREATE TABLESPACE fast OWNER keeper LOCATION '$SERVERS/fast'\""
        "  -c \"COMMENT ON TABLESPACE fast IS 'quick'\" -c 'CREATE DATABASE garden OWNER keeper'"
        "  -c 'CREATE DATABASE \"seed \"\"bank\"\"\"' -c 'CREATE TABLE mine (a int)'"
        "  -c 'CREATE DATABASE closed ALLOW_CONNECTIONS false';"
        " psql -qX \"$(server_uri three template1)\" -c 'CREATE SCHEMA for_all'");
    g_free(servers_query(garden, "CREATE TABLE plot (id int PRIMARY KEY USING INDEX TABLESPACE fast) TABLESPACE fast;"
                                 "INSERT INTO plot SELECT generate_series(1, 500); ALTER TABLE plot OWNER TO keeper;"
                                 "ALTER ROLE keeper IN DATABASE garden SET work_mem = '11MB'"));
    g_free(servers_query(odd, "CREATE TABLE lot (id serial, n text); INSERT INTO lot (n) VALUES ('x')"));
    g_free(servers_query(postgres, "INSERT INTO mine VALUES (1)"));
}

/* On a third server, where another one stands for it */
static void a_renamed_tablespace_is_equal(const char *dump, const char *from)
{
    g_autofree char *postgres = servers_get_uri("five", "postgres"), *to = servers_get_uri("five", NULL);

    servers_run_shell("as_server_user mkdir $SERVERS/quick; psql -qX \"$(server_uri five postgres)\""
                      " -c \"CREATE TABLESPACE quick LOCATION '$SERVERS/quick'\"");
    run_expect(run_hornbeam("restore", dump, to, "--rename", "tablespace:fast=quick", "--yes", NULL), 0,
               "Restored whole", NULL);
    run_expect(run_hornbeam("verify", dump, to, "--rename", "tablespace:fast=quick", NULL), 0, "Equal", NULL);
    run_expect(run_hornbeam("verify", from, to, "--rename", "tablespace:fast=quick", NULL), 0, "Equal", NULL);
}

static void a_whole_server_is_dumped_restored_and_verified(void **state)
{
    g_autofree char *from = servers_get_uri("three", NULL), *to = servers_get_uri("four", NULL);
    g_autofree char *dump = in_folder("all"), *some = in_folder("some"), *none = in_folder("none"),
                    *garden = servers_get_uri("four", "garden");
    g_autofree char *inner = in_folder("all/databases/garden"), *place = NULL,
                    *stray = servers_get_uri("four", "postgres");

    (void)state;
    fill_server();
    run_expect(run_hornbeam("dump", from, dump, NULL), 1, "seed \"bank\"", "database garden");
    run_expect(run_hornbeam("verify", dump, NULL), 0, "Whole: ", NULL);
    run_expect(run_hornbeam("show", dump, NULL), 0, "databases/garden", NULL);
    run_expect(run_hornbeam("show", inner, NULL), 0, "public.plot", NULL);
    run_expect(run_hornbeam("restore", dump, garden, NULL), 2, NULL, "a whole server");

    /* Something is in the way in one of them: nothing is written to any */
    g_free(servers_query(stray, "CREATE TABLE in_the_way (a int)"));
    run_expect(run_hornbeam("restore", dump, to, NULL), 1, NULL, "database postgres");
    place = servers_query(stray, "SELECT count(*) FROM pg_database WHERE datname = 'garden'");
    assert_string_equal(place, "0");
    g_free(servers_query(stray, "DROP TABLE in_the_way"));

    /* The directory of the tablespace is another server's: the default one is used, and that is said */
    run_expect(run_hornbeam("restore", dump, to, NULL), 1, "the target has no tablespace fast", NULL);
    run_expect(run_hornbeam("verify", from, to, NULL), 1, "tablespace fast: missing in TO", NULL);
    a_renamed_tablespace_is_equal(dump, from);
    run_expect(run_hornbeam("verify", dump, to, "--take", "database:seed*", NULL), 1, "Database seed \"bank\"", NULL);
    g_free(servers_query(stray, "SET ROLE keeper"));

    run_expect(run_hornbeam("dump", from, some, "--take", "database:gar*", NULL), 1, "garden", NULL);
    run_expect(run_hornbeam("dump", from, none, "--take", "database:zzz", NULL), 2, NULL, "no database of");
    run_expect(run_shell("ls $FOLDER/some/databases"), 0, "garden\n", NULL);
}

static void forget_garden(void)
{
    g_autofree char *postgres = servers_get_uri("four", "postgres");

    g_free(servers_query(postgres, "DROP DATABASE garden WITH (FORCE)"));
    g_free(servers_query(postgres, "DROP DATABASE \"seed \"\"bank\"\"\" WITH (FORCE)"));
    g_free(servers_query(postgres, "DROP TABLE mine"));
    g_free(servers_query(postgres, "ALTER ROLE keeper NOLOGIN"));
}

/* Between databases, and within one: what is finished is not begun again */
static void a_whole_servers_restore_is_resumed(void **state)
{
    g_autofree char *to = servers_get_uri("four", NULL), *dump = in_folder("all");
    g_autofree char *bank = servers_get_uri("four", "seed \"bank\""), *lots = NULL;
    g_autofree char *template1 = servers_get_uri("four", "template1"), *broken = in_folder("broken");
    Run run;

    (void)state;
    forget_garden();
    g_free(servers_query(template1, "DROP SCHEMA for_all"));
    run_expect(run_shell("cp -r $FOLDER/all $FOLDER/broken; mv $FOLDER/broken/databases/seed* $FOLDER/aside"), 0, NULL,
               NULL);
    run_expect(run_hornbeam("restore", broken, to, NULL), 6, NULL, "database seed \"bank\"");

    /* One database cannot be loaded; the others are, and are not touched again */
    run_expect(
        run_shell(
            "mv $FOLDER/aside $FOLDER/broken/databases/seed%20%22bank%22; cd $FOLDER/broken/databases/seed*/rows/*;"
            " printf '\\377' | dd of=0001.rows.zst bs=1 seek=9 conv=notrunc 2>/dev/null"),
        0, NULL, NULL);
    run_expect(run_hornbeam("restore", broken, to, NULL), 5, "Not complete: 1 failed", NULL);
    run_expect(run_hornbeam("restore", dump, to, NULL), 1, NULL, "go on with it: the same command with --resume");
    run = run_hornbeam("restore", dump, to, "--resume", NULL);
    assert_int_equal(run.status, 1);
    check_contains(run.out, "role keeper: was there already and stays as it is; unlike in the source, role keeper is");
    check_contains(run.out, "Restored whole: database seed \"bank\"");
    check_lacks(run.out, "database garden");
    run_clear(&run);
    lots = servers_query(bank, "SELECT count(*), nextval('lot_id_seq') FROM lot");
    assert_string_equal(lots, "1|2");
    run_expect(run_hornbeam("restore", dump, to, "--resume", NULL), 1, "Finished already: database garden", NULL);
}

/* A database that refuses everything does not keep its neighbours from being restored */
static void a_database_that_fails_stops_no_neighbour(void **state)
{
    g_autofree char *from = servers_get_uri("three", NULL), *to = servers_get_uri("four", NULL),
                    *dump = in_folder("all");
    g_autofree char *lots = NULL, *carried = NULL, *streamed = NULL;
    g_autofree char *garden = servers_get_uri("four", "garden"), *bank = servers_get_uri("four", "seed \"bank\"");
    g_autofree char *postgres = servers_get_uri("four", "postgres");

    (void)state;
    forget_garden();
    g_free(servers_query(postgres, "CREATE DATABASE garden"));
    g_free(servers_query(garden, "CREATE FUNCTION refuse() RETURNS event_trigger LANGUAGE plpgsql AS"
                                 " $$ BEGIN RAISE 'nothing new here'; END $$; "
                                 "CREATE EVENT TRIGGER refuse ON ddl_command_end EXECUTE FUNCTION refuse()"));
    run_expect(run_hornbeam("carry", from, to, "--existing", "keep", "--jobs", "1", NULL), 4, NULL,
               "database garden: ");
    carried = servers_query(bank, "SELECT count(*) FROM lot");
    assert_string_equal(carried, "1");
    g_free(servers_query(postgres, "DROP DATABASE \"seed \"\"bank\"\"\" WITH (FORCE)"));
    run_expect(run_hornbeam("restore", dump, to, "--existing", "keep", "--jobs", "1", NULL), 4, NULL,
               "database garden: ");
    lots = servers_query(bank, "SELECT count(*) FROM lot");
    assert_string_equal(lots, "1");
    g_free(servers_query(postgres, "DROP DATABASE \"seed \"\"bank\"\"\" WITH (FORCE)"));
    run_expect(run_shell("$HORNBEAM dump -q \"$(server_uri three)\" - | $HORNBEAM restore - \"$(server_uri four)\""
                         " --existing keep --jobs 1 --yes --accept unfinished-restore"),
               4, NULL, "database garden: ");
    streamed = servers_query(bank, "SELECT count(*) FROM lot");
    assert_string_equal(streamed, "1");
    g_free(servers_query(postgres, "DROP DATABASE \"seed \"\"bank\"\"\" WITH (FORCE)"));
    g_free(servers_query(garden, "DROP EVENT TRIGGER refuse"));
    run_expect(run_hornbeam("restore", dump, to, "--existing", "keep", "--resume", NULL), 1, "database garden", NULL);
    g_free(servers_query(garden, "SELECT count(*) FROM plot"));
    g_free(servers_query(postgres, "DROP DATABASE garden WITH (FORCE)"));
    run_expect(run_hornbeam("verify", "-q", from, to, "--jobs", "1", NULL), 3, "Database seed \"bank\"",
               "database \"garden\" does not exist");
}

/* On a hosted server: nobody is superuser, the roles are there already */
static void an_ordinary_owner_is_told_what_others_must_do(void **state)
{
    static const char *const told[] = {
        "table beds.theirs: belongs to gardener for now: must be ",
        "ALTER TABLE beds.theirs OWNER TO other;",
        "event-trigger watch: permission denied",
        "CREATE EVENT TRIGGER watch ON ddl_command_end EXECUTE FUNCTION beds.watch();",
        "function beds.absolute(integer): permission denied",
        "Restored: database own, but",
    };
    static const char *const servers[] = {"one", "two"};
    g_autofree char *own = servers_get_uri("one", "own"), *to_own = servers_get_uri("two", "own");
    g_autofree char *from = g_strdup_printf("%s&user=gardener", own), *to = g_strdup_printf("%s&user=gardener", to_own);
    g_autofree char *dump = in_folder("own.dump"), *mine = in_folder("mine.dump"), *owners = NULL;
    Run run;

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(servers); i++) {
        g_autofree char *postgres = servers_get_uri(servers[i], "postgres");
        g_free(servers_query(postgres, "CREATE ROLE gardener LOGIN; CREATE ROLE sower; CREATE ROLE other;"
                                       "GRANT sower TO gardener"));
        g_free(servers_query(postgres, "CREATE DATABASE own OWNER gardener"));
    }
    g_free(servers_query(
        from,
        "CREATE SCHEMA beds; CREATE TABLE beds.bed (id int PRIMARY KEY, n text); INSERT INTO beds.bed VALUES (1, 'a');"
        "GRANT USAGE, CREATE ON SCHEMA beds TO sower; CREATE TABLE beds.sown (id serial, bed int REFERENCES beds.bed);"
        "ALTER TABLE beds.sown OWNER TO sower; CREATE MATERIALIZED VIEW beds.m AS SELECT id FROM beds.bed;"
        "GRANT SELECT ON beds.bed TO sower; ALTER DEFAULT PRIVILEGES IN SCHEMA beds GRANT SELECT ON TABLES TO sower;"
        "SELECT lo_from_bytea(777, 'bytes'); ALTER DATABASE own SET search_path TO beds"));
    run_expect(run_hornbeam("dump", from, mine, NULL), 1, "passwords of roles", NULL);
    run_expect(run_hornbeam("restore", mine, to, NULL), 0, "Restored whole", NULL);
    run_expect(run_hornbeam("verify", from, to, NULL), 0, "Equal", NULL);

    /* Among his own things some that are others' */
    g_free(servers_query(own, "CREATE TABLE beds.theirs (a int); GRANT SELECT ON beds.theirs TO gardener; ALTER TABLE "
                              "beds.theirs OWNER TO other;"
                              "CREATE SCHEMA hidden; CREATE TABLE hidden.t (a serial); SELECT lo_create(778);"
                              "CREATE FUNCTION beds.watch() RETURNS event_trigger LANGUAGE plpgsql AS $$ BEGIN END $$;"
                              "CREATE EVENT TRIGGER watch ON ddl_command_end EXECUTE FUNCTION beds.watch();"
                              "CREATE FUNCTION beds.absolute(int) RETURNS int LANGUAGE internal AS 'int4abs'"));
    run = run_hornbeam("dump", from, dump, NULL);
    assert_int_equal(run.status, 1);
    check_contains(run.out, "GRANT USAGE ON SCHEMA hidden TO gardener; GRANT SELECT ON hidden.t TO gardener;");
    check_contains(run.out, "value of sequence hidden.t_a_seq");
    check_contains(run.out, "1 large objects");
    run_clear(&run);
    g_free(servers_query(to_own, "SELECT lo_unlink(777); DROP SCHEMA beds CASCADE"));
    run = run_hornbeam("restore", dump, to, NULL);
    assert_int_equal(run.status, 1);
    for (gsize i = 0; i < G_N_ELEMENTS(told); i++)
        check_contains(run.out, told[i]);
    run_clear(&run);
    run_expect(run_hornbeam("verify", dump, to, NULL), 1, "event-trigger watch: missing in TO", NULL);

    /* All of it as his own, without anybody's rights */
    g_free(servers_query(to_own, "SELECT lo_unlink(777); DROP SCHEMA beds CASCADE; DROP SCHEMA hidden CASCADE;"));
    run_expect(run_hornbeam("restore", mine, to, "--ownership", "mine", "--grants", "drop", NULL), 0, "Restored whole",
               NULL);
    run_expect(run_hornbeam("verify", mine, to, "--ownership", "mine", "--grants", "drop", NULL), 0, "Equal", NULL);
    run_expect(run_hornbeam("verify", mine, to, NULL), 1, "table beds.sown: owned by another", NULL);
    owners = servers_query(to_own, "SELECT string_agg(DISTINCT pg_get_userbyid(relowner), ',') FROM pg_class"
                                   " WHERE relnamespace = 'beds'::regnamespace");
    assert_string_equal(owners, "gardener");
}

/* Rows that a policy would hide are never just missing */
static void row_security_that_hides_rows_is_an_error(void **state)
{
    g_autofree char *postgres = servers_get_uri("one", "postgres"), *base = servers_get_uri("one", "veiled");
    g_autofree char *from = g_strdup_printf("%s&user=peeker", base), *dump = in_folder("veiled.dump");

    (void)state;
    g_free(servers_query(postgres, "CREATE ROLE peeker LOGIN"));
    g_free(servers_query(postgres, "CREATE DATABASE veiled OWNER peeker"));
    g_free(servers_query(base, "CREATE TABLE secret (a int); INSERT INTO secret VALUES (1), (2);"
                               "GRANT SELECT ON secret TO peeker; ALTER TABLE secret ENABLE ROW LEVEL SECURITY;"
                               "CREATE POLICY p ON secret USING (a = 1)"));
    run_expect(run_hornbeam("dump", from, dump, NULL), 1, NULL, "ALTER ROLE peeker BYPASSRLS");
    g_autofree char *target = servers_get_uri("two", "veiled");
    run_expect(run_hornbeam("preflight", from, target, NULL), 1, NULL, "row security may hide rows");
    assert_false(g_file_test(dump, G_FILE_TEST_EXISTS));
}

static void users_without_a_password_get_a_new_one(void **state)
{
    g_autofree char *one = servers_get_uri("one", "postgres"), *two = servers_get_uri("two", "postgres");
    g_autofree char *base = servers_get_uri("one", "guarded"), *to = servers_get_uri("two", "guarded");
    g_autofree char *from = g_strdup_printf("%s&user=warden", base), *dump = in_folder("guarded.dump");
    g_autofree char *file = in_folder("passwords"), *text = NULL, *hash = NULL;

    (void)state;
    g_free(servers_query(one, "CREATE ROLE warden LOGIN PASSWORD 'known'; CREATE ROLE wardens"));
    g_free(servers_query(one, "CREATE DATABASE guarded OWNER warden"));
    run_expect(run_hornbeam("dump", from, dump, NULL), 1, "passwords of roles", NULL);
    run_expect(run_hornbeam("restore", dump, to, "--new-passwords", file, NULL), 0, "Restored whole", NULL);
    run_expect(run_shell("stat -c %a $FOLDER/passwords"), 0, "600\n", NULL);
    assert_true(g_file_get_contents(file, &text, NULL, NULL));
    assert_true(g_regex_match_simple("^warden\t[A-Za-z2-9]{24}\n$", text, 0, 0));
    hash = servers_query(two, "SELECT rolpassword FROM pg_authid WHERE rolname = 'warden'");
    assert_true(g_str_has_prefix(hash, "SCRAM-SHA-256$"));
    g_free(servers_query(two, "DROP DATABASE guarded"));
    run_expect(run_hornbeam("restore", dump, to, "--new-passwords", file, NULL), 6, NULL, "does not exist yet");
}

/* An extension's own table, of which the user's rows are the database's; and what was granted on its functions */
static void an_extensions_configuration_is_kept(void **state)
{
    static const char *const servers[] = {"v18", "w18"};
    g_autofree char *from = servers_get_uri("v18", "lists"), *to = servers_get_uri("w18", "lists");
    g_autofree char *dump = in_folder("lists.dump"), *rows = NULL, *rights = NULL;

    (void)state;
    run_expect(
        run_shell("mkdir -p $FOLDER/share/extension && cd $FOLDER/share/extension &&"
                  " printf \"default_version = '1.0'\\n\" >tree_lists.control && cat >tree_lists--1.0.sql <<'S'\n"
                  "CREATE TABLE list (name text PRIMARY KEY, builtin boolean DEFAULT false);\n"
                  "CREATE SEQUENCE list_number;\n"
                  "CREATE FUNCTION list_size() RETURNS bigint LANGUAGE sql AS 'SELECT 1::bigint';\n"
                  "INSERT INTO list VALUES ('oaks', true);\n"
                  "SELECT pg_catalog.pg_extension_config_dump('list', 'WHERE NOT builtin');\n"
                  "SELECT pg_catalog.pg_extension_config_dump('list_number', '');\n"
                  "CREATE TABLE a_leaf (of text REFERENCES list, main int, n int PRIMARY KEY);\n"
                  "CREATE TABLE twig (n int PRIMARY KEY, leaf int REFERENCES a_leaf);\n"
                  "ALTER TABLE a_leaf ADD FOREIGN KEY (main) REFERENCES twig;\n"
                  "SELECT pg_catalog.pg_extension_config_dump('a_leaf', '');\n"
                  "SELECT pg_catalog.pg_extension_config_dump('twig', '');\n"
                  "S\n"
                  "chmod -R a+rX $FOLDER"),
        0, NULL, NULL);
    for (gsize i = 0; i < G_N_ELEMENTS(servers); i++) {
        g_autofree char *postgres = servers_get_uri(servers[i], "postgres");
        g_autofree char *path =
            g_strdup_printf("ALTER SYSTEM SET extension_control_path = '%s/share:$system'", servers_get_folder());
        g_free(servers_query(postgres, path));
        g_free(servers_query(postgres, "SELECT pg_reload_conf()"));
    }
    servers_run_shell(
        "sleep 0.5; psql -qX \"$(server_uri v18 postgres)\" -c 'CREATE DATABASE lists' -c 'CREATE ROLE reader'");
    g_free(servers_query(from, "CREATE EXTENSION tree_lists; INSERT INTO list VALUES ('ferns'), ('mosses');"
                               "INSERT INTO a_leaf VALUES ('ferns', NULL, 1); INSERT INTO twig VALUES (5, 1);"
                               "UPDATE a_leaf SET main = 5;"
                               "SELECT setval('list_number', 40); REVOKE EXECUTE ON FUNCTION list_size() FROM PUBLIC;"
                               "GRANT SELECT ON list TO reader"));
    run_expect(run_hornbeam("dump", from, dump, NULL), 0, "4 rows of 3 tables", NULL);
    run_expect(run_hornbeam("restore", dump, to, NULL), 0, "Restored whole", NULL);
    run_expect(run_hornbeam("verify", from, to, NULL), 0, "Equal", NULL);
    rows = servers_query(to, "SELECT string_agg(name, ',' ORDER BY name), nextval('list_number') FROM list");
    assert_string_equal(rows, "ferns,mosses,oaks|41");
    rights = servers_query(to, "SELECT proacl FROM pg_proc WHERE proname = 'list_size'");
    assert_string_equal(rights, "{postgres=X/postgres}");
}

/* Definitions that change while they are read are read again; nobody waits for ever */
static void structure_may_change_during_a_dump(void **state)
{
    g_autofree char *postgres = servers_get_uri("one", "postgres"), *uri = servers_get_uri("one", "restless");
    g_autofree char *dump = in_folder("restless.dump");

    (void)state;
    g_free(servers_query(postgres, "CREATE DATABASE restless"));
    g_free(servers_query(uri, "CREATE TABLE base (id int PRIMARY KEY)"));
    g_setenv("RESTLESS", uri, TRUE);
    run_expect(
        run_shell(
            "(for i in $(seq 1 60); do psql -qX \"$RESTLESS\" -c \"CREATE OR REPLACE VIEW v AS SELECT $i AS n;"
            " DROP TABLE IF EXISTS t; CREATE TABLE t (a int); ALTER TABLE base ADD c$i int\" >/dev/null 2>&1; done) &"
            " sleep 0.3; timeout 60 $HORNBEAM dump \"$RESTLESS\" $FOLDER/restless.dump >/dev/null; s=$?; wait; exit "
            "$s"),
        0, NULL, NULL);
    run_expect(run_hornbeam("verify", dump, NULL), 0, "Whole", NULL);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(an_ordinary_owner_is_told_what_others_must_do),
        cmocka_unit_test(row_security_that_hides_rows_is_an_error),
        cmocka_unit_test(users_without_a_password_get_a_new_one),
        cmocka_unit_test(an_extensions_configuration_is_kept),
        cmocka_unit_test(structure_may_change_during_a_dump),
        cmocka_unit_test(a_whole_server_is_dumped_restored_and_verified),
        cmocka_unit_test(a_whole_servers_restore_is_resumed),
        cmocka_unit_test(a_database_that_fails_stops_no_neighbour),
    };

    return servers_run_tests("one two three four five v18=18 w18=18", NULL, tests, G_N_ELEMENTS(tests));
}
