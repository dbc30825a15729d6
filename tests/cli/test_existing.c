/* SPDX-License-Identifier: Apache-2.0 */
/* Into a database that holds something: kept, replaced, or filled with rows alone; on both engines, and when it fails
 */
#include "support/check.h"
#include "support/servers.h"

#include <string.h>

/* from, to and dump of both engines' databases, one after the other, each in a target database of the same name */
#define EACH                                                                                                           \
    "cd $FOLDER; for it in 'old new odd' 'old new fennick_vale' 'mold mnew odd' 'mold mnew fennick_vale'; do set -- "  \
    "$it;"                                                                                                             \
    " from=$(server_uri $1 $3) to=$(server_uri $2 $3) dump=$1.$3;"

/* Restoring and verifying: with remarks at most, such as an analyze that a foreign server refuses; refused is not done
 */
#define TRY                                                                                                            \
    " try() { \"$@\" >out 2>&1 || { [ $? = 1 ] && ! grep -q 'nothing was written' out; } ||"                           \
    " { echo \"$*: $?\"; cat out; exit 9; }; };"
#define SAME " $HORNBEAM verify \"$from\" \"$to\" || exit 8;"

static void nothing_is_doubled_and_nothing_lost_by_any_way(void **state)
{
    static const char *const ways[] = {
        "try $HORNBEAM restore $dump \"$to\" --existing keep;",
        "try $HORNBEAM restore $dump \"$to\" --parts data --existing replace --yes;",
        "try $HORNBEAM restore $dump \"$to\" --existing replace --yes;",
        "try $HORNBEAM carry \"$from\" \"$to\" --existing replace --yes;",
        "try $HORNBEAM carry \"$from\" \"$to\" --parts data --existing replace --yes;",
        "$HORNBEAM dump -q \"$from\" - 2>err | try $HORNBEAM restore - \"$to\" --parts data --existing replace --yes;",
        "$HORNBEAM dump -q \"$from\" - 2>err | try $HORNBEAM restore - \"$to\" --existing replace --yes;",
        "[ $1 = mold ] || psql -qX \"$to\" -c 'CREATE PUBLICATION everything_there FOR ALL TABLES' >out 2>&1; "
        "$HORNBEAM dump -q"
        " \"$from\" - 2>err | try $HORNBEAM restore - \"$to\" --existing replace --yes;"
        " [ $1 = mold ] || psql -qX \"$to\" -c 'DROP PUBLICATION everything_there';",
        "try $HORNBEAM carry \"$from\" \"$to\" --existing keep;",
    };

    (void)state;
    run_expect(
        run_shell(TRY EACH " try $HORNBEAM dump \"$from\" $dump; try $HORNBEAM restore $dump \"$to\";" SAME " done"), 0,
        NULL, NULL);
    for (gsize i = 0; i < G_N_ELEMENTS(ways); i++) {
        g_autofree char *line = g_strconcat(TRY EACH, ways[i], SAME " done", NULL);
        Run run = run_shell(line);
        if (run.status != 0)
            fail_msg("%s: status %d: %s%s", ways[i], run.status, run.out, run.err);
        run_clear(&run);
    }
}

/* By the servers' own words, not by ours */
static void a_replaced_database_is_the_same_by_the_servers_own_words(void **state)
{
    g_autofree char *from = servers_get_uri("old", "odd"), *to = servers_get_uri("new", "odd");

    (void)state;
    compare_censuses(from, to, 500);
    compare_mariadb_censuses("mold", "mnew", "odd", "beside", 300);
}

typedef struct {
    const char *claim;
    const char *server; /* the target; its database is fennick_vale */
    const char *change; /* made there beforehand, in its shell */
    const char *options;
    int status;
    const char *told;     /* on standard error */
    const char *question; /* asked afterwards, in its shell */
    const char *answer;
} Case;

static const Case cases[] = {
    {"nobody agreed: nothing happens", "new", "SELECT", "--existing replace", 1, "give the same command with --yes",
     "SELECT count(*) FROM garden.tree", "2000"},
    {"a table that holds rows is not filled twice", "new", "SELECT", "--parts data", 1, "[rows-there]",
     "SELECT count(*) FROM garden.tree", "2000"},
    {"what is missing comes, what is there stays", "new",
     "DROP VIEW garden.worry_list; TRUNCATE garden.photograph; DELETE FROM weather.reading_2024;"
     " DROP INDEX garden.tree_by_plot; UPDATE garden.plot SET area_m2 = 7 WHERE plot_id = 1",
     "--existing keep", 0, "hold rows already: none are loaded into them",
     "SELECT (SELECT count(*) FROM garden.photograph) > 0, (SELECT count(*) FROM weather.reading_2024) > 0,"
     " to_regclass('garden.worry_list') IS NOT NULL, to_regclass('garden.tree_by_plot') IS NOT NULL,"
     " (SELECT count(*) FROM pg_trigger WHERE tgrelid = 'garden.tree'::regclass AND NOT tgisinternal)"
     " FROM garden.plot WHERE area_m2 = 7",
     "t|t|t|t|1"},
    {"what differs is told", "new", "ALTER TABLE garden.note ADD own int; TRUNCATE garden.note", "--existing keep", 1,
     "has more columns; they get their defaults: own", "SELECT count(*) > 0, count(own) FROM garden.note", "t|0"},
    {"rows must fit", "new",
     "TRUNCATE garden.note; ALTER TABLE garden.note DROP own; ALTER TABLE garden.note ADD own int NOT NULL",
     "--take table:note --parts data --existing replace --yes", 1, "demands values that the rows do not have, in: own",
     "SELECT 1", "1"},
    {"a view that does not come back holds its table back", "new",
     "DROP TABLE garden.tour_note, garden.note; CREATE VIEW garden.own AS SELECT code FROM garden.accession;"
     " CREATE INDEX own_index ON garden.accession (donor)",
     "--existing replace --yes", 1, "view garden.own: needs table garden.accession, would be dropped with it",
     "SELECT to_regclass('garden.own')", "own"},
    {"unless it is given up by name", "new", "SELECT", "--existing replace --yes --accept would-be-lost:view*own", 1,
     "index garden.own_index: is on the target only; it goes with table garden.accession",
     "SELECT to_regclass('garden.own'), to_regclass('garden.note')", "|note"},
    {"one table anew, with rows alone, leaves the others be", "new",
     "UPDATE garden.plot SET area_m2 = 7 WHERE plot_id = 1; DELETE FROM loans.loan",
     "--take table:loan --parts data --existing replace --yes", 0, "comes along",
     "SELECT count(*), (SELECT count(*) > 0 FROM loans.loan) FROM garden.plot WHERE area_m2 = 7", "1|t"},
    {"a name that another kind has", "new", "DROP VIEW garden.worry_list; CREATE TABLE garden.worry_list (n int)",
     "--existing keep", 1, "view garden.worry_list: cannot be created: table garden.worry_list has its name",
     "DROP TABLE garden.worry_list", ""},
    {"tables are emptied, triggers do not fire, and are put back", "mnew", "DELETE FROM photograph; DELETE FROM note",
     "--parts data --existing replace --yes", 0, "[set-aside]",
     "SELECT (SELECT COUNT(*) FROM information_schema.TRIGGERS WHERE TRIGGER_SCHEMA = DATABASE()),"
     " (SELECT COUNT(*) > 0 FROM photograph)",
     "4\t1"},
    {"an own view holds its table back, for MariaDB too", "mnew", "CREATE VIEW own AS SELECT code FROM accession",
     "--existing replace --yes", 1, "view own: needs table accession, would be dropped with it", "SELECT 1", "1"},
    {"another database's word on rows", "mnew", "DROP VIEW own; DELETE FROM photograph", "--existing keep", 0, NULL,
     "SELECT COUNT(*) > 0 FROM photograph", "1"},
};

static char *ask(const char *server, const char *sql)
{
    g_autofree char *uri = servers_get_uri(server, "fennick_vale");

    return servers_query(uri, sql);
}

static void what_is_there_is_minded(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        const Case *it = &cases[i];
        g_autofree char *changed = ask(it->server, it->change);
        g_autofree char *line = g_strdup_printf(
            "set -f; cd $FOLDER; $HORNBEAM restore %s.fennick_vale \"$(server_uri %s fennick_vale)\" %s",
            *it->server == 'm' ? "mold" : "old", it->server, it->options);
        Run run = run_shell(line);
        g_autofree char *answer = ask(it->server, it->question);
        if (run.status != it->status || (it->told != NULL && strstr(run.err, it->told) == NULL) ||
            strcmp(g_strchomp(answer), it->answer) != 0)
            fail_msg("%s: status %d, answer %s: %s%s", it->claim, run.status, answer, run.out, run.err);
        run_clear(&run);
    }
}

/* Rows alone are chosen by their tables, which need not be wanted themselves */
static void rows_of_one_table_are_carried(void **state)
{
    (void)state;
    run_expect(run_shell("for it in 'old new garden.plot' 'mold mnew plot'; do set -- $it; from=$(server_uri $1"
                         " fennick_vale) to=$(server_uri $2 fennick_vale); what=\"--take table:$3 --parts data\";"
                         " $HORNBEAM carry -q \"$from\" \"$to\" $what --existing replace --yes || exit 9;"
                         " $HORNBEAM verify \"$from\" \"$to\" $what || exit 8; done"),
               0, "Equal", NULL);
}

static void a_rehearsal_lists_the_steps_and_does_nothing(void **state)
{
    (void)state;
    run_expect(run_shell("cd $FOLDER; to=$(server_uri new fennick_vale); ask() { psql -qXAt \"$to\" -c \"SELECT"
                         " string_agg(oid || relname, ',' ORDER BY oid) FROM pg_class\"; }; ask >before;"
                         " $HORNBEAM restore old.fennick_vale \"$to\" --existing replace --dry-run &&"
                         " $HORNBEAM carry \"$(server_uri old fennick_vale)\" \"$(server_uri new nowhere)\" --dry-run"
                         "  --json | python3 -c 'import json, sys; d = json.load(sys.stdin); print(d[\"document\"],"
                         " d[\"steps\"].index(\"rows garden.tree\") > d[\"steps\"].index(\"table garden.tree\"))' &&"
                         " ask | cmp - before && ! psql -qX \"$(server_uri new nowhere)\" -c 'SELECT' 2>/dev/null"),
               0, "DROP TABLE IF EXISTS garden.tree;", NULL);
    run_expect(run_shell("cd $FOLDER; $HORNBEAM restore mold.fennick_vale \"$(server_uri mnew rehearsed)\" --dry-run"),
               0, "rows tree rows/tree/0001.rows.zst", NULL);
}

/* ---- When it fails ---- */

/* Dropping is one transaction: another session's lock leaves everything as it was */
static void what_cannot_be_dropped_is_not_half_dropped(void **state)
{
    (void)state;
    run_expect(
        run_shell(
            "cd $FOLDER; to=$(server_uri new fennick_vale);"
            " $HORNBEAM restore old.fennick_vale \"$to\" --existing replace --yes >/dev/null 2>&1;"
            " psql -qX \"$to\" -c 'BEGIN; LOCK TABLE garden.taxon IN SHARE MODE; SELECT pg_sleep(15)' >/dev/null &"
            " sleep 1; $HORNBEAM restore old.fennick_vale \"$to\" --existing replace --yes; status=$?;"
            " wait; psql -qXAt \"$to\" -c 'SELECT count(*) FROM garden.tree, garden.family_census LIMIT 1';"
            " exit $status"),
        4, "clear the target", "lock timeout");
    run_expect(run_shell("cd $FOLDER; to=$(server_uri new fennick_vale);"
                         " $HORNBEAM restore old.fennick_vale \"$to\" --resume >/dev/null;"
                         " $HORNBEAM verify old.fennick_vale \"$to\""),
               0, "Equal", NULL);
}

/* More tables than the server can lock at once are dropped in several transactions; and it says so */
static void a_server_with_few_locks_is_cleared_in_parts(void **state)
{
    (void)state;
    run_expect(
        run_shell(
            "cd $FOLDER; start_postgres tight; stop_server tight; printf 'max_connections = 20\\n"
            "max_locks_per_transaction = 10\\n' >>$SERVERS/tight/data/postgresql.conf;"
            " as_server_user $POSTGRES_BIN/pg_ctl -D $SERVERS/tight/data -l $SERVERS/tight/data/server.log -w start"
            "  >/dev/null; to=$(server_uri tight fennick_vale);"
            " $HORNBEAM restore -q old.fennick_vale \"$to\" --jobs 1;"
            " $HORNBEAM restore old.fennick_vale \"$to\" --jobs 1 --existing replace --yes --log tight.told"
            "  >/dev/null 2>&1; echo $?; grep -c 'that is done in . transactions' tight.told;"
            " $HORNBEAM verify old.fennick_vale \"$to\" --jobs 1; status=$?; stop_server tight; exit $status"),
        0, "0\n1\nVerification", NULL);
}

/* Exactly what is gone is listed, and is back after a resume */
static void what_is_gone_is_named_until_it_is_back(void **state)
{
    (void)state;
    run_expect(
        run_shell("cd $FOLDER; to=$(server_uri new fennick_vale); psql -qX \"$to\" -c \"CREATE FUNCTION public.refuse()"
                  " RETURNS event_trigger LANGUAGE plpgsql AS 'BEGIN IF (SELECT bool_or(object_identity IN"
                  " (''garden.standing_tree'', ''weather.station'')) FROM pg_event_trigger_ddl_commands()) THEN"
                  " RAISE ''not here''; END IF; END'; CREATE EVENT TRIGGER refuse ON ddl_command_end"
                  " WHEN TAG IN ('CREATE VIEW', 'CREATE TABLE') EXECUTE FUNCTION public.refuse()\";"
                  " $HORNBEAM restore old.fennick_vale \"$to\" --existing replace --yes >out; status=$?;"
                  " sed -n '/^Gone/,/^Not/p' out | sed 's/:.*//' | sort | tr '\\n' ';'; exit $status"),
        4,
        "  foreign-key weather.reading.reading_station_id_fkey;  materialized-view garden.family_census;"
        "  materialized-view garden.rich_family;  rows weather.station;  table weather.station;"
        "  view garden.standing_tree;  view garden.worry_list;Gone from the target;Not complete",
        NULL);
    run_expect(
        run_shell("cd $FOLDER; to=$(server_uri new fennick_vale); psql -qX \"$to\" -c 'DROP EVENT TRIGGER refuse;"
                  " DROP FUNCTION public.refuse()';"
                  " $HORNBEAM restore old.fennick_vale \"$to\" --resume >out || { cat out; exit 9; };"
                  " $HORNBEAM verify old.fennick_vale \"$to\""),
        0, "Equal", NULL);
    run_expect(
        run_shell("cd $FOLDER; mariadb_shell mnew -e \"CREATE USER half@localhost; GRANT ALL ON *.* TO half@localhost"
                  " WITH GRANT OPTION; REVOKE CREATE VIEW ON *.* FROM half@localhost\";"
                  " to=$(server_uri mnew fennick_vale | sed s/root@/half@/);"
                  " $HORNBEAM restore mold.fennick_vale \"$to\" --existing replace --yes --skip user:* --accept "
                  "right-missing >out;"
                  " status=$?; sed -n '/^Gone/,/^Not/p' out; exit $status"),
        4, "  view alarming: was dropped, and is not back", NULL);
    run_expect(run_shell("cd $FOLDER; to=$(server_uri mnew fennick_vale);"
                         " $HORNBEAM restore mold.fennick_vale \"$to\" --resume --skip user:* >/dev/null;"
                         " $HORNBEAM restore mold.fennick_vale \"$to\" --existing keep >out;"
                         " $HORNBEAM verify mold.fennick_vale \"$to\""),
               0, "Equal", NULL);
}

/* Wherever it is killed, a resume ends where it would have ended. noted: how many steps the target's journal has */
#define KILLING                                                                                                        \
    " noted() { case $1 in *mnew*) echo 'SELECT COUNT(*) FROM hornbeam_journal_step' | mariadb_shell mnew -N $2;;"     \
    "   *) psql -XAtq \"$1\" -c 'SELECT count(*) FROM hornbeam_journal.step';; esac 2>/dev/null || echo 0; };"         \
    " kill_at() { local at=$1; shift; \"$@\" >out 2>&1 & local pid=$!; while kill -0 $pid 2>/dev/null &&"              \
    "   [ \"$(noted \"$to\" ${it##* })\" -lt $at ]; do :; done; kill -KILL $pid 2>/dev/null; wait $pid 2>/dev/null; "  \
    "};"

static void whoever_is_killed_can_go_on(void **state)
{
    static const char *const options[] = {"--parts data --existing replace --yes", "--existing replace --yes"};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(options); i++) {
        g_autofree char *line = g_strdup_printf(
            TRY KILLING EACH " restore=(restore $dump \"$to\" --jobs 2 %s); kill_at 1 $HORNBEAM \"${restore[@]}\";"
                             " for at in 2 3 20 40; do kill_at $at $HORNBEAM \"${restore[@]}\" --resume; done;"
                             " try $HORNBEAM \"${restore[@]}\" --resume; " SAME " done",
            options[i]);
        run_expect(run_shell(line), 0, NULL, NULL);
    }
}

/* It cannot be resumed; what it took off and did not put back is not forgotten by who begins anew */
static void a_carry_that_broke_off_can_be_begun_anew(void **state)
{
    (void)state;
    run_expect(
        run_shell(TRY KILLING EACH
                  " carry=(carry \"$from\" \"$to\" --parts data --existing replace --yes);"
                  " kill_at 2 $HORNBEAM \"${carry[@]}\"; $HORNBEAM \"${carry[@]}\" 2>err; echo $?;"
                  " grep 'holds the unfinished' err; sleep 0.3;"
                  " $HORNBEAM \"${carry[@]}\" --accept unfinished-restore >out 2>&1; s=$?;"
                  /* what others may have written is run only by who has seen it */
                  " [ $s = 0 ] || { [ $s = 1 ] && grep -q 'set-aside' out; } || { cat out; exit 98; };"
                  " [ $s = 0 ] || try $HORNBEAM \"${carry[@]}\" --accept unfinished-restore --accept set-aside;" SAME
                  " done"),
        0, "Equal", NULL);
}

static void a_whole_server_may_have_its_databases(void **state)
{
    (void)state;
    run_expect(run_shell(TRY
                         "cd $FOLDER; for s in old mold; do try $HORNBEAM dump \"$(server_uri $s)\" $s.all; done;"
                         " to=$(server_uri new); $HORNBEAM restore old.all \"$to\" --existing replace; echo $?;"
                         " try $HORNBEAM restore old.all \"$to\" --existing replace --yes --accept system-database;"
                         " to=$(server_uri mnew); try $HORNBEAM restore mold.all \"$to\" --existing replace --yes;"
                         " for s in '' m; do $HORNBEAM verify ${s}old.all \"$(server_uri ${s}new)\" || exit 8; done"),
               0, "Equal", "nobody is there to agree");
}

/* Databases that refer to each other among them, whichever comes first */
static void a_whole_server_is_carried(void **state)
{
    (void)state;
    run_expect(run_shell(TRY
                         "cd $FOLDER; for d in odd fennick_vale beside; do mariadb_shell mnew -e \"DROP DATABASE $d\";"
                         " done; psql -qX \"$(server_uri new postgres)\" -c 'DROP DATABASE fennick_vale';"
                         " try $HORNBEAM carry \"$(server_uri mold)\" \"$(server_uri mnew)\";"
                         " try $HORNBEAM carry \"$(server_uri old)\" \"$(server_uri new)\" --existing replace --yes"
                         "  --accept system-database;"
                         " for s in '' m; do $HORNBEAM verify \"$(server_uri ${s}old)\" \"$(server_uri ${s}new)\" ||"
                         "  exit 8; done"),
               0, "Equal", NULL);
    run_expect(run_shell("$HORNBEAM carry \"$(server_uri old)\" \"$(server_uri old)\" --existing replace --yes"), 1,
               NULL, "is the source itself");
    run_expect(run_shell("$HORNBEAM carry \"$(server_uri old)\" \"$(server_uri new odd)\""), 2, NULL,
               "name a database on both sides, or on neither");
}

/* Who owns only the database, and takes everything for himself, can do it again */
static void an_ordinary_owner_may_replace_what_is_his(void **state)
{
    (void)state;
    run_expect(run_shell("cd $FOLDER; psql -qX \"$(server_uri new postgres)\" -c 'CREATE ROLE dev LOGIN'"
                         " -c 'CREATE DATABASE dev OWNER dev'; to=$(server_uri new dev | sed s/postgres@/dev@/);"
                         " set -f; his='--ownership mine --grants drop --parts schema,data --skip extension:*';"
                         " $HORNBEAM restore old.fennick_vale \"$to\" $his >/dev/null 2>&1;"
                         " $HORNBEAM restore old.fennick_vale \"$to\" $his --existing replace --yes; echo $?;"
                         " $HORNBEAM restore old.fennick_vale \"$to\" $his --existing keep; echo $?;"
                         " $HORNBEAM verify old.fennick_vale \"$to\" $his"),
               0, "Equal", "which is skipped");
    run_expect(run_shell("cd $FOLDER; to=$(server_uri new dev | sed s/postgres@/dev@/); set -f;"
                         " $HORNBEAM preflight old.fennick_vale \"$to\" --ownership mine --grants drop --parts"
                         " schema,data --skip extension:* --existing keep | grep -c exists-otherwise"),
               1, "0\n", NULL);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(nothing_is_doubled_and_nothing_lost_by_any_way),
        cmocka_unit_test(a_replaced_database_is_the_same_by_the_servers_own_words),
        cmocka_unit_test(what_is_there_is_minded),
        cmocka_unit_test(rows_of_one_table_are_carried),
        cmocka_unit_test(a_rehearsal_lists_the_steps_and_does_nothing),
        cmocka_unit_test(what_cannot_be_dropped_is_not_half_dropped),
        cmocka_unit_test(a_server_with_few_locks_is_cleared_in_parts),
        cmocka_unit_test(what_is_gone_is_named_until_it_is_back),
        cmocka_unit_test(whoever_is_killed_can_go_on),
        cmocka_unit_test(a_carry_that_broke_off_can_be_begun_anew),
        cmocka_unit_test(a_whole_server_may_have_its_databases),
        cmocka_unit_test(a_whole_server_is_carried),
        cmocka_unit_test(an_ordinary_owner_may_replace_what_is_his),
    };

    return servers_run_tests(
        "old new mold:mariadb mnew:mariadb",
        "cd $SOURCE; psql -qX \"$(server_uri old postgres)\" -c 'CREATE DATABASE odd';"
        " psql -qX \"$(server_uri old odd)\" -f tests/support/odd.sql >/dev/null; plant old 4; plant mold 2;"
        " mariadb_shell mold -e 'CREATE DATABASE odd';"
        " mariadb_shell mold odd <tests/support/odd_mariadb.sql;"
        " mariadb_shell mnew -e 'CREATE DATABASE beside;"
        " CREATE TABLE beside.station (id INT PRIMARY KEY, name VARCHAR(40));"
        " INSERT INTO beside.station VALUES (1, \"Ridge\"), (2, \"Pond\")'",
        tests, G_N_ELEMENTS(tests));
}
