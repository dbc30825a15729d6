/* SPDX-License-Identifier: Apache-2.0 */
/* Other names on the way: inside definitions, too; and a second copy beside the original */
#include "support/check.h"
#include "support/servers.h"

#include <string.h>

typedef struct {
    const char *old, *new, *database;
    const char *renames;
    const char *told; /* of what is left */
    const char *query, *answer;
} Case;

static const Case cases[] = {
    {"old", "new", "by_schema", "--rename schema:garden=park",
     "function park.dynamic(): “garden” stands inside a string",
     "SELECT park.count_plots(1) || ' ' || (SELECT count(*) FROM park.alias) || ' ' || (SELECT count(*) FROM "
     "park.standing_tree) > ''"
     " AND to_regnamespace('garden') IS NULL",
     "t"},
    {"old", "new", "odd_names", "--rename schema:garden=Select --rename schema:loans=\"the desk\" --skip user:*", NULL,
     "SELECT count(*) FROM \"Select\".plot WHERE EXISTS (SELECT FROM \"the desk\".loan)", "60"},
    {"old", "other", "by_owner", "--rename owner:vale_owner=park_owner --rename owner:vale_readers=\"Park Guests\"",
     NULL,
     "SELECT pg_get_userbyid(relowner) || has_table_privilege('Park Guests', oid, 'SELECT') FROM pg_class WHERE oid ="
     " 'garden.tree'::regclass",
     "park_ownertrue"},
    {"old", "new", NULL, "--skip user:* --rename database:fennick_vale=vale_of_rename", NULL,
     "SELECT current_database()", "vale_of_rename"},
    {"mold", "mnew", NULL, "--rename database:fennick_vale=vale_of_rename",
     "procedure built: “fennick_vale” stands inside a string", "SELECT COUNT(*) > 0 FROM standing_tree", "1"},
    {"mold", "mother", "by_owner",
     "--rename owner:vale_owner@localhost=park_owner@% --rename owner:vale_readers=guests", NULL,
     "SELECT DEFINER FROM information_schema.VIEWS WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = 'standing_tree'",
     "park_owner@%"},
    {"old", "old", "beside", "--rename schema:garden=park", NULL,
     "SELECT nspname FROM pg_namespace WHERE nspname IN ('garden', 'park')", "park"},
    /* One user gets what is another's: who comes along, or stands on the target already; a superuser's rights do not */
    {"old", "other", "merged", "--rename owner:vale_owner=vale_keepers --rename owner:postgres=\"Ida Quill\"", NULL,
     "SELECT string_agg(DISTINCT pg_get_userbyid(relowner), ' ') || ' ' || rolsuper FROM pg_class, pg_roles"
     " WHERE relnamespace = 'garden'::regnamespace AND rolname = 'Ida Quill' GROUP BY rolsuper",
     "Ida Quill vale_keepers false"},
    {"mold", "mother", "merged", "--rename owner:vale_owner@localhost=weather_station@localhost", NULL,
     "SELECT GROUP_CONCAT(DISTINCT DEFINER ORDER BY DEFINER) FROM information_schema.VIEWS WHERE TABLE_SCHEMA ="
     " DATABASE()",
     "root@localhost,weather_station@localhost"},
};

/* By restore, by carry and by a stream; verify applies the same renames to what was dumped */
static void renamed_copies_are_what_was_dumped(void **state)
{
    static const char *const ways[] = {"$HORNBEAM restore $1.dump \"$to\"", "$HORNBEAM carry \"$from\" \"$to\"",
                                       "$HORNBEAM dump -q \"$from\" - | $HORNBEAM restore - \"$to\""};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases) * G_N_ELEMENTS(ways); i++) {
        const Case *it = &cases[i / G_N_ELEMENTS(ways)];
        const char *way = ways[i % G_N_ELEMENTS(ways)];
        g_autofree char *database = it->database != NULL ? g_strdup_printf("%s%zu", it->database, i) : g_strdup("");
        g_autofree char *renames =
            it->database != NULL ? g_strdup(it->renames) : g_strdup_printf("%s%zu", it->renames, i);
        g_autofree char *line = g_strdup_printf(
            "cd $FOLDER; set -- %s; from=$(server_uri %s fennick_vale) to=$(server_uri %s %s); %s %s; status=$?;"
            " [ $status -le 1 ] || exit 9; $HORNBEAM verify \"$from\" \"$to\" %s; $HORNBEAM verify %s.dump \"$to\" %s",
            it->old, it->old, it->new, database, way, renames, renames, it->old, renames);
        g_autofree char *named = it->database != NULL ? g_strdup(database) : g_strdup_printf("vale_of_rename%zu", i);
        g_autofree char *uri = servers_get_uri(it->new, named);
        Run run = run_shell(line);
        if (run.status != 0 || strstr(run.out, "Equal") == NULL ||
            (it->told != NULL && strstr(run.out, it->told) == NULL))
            fail_msg("%s (%s): status %d: %s%s", renames, way, run.status, run.out, run.err);
        run_clear(&run);
        g_autofree char *answer = servers_query(uri, it->query);
        if (!g_str_has_prefix(answer, it->answer))
            fail_msg("%s: %s", renames, answer);
    }
}

static void tablespaces_and_scripts_follow(void **state)
{
    (void)state;
    servers_run_shell(
        "as_server_user mkdir $SERVERS/fast $SERVERS/quick;"
        " psql -qX \"$(server_uri old postgres)\" -c \"CREATE TABLESPACE fast LOCATION '$SERVERS/fast'\""
        "  -c 'CREATE DATABASE spaced';"
        " psql -qX \"$(server_uri old spaced)\" -c 'CREATE TABLE t (a int PRIMARY KEY USING INDEX TABLESPACE fast)"
        "  TABLESPACE fast';"
        " psql -qX \"$(server_uri new postgres)\" -c \"CREATE TABLESPACE quick LOCATION '$SERVERS/quick'\"");
    run_expect(
        run_shell(
            "cd $FOLDER; from=$(server_uri old spaced) to=$(server_uri new spaced);"
            " $HORNBEAM carry \"$from\" \"$to\" --rename tablespace:fast=quick &&"
            " $HORNBEAM verify \"$from\" \"$to\" --rename tablespace:fast=quick &&"
            " psql -qXAtc 'SELECT count(*) FROM pg_class JOIN pg_tablespace s ON s.oid = reltablespace WHERE spcname ="
            " $$quick$$' \"$to\""),
        0, "\n2\n", NULL);
    run_expect(
        run_shell("cd $FOLDER; $HORNBEAM sql old.dump --database scripted --rename schema:garden=park --skip user:* |"
                  " psql -qX \"$(server_uri new postgres)\" >/dev/null; $HORNBEAM verify old.dump \"$(server_uri new "
                  "scripted)\""
                  " --rename schema:garden=park --skip user:*"),
        0, "Equal", NULL);
}

/* With its privileges, limits and settings, on the same server */
static void a_second_copy_stands_beside_the_original(void **state)
{
    (void)state;
    run_expect(
        run_shell("cd $FOLDER; for s in old mold; do $HORNBEAM restore $s.dump \"$(server_uri $s beside)\" || [ $? = 1 "
                  "] || exit 9;"
                  " $HORNBEAM verify \"$(server_uri $s fennick_vale)\" \"$(server_uri $s beside)\" || exit 8; done"),
        0, "Equal", NULL);
    g_autofree char *beside = servers_get_uri("old", "beside");
    g_autofree char *settings =
        servers_query(beside, "SELECT string_agg(s, ' ' ORDER BY s) FROM pg_db_role_setting JOIN pg_database d"
                              " ON d.oid = setdatabase, unnest(setconfig) s WHERE datname = 'beside'");
    check_contains(settings, "TimeZone=Europe/Vienna");
}

/* Under the names that things have there */
static void own_questions_are_asked_on_both_sides(void **state)
{
    (void)state;
    run_expect(
        run_shell(
            "cd $FOLDER; set -f; to=$(server_uri new asked); $HORNBEAM restore -q old.dump \"$to\" --rename"
            " schema:garden=park --skip user:*; printf '[route]\\nfrom = %s\\nto = %s\\nskip = user:*\\nrename ="
            " schema:garden=park\\nprobe = SELECT count(*), min(tag::text) FROM garden.tree; SELECT 1\\n' "
            "\"$(server_uri"
            " old fennick_vale)\" \"$to\" >asked.route; $HORNBEAM --route asked.route verify || exit 9;"
            " psql -qX \"$to\" -c 'DELETE FROM park.photograph; CREATE TABLE public.kept (a int)';"
            " $HORNBEAM --route asked.route verify --probe 'SELECT count(*) FROM garden.photograph' --probe"
            " 'INSERT INTO public.kept VALUES (1)' --json >asked.json; status=$?;"
            " python3 -c 'import json; d = json.load(open(\"asked.json\")); print([q[\"same\"] for q in"
            " d[\"questions\"]], d[\"questions\"][0][\"to\"], d[\"questions\"][1][\"to_refusal\"])'; exit $status"),
        1, "[False, False] [['0']] cannot execute INSERT in a read-only transaction", NULL);
    run_expect(run_shell("cd $FOLDER; to=$(server_uri mold asked); set -f; $HORNBEAM restore -q mold.dump \"$to\";"
                         " $HORNBEAM verify \"$(server_uri mold fennick_vale)\" \"$to\" --probe"
                         " 'SELECT COUNT(*) AS trees FROM fennick_vale.tree WHERE height_m IS NOT NULL'"),
               0, "side  trees\n  both", NULL);
    run_expect(run_shell("cd $FOLDER; $HORNBEAM verify old.dump \"$(server_uri new asked)\" --rename schema:garden=park"
                         " --take table:keeper --probe 'SELECT count(*) AS keepers FROM garden.keeper'"),
               0, "side  keepers\n  TO", NULL);
}

/* TO has the new names: a choice by the old ones, of the dump's or of now, finds what it means there, and what else
 * has the old name, or the new one, is not meant */
static void chosen_parts_are_found_under_their_new_names(void **state)
{
    (void)state;
    run_expect(
        run_shell(
            "cd $FOLDER; set -f; from=$(server_uri old fennick_vale); to=$(server_uri new chosen);"
            " $HORNBEAM dump -q \"$from\" chosen.dump --take schema:garden --take schema:loans;"
            " $HORNBEAM restore -q chosen.dump \"$to\" --rename schema:garden=park >/dev/null;"
            " psql -qX \"$to\" -c 'CREATE SCHEMA garden CREATE TABLE plot (a int) CREATE TABLE own (a int)';"
            " for what in \"$from --take schema:garden --take schema:loans\" 'chosen.dump' 'chosen.dump --take"
            " table:garden.plot' 'chosen.dump --skip schema:loans'; do set -- $what; one=$1; shift;"
            " $HORNBEAM verify $one \"$to\" $* --rename schema:garden=park >chosen.out || { cat chosen.out; exit 9; };"
            " done; psql -qX \"$to\" -c 'TRUNCATE park.tree, park.photograph'; $HORNBEAM verify chosen.dump \"$to\""
            " --rename schema:garden=park"),
        1, "rows park.tree: other rows", NULL);
    run_expect(
        run_shell("cd $FOLDER; from=$(server_uri mold fennick_vale); to=$(server_uri mnew chosen);"
                  " what='--take user:vale_owner@localhost --rename owner:vale_owner@localhost=park_owner@%'; set -f;"
                  " $HORNBEAM carry -q \"$from\" \"$to\" $what >/dev/null; $HORNBEAM verify \"$from\" \"$to\" $what"),
        0, "Equal", NULL);
}

/* Under FROM's own names: another table may have the new one there */
static void differing_rows_are_read_by_the_names_that_each_side_has(void **state)
{
    (void)state;
    run_expect(
        run_shell("cd $FOLDER; set -f; from=$(server_uri old fennick_vale); to=$(server_uri new differing);"
                  " $HORNBEAM carry -q \"$from\" \"$to\" --rename schema:garden=park;"
                  " psql -qX \"$to\" -c 'UPDATE park.keeper SET name = upper(name) WHERE keeper_id = 2';"
                  " psql -qX \"$from\" -c 'CREATE SCHEMA park CREATE TABLE keeper (keeper_id int, name text)';"
                  " $HORNBEAM verify \"$from\" \"$to\" --skip schema:park --rename schema:garden=park"
                  " --show-values; status=$?; psql -qX \"$from\" -c 'DROP SCHEMA park CASCADE' 2>&-; exit $status"),
        1, "FROM  name = Wanda Ösk 2\n", NULL);
}

static void names_that_clash_are_refused(void **state)
{
    (void)state;
    run_expect(run_shell("cd $FOLDER; psql -qX \"$(server_uri old fennick_vale)\" -c 'CREATE TABLE loans.plot (a int)';"
                         " $HORNBEAM carry \"$(server_uri old fennick_vale)\" \"$(server_uri new clash)\" --rename "
                         "schema:garden=loans"),
               2, NULL, "two objects would have this name");
    run_expect(run_shell("cd $FOLDER; to=$(server_uri new clash); for what in schema:gardn=park owner:ida=x"
                         " tablespace:fast=x database:vale=x storage:MyISAM=Aria; do $HORNBEAM restore old.dump \"$to\""
                         " --rename $what; [ $? = 2 ] || exit 9; done; $HORNBEAM verify old.dump \"$(server_uri old"
                         " fennick_vale)\" --rename schema:gardn=park"),
               2, NULL, "--rename schema:gardn=park: nothing has the old name");
    run_expect(run_shell("$HORNBEAM restore x y --rename plot=bed"), 2, NULL, "KIND:OLD=NEW");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(renamed_copies_are_what_was_dumped),
        cmocka_unit_test(tablespaces_and_scripts_follow),
        cmocka_unit_test(a_second_copy_stands_beside_the_original),
        cmocka_unit_test(own_questions_are_asked_on_both_sides),
        cmocka_unit_test(chosen_parts_are_found_under_their_new_names),
        cmocka_unit_test(differing_rows_are_read_by_the_names_that_each_side_has),
        cmocka_unit_test(names_that_clash_are_refused),
    };

    return servers_run_tests(
        "old new other mold:mariadb mnew:mariadb mother:mariadb",
        "cd $SOURCE; plant old 1; psql -qX \"$(server_uri old fennick_vale)\" -c \"SET search_path = ''\""
        " -c 'CREATE VIEW garden.alias AS SELECT garden.plot_id, garden.label FROM garden.plot garden'"
        " -c 'CREATE FUNCTION garden.count_plots(garden int) RETURNS bigint LANGUAGE plpgsql SET search_path = garden, "
        "public  AS $f$ DECLARE n bigint;"
        " BEGIN SELECT count(*) INTO n FROM garden.plot; RETURN n + garden; END $f$'"
        " -c \"CREATE FUNCTION garden.dynamic() RETURNS void LANGUAGE plpgsql AS \\$f\\$ BEGIN EXECUTE 'TABLE "
        "garden.plot';"
        " END \\$f\\$\""
        " -c \"CREATE TABLE garden.bed (garden garden.condition, n int DEFAULT nextval('garden.label_number'))\""
        " -c 'ALTER FUNCTION garden.dynamic() OWNER TO vale_owner'; plant mold 1;"
        " printf 'DELIMITER //\\nCREATE PROCEDURE built() BEGIN EXECUTE IMMEDIATE \"SELECT 1 FROM fennick_vale.plot\";"
        " END//\\n' |  mariadb_shell mold fennick_vale; cd $FOLDER; for s in old mold;"
        " do $HORNBEAM dump -q \"$(server_uri $s fennick_vale)\" $s.dump || [ $? = 1 ]; done",
        tests, G_N_ELEMENTS(tests));
}
