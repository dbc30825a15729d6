/* SPDX-License-Identifier: Apache-2.0 */
/* Whole moves by the built program between two real servers, and what may go wrong on the way */
#include "support/check.h"
#include "support/servers.h"

#include <glib/gstdio.h>
#include <string.h>

static struct {
    char *folder;
    char *old;  /* the arboretum on the old server */
    char *new;  /* the new server, without a database */
    char *dump; /* of the arboretum */
} it;

static int begin(void **state)
{
    g_autofree char *to = NULL;

    (void)state;
    it.folder = servers_begin_with_folder("old new");
    to = servers_get_uri("new", "fennick_vale");
    it.old = servers_get_uri("old", "fennick_vale");
    it.new = servers_get_uri("new", NULL);
    it.dump = g_build_filename(it.folder, "vale.dump", NULL);
    g_setenv("OLD", it.old, TRUE);
    g_setenv("NEW", it.new, TRUE);
    g_setenv("DUMP", it.dump, TRUE);
    g_setenv("TARGET", to, TRUE);
    servers_run_shell("psql -qX \"$(server_uri old postgres)\" -f $SOURCE/demo/arboretum/postgres.sql;"
                      " psql -qX $OLD -v scale=1 -f $SOURCE/demo/arboretum/postgres-rows.sql");
    return 0;
}

static int end(void **state)
{
    (void)state;
    servers_end_with_folder(it.folder);
    g_free(it.old);
    g_free(it.new);
    g_free(it.dump);
    return 0;
}

static void forget_target(void)
{
    g_autofree char *postgres = servers_get_uri("new", "postgres");

    g_free(servers_query(postgres, "DROP DATABASE IF EXISTS fennick_vale WITH (FORCE)"));
}

static char *target(void)
{
    return servers_get_uri("new", "fennick_vale");
}

/* ---- The move ---- */

static void a_survey_shows_and_keeps_what_is_there(void **state)
{
    g_autofree char *kept = g_build_filename(it.folder, "survey.json", NULL), *text = NULL;
    g_autofree char *server = servers_get_uri("old", NULL);

    (void)state;
    run_expect(run_hornbeam("survey", it.old, "--out", kept, NULL), 0, "weather.reading_2024", NULL);
    g_file_get_contents(kept, &text, NULL, NULL);
    check_contains(text, "\"document\": \"survey\"");
    check_contains(text, "btree_gist");
    run_expect(run_hornbeam("survey", server, NULL), 0, "fennick_vale  weather.reading_2024", NULL);
    run_expect(run_hornbeam("survey", server, "--json", NULL), 0, "\"scope\": \"server\"", NULL);
}

static void a_dump_is_written_whole_and_its_sums_hold(void **state)
{
    Run run;

    (void)state;
    run_expect(run_hornbeam("dump", it.old, it.dump, NULL), 0, "59,760 rows of 21 tables", "reading rows");
    run = run_shell("cd $DUMP && sha256sum --quiet -c SHA256SUMS && stat -c %a . && stat -c %a manifest.json");
    assert_string_equal(run.out, "700\n600\n");
    run_clear(&run);
    run_expect(run_hornbeam("verify", it.dump, NULL), 0, "Whole: ", NULL);
    run_expect(run_hornbeam("dump", it.old, it.dump, NULL), 6, NULL, "exists already");
    run_expect(run_hornbeam("show", it.dump, NULL), 0, "garden.\"Größter Baum\"", NULL);
    run_expect(run_hornbeam("show", it.dump, "--needs", "table garden.tree", NULL), 0, "view garden.worry_list", NULL);
    run_expect(run_hornbeam("show", it.dump, "--needs", "garden.tree", NULL), 0, "table garden.tree", NULL);
    run_expect(run_hornbeam("show", it.dump, "--needs", "loans_desk", NULL), 2, NULL, "“password loans_desk”");
    run_expect(run_hornbeam("show", it.dump, "--json", NULL), 0, "\"row_sets\"", NULL);
}

static void an_independent_census_finds_no_difference(void **state)
{
    g_autofree char *to = target();

    (void)state;
    run_expect(run_hornbeam("restore", it.dump, it.new, NULL), 0, "Restored whole: database fennick_vale",
               "to be created");
    compare_censuses(it.old, to, 2000);
    run_expect(run_hornbeam("verify", it.dump, it.new, NULL), 0, "Equal", NULL);
    run_expect(run_hornbeam("verify", it.old, to, "--jobs", "3", NULL), 0, "Equal", NULL);
    run_expect(run_hornbeam("restore", it.dump, it.new, NULL), 1, NULL, "is not empty");
}

static void every_sort_of_difference_is_found_and_named(void **state)
{
    static const struct {
        const char *change, *back, *out;
    } cases[] = {
        {"UPDATE weather.station SET name = 'ridge' WHERE name = 'Ridge'",
         "UPDATE weather.station SET name = 'Ridge' WHERE name = 'ridge'", "rows weather.station: other rows"},
        {"DELETE FROM garden.note WHERE body = 'note 7'", NULL, "rows garden.note: other rows"},
        {"ALTER TABLE garden.keeper ALTER email TYPE varchar(200)", "ALTER TABLE garden.keeper ALTER email TYPE text",
         "email character varying(200)"},
        {"DROP INDEX garden.tree_by_plot", NULL, "index garden.tree_by_plot: missing in TO"},
        {"CREATE VIEW garden.more AS SELECT 1 AS one", "DROP VIEW garden.more", "view garden.more: only in TO"},
        {"ALTER TABLE loans.loan OWNER TO postgres", NULL, "owned by another"},
        {"GRANT DELETE ON garden.tree TO loans_desk", "REVOKE DELETE ON garden.tree FROM loans_desk",
         "GRANT DELETE ON TABLE garden.tree TO loans_desk"},
        {"SELECT setval('garden.untouched', 9, false)", "SELECT setval('garden.untouched', 7, false)",
         "sequence-value garden.untouched"},
        {"ALTER ROLE loans_desk CONNECTION LIMIT 3", "ALTER ROLE loans_desk CONNECTION LIMIT 12", "CONNECTION LIMIT 3"},
        {"ALTER ROLE loans_desk PASSWORD 'x'", NULL, "another password"},
        {"ALTER DATABASE fennick_vale SET search_path = weather", NULL, "database-setting search_path"},
        {"COMMENT ON VIEW garden.worry_list IS 'x'", NULL, "comment view garden.worry_list"},
        {"ALTER TABLE loans.loan DISABLE ROW LEVEL SECURITY", NULL, "row-security loans.loan: missing"},
        {"ALTER TABLE garden.tree DISABLE TRIGGER tree_touch", NULL,
         "trigger garden.tree.tree_touch: defined differently"},
    };
    g_autofree char *to = target();

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_free(servers_query(to, cases[i].change));
        run_expect(run_hornbeam("verify", it.dump, it.new, NULL), 1, cases[i].out, NULL);
        if (cases[i].back != NULL)
            g_free(servers_query(to, cases[i].back));
    }
}

static void a_second_copy_takes_another_name(void **state)
{
    g_autofree char *copy = servers_get_uri("new", "vale \"copy\"");
    g_autofree char *setting = NULL;

    (void)state;
    run_expect(run_hornbeam("restore", "--jobs", "1", it.dump, copy, NULL), 0, "Restored whole", NULL);
    setting = servers_query(copy, "SELECT shobj_description(oid, 'pg_database') FROM pg_database"
                                  " WHERE datname = current_database()");
    assert_string_equal(setting, "records of the arboretum");
    run_expect(run_hornbeam("verify", it.dump, copy, "--parts", "schema,data,settings", NULL), 0, "Equal", NULL);
}

static void parts_are_dumped_and_restored_alone(void **state)
{
    g_autofree char *dump = g_build_filename(it.folder, "schema.dump", NULL);
    g_autofree char *to = servers_get_uri("new", "only_schema");
    g_autofree char *count = NULL;

    (void)state;
    run_expect(run_hornbeam("dump", "--parts", "schema", it.old, dump, NULL), 0, "0 rows of 0 tables", NULL);
    run_expect(run_hornbeam("restore", dump, to, NULL), 0, "Restored whole", NULL);
    count = servers_query(to, "SELECT count(*) FROM garden.tree");
    assert_string_equal(count, "0");
    run_expect(run_hornbeam("restore", "--parts", "data", it.dump, to, NULL), 0, "Restored: database only_schema",
               "[set-aside]");
    g_autofree char *now = servers_query(to, "SELECT count(*) FROM garden.tree");
    assert_string_equal(now, "2000");
}

/* ---- What may go wrong ---- */

static void damage_is_found_before_it_is_used(void **state)
{
    static const struct {
        const char *damage; /* shell, in the dump's folder */
        const char *err;
    } cases[] = {
        {"rm SHA256SUMS", "no readable SHA256SUMS"},
        {"echo 'x' >SHA256SUMS", "a line is no sum"},
        {"printf '{' >manifest.json", "its sum differs"},
        {"printf '<' >manifest.json; sed -i \"s/.*  manifest.json/$(sha256sum manifest.json)/\" SHA256SUMS",
         "no JSON document"},
        {"sed -i 's/\"version\": [0-9]*,/\"version\": 7,/' manifest.json; sed -i \"s/.*  manifest.json/$(sha256sum "
         "manifest.json)/\" SHA256SUMS",
         "format version 7"},
        {"rm structure.sql", "structure.sql"},
        {"echo >>completion.sql", "completion.sql: the file is not the one that was written"},
        {"rm rows/garden.tree/0001.rows.zst", "rows/garden.tree/0001.rows.zst: the file is missing"},
        {"truncate -s -1 rows/garden.tree/0001.rows.zst", "rows/garden.tree/0001.rows.zst: the file has"},
    };
    g_autofree char *bad = g_build_filename(it.folder, "bad.dump", NULL);

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *line =
            g_strdup_printf("cd $FOLDER; rm -rf bad.dump; cp -r $DUMP bad.dump; cd bad.dump; %s", cases[i].damage);
        run_expect(run_shell(line), 0, "", NULL);
        run_expect(run_hornbeam("verify", bad, NULL), 5, NULL, cases[i].err);
        run_expect(run_hornbeam("show", bad, NULL), 5, NULL, cases[i].err);
        run_expect(run_hornbeam("restore", bad, it.new, NULL), 5, NULL, cases[i].err);
    }
}

static void a_flipped_byte_in_a_chunk_is_found(void **state)
{
    g_autofree char *bad = g_build_filename(it.folder, "bad.dump", NULL);
    g_autofree char *chunk = g_build_filename(bad, "rows", "garden.tree", "0001.rows.zst", NULL);
    g_autofree char *to = servers_get_uri("new", "flipped"), *count = NULL;

    (void)state;
    run_expect(run_shell("cd $FOLDER; rm -rf bad.dump; cp -r $DUMP bad.dump; touch bad.dump/stray"), 0, "", NULL);
    check_flip_byte(chunk, 2000);
    run_expect(run_hornbeam("verify", bad, NULL), 5, "rows/garden.tree/0001.rows.zst: ", NULL);
    run_expect(run_hornbeam("verify", bad, NULL), 5, "stray: the file is not part of the dump", NULL);
    run_expect(run_hornbeam("restore", bad, to, NULL), 5, "rows garden.tree rows/garden.tree/0001.rows.zst", "error: ");
    count = servers_query(to, "SELECT count(*) FROM garden.tree");
    assert_string_equal(count, "0");
    run_expect(run_hornbeam("restore", bad, to, NULL), 1, NULL, "unfinished restore of this dump");
    run_expect(run_hornbeam("restore", it.dump, to, "--resume", NULL), 0, "Restored whole", NULL);
    run_expect(run_hornbeam("verify", it.dump, to, "--parts", "schema,data", NULL), 0, "Equal", NULL);

    /* What is finished is not begun again; what somebody took away since is not taken for finished */
    run_expect(run_hornbeam("restore", it.dump, to, "--resume", NULL), 0, "Finished already: database flipped", NULL);
    g_free(servers_query(to, "DELETE FROM garden.photograph"));
    run_expect(run_hornbeam("restore", it.dump, to, "--resume", NULL), 1, NULL, "(rows garden.photograph is missing)");
    run_expect(run_hornbeam("restore", it.dump, to, NULL), 1, NULL, "is not empty (it holds");
}

static void a_full_disk_leaves_nothing(void **state)
{
    (void)state;
    run_expect(run_shell("mkdir $FOLDER/full; cd $FOLDER/full; ulimit -f 100; $HORNBEAM dump $OLD x.dump"), 6, NULL,
               "File too large");
    run_expect(run_shell("rmdir $FOLDER/full"), 0, "", NULL);
    run_expect(run_hornbeam("dump", it.old, "/proc/x.dump", NULL), 6, NULL, "/proc");
}

static void a_server_says_no_in_many_ways(void **state)
{
    g_autofree char *missing = servers_get_uri("old", "no_such_base");
    g_autofree char *locked = g_strdup_printf("%s&user=locked", it.old);
    g_autofree char *wrong = g_strdup_printf("%s&user=locked&password=guess", it.old);
    g_autofree char *plain = g_strdup_printf("%s&user=plain", it.old);
    g_autofree char *no_base = servers_get_uri("new", "not_for_plain");
    g_autofree char *new_plain = g_strdup_printf("%s&user=plain", no_base);
    g_autofree char *path = g_build_filename(it.folder, "no.dump", NULL);
    g_autofree char *new_postgres = servers_get_uri("new", "postgres");

    (void)state;
    g_free(servers_query(it.old, "CREATE ROLE locked LOGIN PASSWORD 'sesam'; CREATE ROLE plain LOGIN;"
                                 " GRANT CONNECT ON DATABASE fennick_vale TO plain, locked"));
    g_free(servers_query(new_postgres, "CREATE ROLE plain LOGIN"));
    servers_run_shell("as_server_user sed -i '1i local all locked scram-sha-256' $SERVERS/old/data/pg_hba.conf;"
                      " as_server_user $POSTGRES_BIN/pg_ctl -D $SERVERS/old/data reload");
    run_expect(run_hornbeam("dump", missing, path, NULL), 3, NULL, "no_such_base");
    run_expect(run_hornbeam("dump", locked, path, NULL), 3, NULL, "password");
    run_expect(run_hornbeam("dump", wrong, path, NULL), 3, NULL, "password authentication failed");
    assert_false(g_file_test(path, G_FILE_TEST_EXISTS));
    run_expect(run_hornbeam("dump", plain, path, NULL), 1, "GRANT SELECT ON garden.tree TO plain;", NULL);
    run_expect(run_hornbeam("restore", it.dump, new_plain, NULL), 1, NULL, "ALTER ROLE plain CREATEDB;");
}

#define HOLD_A_LOCK "hold old fennick_vale 'BEGIN; LOCK TABLE garden.plot';"

/* Who may do little may still move what is his; the roles that are there are no obstacle */
static void an_ordinary_owner_moves_his_own_database(void **state)
{
    g_autofree char *old = servers_get_uri("old", "postgres"), *new = servers_get_uri("new", "postgres");
    g_autofree char *from = servers_get_uri("old", "his"), *to = servers_get_uri("new", "his");
    g_autofree char *from_him = g_strdup_printf("%s&user=owner", from), *to_him = g_strdup_printf("%s&user=owner", to);
    g_autofree char *dump = g_build_filename(it.folder, "his.dump", NULL);

    (void)state;
    g_free(servers_query(old, "CREATE ROLE owner LOGIN CREATEDB"));
    g_free(servers_query(new, "CREATE ROLE owner LOGIN CREATEDB"));
    g_free(servers_query(old, "CREATE DATABASE his OWNER owner"));
    g_free(servers_query(from_him, "CREATE TABLE t (id serial PRIMARY KEY, n text); INSERT INTO t (n) VALUES ('x');"
                                   "CREATE VIEW v AS SELECT * FROM t; GRANT SELECT ON v TO PUBLIC"));
    run_expect(run_hornbeam("dump", from_him, dump, NULL), 1, "passwords of roles", NULL);
    run_expect(run_hornbeam("restore", dump, to_him, NULL), 0, "Restored whole", NULL);
    run_expect(run_hornbeam("verify", dump, to_him, NULL), 0, "Equal", NULL);
}

static void a_locked_table_is_named_with_its_holder(void **state)
{
    (void)state;
    run_expect(run_shell(HOLD_A_LOCK
                         " $HORNBEAM dump --lock-wait 1 $OLD $FOLDER/locked.dump; status=$?; let_go; exit $status"),
               4, NULL, "table garden.plot: locked by process");
    run_expect(run_shell("ls -d $FOLDER/*locked*"), 2, "", NULL);
}

static void passwords_are_not_in_the_list_of_processes(void **state)
{
    (void)state;
    run_expect(run_shell(HOLD_A_LOCK
                         " $HORNBEAM dump --lock-wait 30 \"$OLD&password=geheim\" $FOLDER/p.dump 2>/dev/null & sleep 1;"
                         " tr '\\0' ' ' </proc/$!/cmdline; kill -INT $!; wait $!; status=$?; let_go; exit $status"),
               130, "password=******", NULL);
}

/* Rows that take a while: compressed as hard as can be */
static void an_interrupted_dump_leaves_nothing(void **state)
{
    static const char *const signals[] = {"INT", "TERM"};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(signals); i++) {
        g_setenv("SIGNAL", signals[i], TRUE);
        run_expect(
            run_shell("mkdir $FOLDER/interrupted; cd $FOLDER/interrupted;"
                      " $HORNBEAM dump --lock-wait 30 --compress 19 --jobs 1 $OLD x.dump &"
                      " until ls .x.dump.*/rows/*/* >/dev/null 2>&1; do kill -0 $! || exit 99; sleep 0.01; done; "
                      "kill -$SIGNAL $!; wait $!;"
                      " status=$?; ls -A; cd ..; rmdir interrupted; exit $status"),
            130, "", "error: interrupted");
    }
}

static void a_server_killed_during_a_dump_leaves_nothing(void **state)
{
    (void)state;
    servers_run_shell(
        "mkdir $FOLDER/killed; cd $FOLDER/killed; $HORNBEAM dump --lock-wait 30 --compress 19 --jobs 1 $OLD x.dump "
        ">out 2>&1 &"
        " pid=$!; cd $FOLDER/killed; until ls .x.dump.*/rows/*/* >/dev/null 2>&1; do kill -0 $! || exit 99; sleep "
        "0.01; done;"
        " kill -STOP $pid; stop_postgres old immediate; kill -CONT $pid; status=0; wait $pid || status=$?;"
        " as_server_user $POSTGRES_BIN/pg_ctl -D $SERVERS/old/data -l $SERVERS/old/data/server.log -w start"
        " >/dev/null; cat out; [ $status = 3 ]; [ \"$(ls -A)\" = out ]; grep -q 'what to do' out");
}

static char *start_restore(const char *then)
{
    return g_strdup_printf(
        "cd $FOLDER; rm -f out; $HORNBEAM restore --jobs 2 $DUMP $NEW >out 2>&1 & pid=$!; cd $FOLDER;"
        " until [ \"$(psql -qXAt $TARGET -c 'SELECT count(*) FROM hornbeam_journal.step' 2>/dev/null)\" -gt 60 ]"
        " 2>/dev/null; do kill -0 $pid; done; kill -STOP $pid; %s; kill -CONT $pid 2>/dev/null || true; status=0;"
        " wait $pid || status=$?; cat out; ",
        then);
}

static const char restart[] =
    "as_server_user $POSTGRES_BIN/pg_ctl -D $SERVERS/new/data -l $SERVERS/new/data/server.log -w start"
    " >/dev/null";

static void check_restored(gboolean resume)
{
    if (resume) {
        run_expect(run_hornbeam("verify", it.dump, it.new, NULL), 1, "TO is unfinished", NULL);
        run_expect(run_hornbeam("restore", "--resume", it.dump, it.new, NULL), 0, "Restored whole",
                   "About to go on writing");
    }
    run_expect(run_hornbeam("verify", "--parts", "schema,data,settings", it.dump, it.new, NULL), 0, "Equal", NULL);
}

static void a_restore_survives_a_restart_of_the_server(void **state)
{
    g_autofree char *then = g_strdup_printf("stop_postgres new immediate; %s", restart);
    g_autofree char *line = start_restore(then);
    g_autofree char *all = g_strconcat(line, "[ $status = 0 ]; grep -q 'opening the connection again' out", NULL);

    (void)state;
    forget_target();
    servers_run_shell(all);
    check_restored(FALSE);
}

static void a_restore_that_was_killed_is_resumed(void **state)
{
    static const struct {
        const char *then, *check;
    } cases[] = {{"kill -KILL $pid", "[ $status = 137 ]"},
                 {"kill -INT $pid", "[ $status = 130 ]; grep -q 'Go on with --resume' out"}};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *line = start_restore(cases[i].then);
        g_autofree char *all = g_strconcat(line, cases[i].check, NULL);
        forget_target();
        servers_run_shell(all);
        check_restored(TRUE);
    }
}

static void a_server_that_stays_away_ends_the_restore(void **state)
{
    g_autofree char *line = start_restore("stop_postgres new immediate");
    g_autofree char *all = g_strdup_printf("%s %s; [ $status = 3 ]; grep -q 'Go on with --resume' out", line, restart);

    (void)state;
    forget_target();
    servers_run_shell(all);
    check_restored(TRUE);
}

/* Ordinary objects in their less ordinary forms: tests/support/odd.sql */
static void odd_forms_of_objects_are_moved(void **state)
{
    g_autofree char *from = servers_get_uri("old", "odd"), *to = servers_get_uri("new", "odd");
    g_autofree char *dump = g_build_filename(it.folder, "odd.dump", NULL);

    (void)state;
    servers_run_shell("psql -qX \"$(server_uri old postgres)\" -c 'CREATE DATABASE odd';"
                      " psql -qX -v ON_ERROR_STOP=1 \"$(server_uri old odd)\" -f $SOURCE/tests/support/odd.sql");
    run_expect(run_hornbeam("dump", from, dump, NULL), 0, "Written whole", NULL);
    run_expect(run_hornbeam("restore", dump, to, NULL), 0, "Restored whole", NULL);
    compare_censuses(from, to, 3000);
    run_expect(run_hornbeam("verify", from, to, NULL), 0, "Equal", NULL);
}

/* A name that would move the cursor, rows that need many sessions, more tables than half of the server's locks */
static void odd_and_many_objects_are_moved(void **state)
{
    g_autofree char *postgres = servers_get_uri("old", "postgres"), *many = servers_get_uri("old", "many");
    g_autofree char *dump = g_build_filename(it.folder, "many.dump", NULL);
    g_autofree char *to = servers_get_uri("new", "many");
    Run run;

    (void)state;
    g_free(servers_query(postgres, "CREATE DATABASE many"));
    g_free(servers_query(many,
                         "DO $$ BEGIN FOR i IN 1..200 LOOP FOR j IN 1..20 LOOP"
                         " EXECUTE format('CREATE TABLE t_%s_%s (id int)', i, j); END LOOP; COMMIT; END LOOP; END $$"));
    g_free(servers_query(many, "CREATE TABLE \"evil\n\033[2Jname\" (\"a,\"\"b\" int PRIMARY KEY);"
                               " INSERT INTO \"evil\n\033[2Jname\" VALUES (1)"));
    run = run_hornbeam("dump", many, dump, NULL);
    assert_int_equal(run.status, 0);
    check_contains(run.err, "4001 tables are not locked");
    run_clear(&run);
    run = run_hornbeam("show", dump, NULL);
    check_contains(run.out, "\"evil\\n\\x1B[2Jname\"");
    check_lacks(run.out, "\033");
    run_clear(&run);
    run_expect(run_hornbeam("restore", dump, to, NULL), 0, "Restored whole", NULL);
    run_expect(run_hornbeam("verify", dump, to, NULL), 0, "Equal", NULL);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_survey_shows_and_keeps_what_is_there),
        cmocka_unit_test(a_dump_is_written_whole_and_its_sums_hold),
        cmocka_unit_test(an_independent_census_finds_no_difference),
        cmocka_unit_test(odd_forms_of_objects_are_moved),
        cmocka_unit_test(every_sort_of_difference_is_found_and_named),
        cmocka_unit_test(a_second_copy_takes_another_name),
        cmocka_unit_test(parts_are_dumped_and_restored_alone),
        cmocka_unit_test(damage_is_found_before_it_is_used),
        cmocka_unit_test(a_flipped_byte_in_a_chunk_is_found),
        cmocka_unit_test(a_full_disk_leaves_nothing),
        cmocka_unit_test(a_server_says_no_in_many_ways),
        cmocka_unit_test(an_ordinary_owner_moves_his_own_database),
        cmocka_unit_test(a_locked_table_is_named_with_its_holder),
        cmocka_unit_test(passwords_are_not_in_the_list_of_processes),
        cmocka_unit_test(an_interrupted_dump_leaves_nothing),
        cmocka_unit_test(a_server_killed_during_a_dump_leaves_nothing),
        cmocka_unit_test(a_restore_survives_a_restart_of_the_server),
        cmocka_unit_test(a_restore_that_was_killed_is_resumed),
        cmocka_unit_test(a_server_that_stays_away_ends_the_restore),
        cmocka_unit_test(odd_and_many_objects_are_moved),
    };
    return cmocka_run_group_tests(tests, begin, end);
}
