/* SPDX-License-Identifier: Apache-2.0 */
/* A copy follows its source by the source's own log, on real servers that are written to meanwhile */
#include "support/check.h"
#include "support/servers.h"

#include <string.h>

/* MySQL only where its packages could be fetched */
static const char *const engines[] = {"postgres", "mariadb", "mysql"};

static gboolean is_here(const char *engine)
{
    return strcmp(engine, "mysql") != 0 || servers_has_family("mysql");
}

/* A line of shell on each engine, with the functions of follow.sh */
static void on_each(const char *line)
{
    for (gsize i = 0; i < G_N_ELEMENTS(engines); i++) {
        g_autofree char *whole = g_strdup_printf(". $SOURCE/tests/support/follow.sh %s; set -ex; %s", engines[i], line);
        Run run;
        if (!is_here(engines[i]))
            continue;
        run = run_shell(whole);
        if (run.status != 0)
            g_printerr("on %s:\n%s\n%s\n", engines[i], run.out, run.err);
        assert_int_equal(run.status, 0);
        run_clear(&run);
    }
}

/* Writers do not wait for the carry, nor it for them; what they wrote before its moment and after it is all there */
static void changes_come_from_the_log_while_the_source_is_written_to(void **state)
{
    (void)state;
    on_each("begin; write 300 1; rm -f $FOLDER/stop; (while [ ! -e $FOLDER/stop ]; do write 200 2 2>/dev/null || true; "
            "done) & W=$!;"
            " (while [ ! -e $FOLDER/stop ]; do write 200 3 2>/dev/null || true; done) & V=$!; sleep 0.2;"
            " \"$HORNBEAM\" carry $FROM $TO --keep-log -q; sleep 0.5; touch $FOLDER/stop; wait $W $V; write 500 4;"
            " freshen --by log --json 2>/dev/null >$FOLDER/log.json;"
            " [ $(number changes <$FOLDER/log.json) -gt 200 ]; [ $(number drifted <$FOLDER/log.json) = 0 ];"
            " [ $(number transactions <$FOLDER/log.json) -gt 100 ]; equal;"
            " [ $(freshen --by log --json 2>/dev/null | number changes) = 0 ]; equal");
}

static void a_copy_keeps_up_until_it_is_asked_to_end(void **state)
{
    (void)state;
    on_each("carried; keep_up; write 1500 4; sleep 1; [ $(to \"SELECT count(*) FROM $(table reading)\") -gt 100 ]; "
            "write 200 5;"
            " end; grep -q 'followed the log' $FOLDER/up.err; grep -q '^Fresh' $FOLDER/up.out; equal;"
            " (write 1500 6) & W=$!; freshen --keep-up --until-lag 300ms -q 2>/dev/null; wait $W; freshen -q; equal");
}

/* Nothing is lost and nothing comes twice, whoever breaks off when; the copy alone knows where to go on */
static void following_survives_crashes_of_each_side_and_of_the_program(void **state)
{
    (void)state;
    on_each("carried; (for i in 1 2 3 4 5 6; do write 600 $i 2>/dev/null || sleep 0.3; done) & W=$!;"
            " keep_up; sleep 0.5; restart $T; sleep 2; restart $F; sleep 2; kill -0 $PID || { cat $FOLDER/up.err; exit "
            "9; };"
            " grep -q 'going on from' $FOLDER/up.err; kill -KILL $PID; wait $PID || true;"
            " keep_up; sleep 0.7; kill -KILL $PID; wait $PID || true; wait $W || true;"
            " not grep -q 'changed in FROM\\|came in FROM' $FOLDER/up.err; freshen -q 2>$FOLDER/last.err;"
            " not grep -q 'changed in FROM\\|came in FROM' $FOLDER/last.err; equal");
}

/* What the log says of a row that is not there, or of one that is there already */
static void what_drifted_is_named_and_compared_by_the_next_pass(void **state)
{
    (void)state;
    on_each(
        "carried; write 200 7; freshen -q 2>/dev/null; R=$(table reading); S=$(table scratch);"
        " N=$(to \"SELECT min(no) FROM $R\"); to \"DELETE FROM $R WHERE no = $N\"; to \"INSERT INTO $S VALUES (999,"
        " 'mine')\"; from \"UPDATE $R SET value = 1 WHERE no = $N\"; from \"INSERT INTO $S VALUES (999, 'theirs')\";"
        " freshen >$FOLDER/drift.out 2>$FOLDER/drift.err && exit 9 || [ $? = 1 ];"
        " grep -q \"$R: the row whose no is $N changed in FROM, and is not in TO\" $FOLDER/drift.err;"
        " grep -q \"$S: the row whose k is 999 came in FROM, and was in TO already\" $FOLDER/drift.err;"
        " grep -q '^Not fresh: 2 rows were not what the log said' $FOLDER/drift.out;"
        " freshen -q 2>/dev/null; equal; freshen --by log -q 2>/dev/null; equal");
}

/* A table that comes is brought; one that gets another column is named, and right again once TO has it, too */
static void structure_that_changes_is_noticed_before_its_rows(void **state)
{
    (void)state;
    on_each(
        "carried; S=$(table scratch); N=$(table fresh); keep_up; from \"CREATE TABLE $N (id int PRIMARY KEY)\";"
        " from \"INSERT INTO $N VALUES (1)\"; sleep 1.5; from \"INSERT INTO $N VALUES (2)\"; from \"CREATE INDEX "
        "fresh_id"
        " ON $N (id)\"; sleep 1.5; from \"INSERT INTO $N VALUES (3)\"; end; equal;"
        " from \"TRUNCATE TABLE $S\"; freshen -q 2>/dev/null; equal; from \"INSERT INTO $S VALUES (5, 'five')\"; "
        "freshen -q 2>/dev/null; equal;"
        " from \"INSERT INTO $S VALUES (1001, 'old')\"; from \"ALTER TABLE $S ADD COLUMN extra int DEFAULT 5\"; from"
        " \"INSERT INTO $S VALUES (1000, 'x', 6)\"; freshen >$FOLDER/s.out 2>/dev/null && exit 9 || true;"
        " grep -q 'it has other columns in TO' $FOLDER/s.out; to \"ALTER TABLE $S ADD COLUMN extra int DEFAULT 5\";"
        " freshen -q 2>/dev/null; equal; from \"INSERT INTO $S VALUES (1002, 'y', 7)\"; [ $(freshen --by log"
        " --json 2>/dev/null | number changes) = 1 ]; equal");
}

/* A dump takes the log's place along; a second copy of it finds that the first has read on, and compares */
static void a_dump_keeps_the_log_for_the_copy_that_remembers_it(void **state)
{
    (void)state;
    on_each("begin; write 200 8; rm -rf $FOLDER/d; \"$HORNBEAM\" dump $FROM $FOLDER/d --keep-log -q; write 300 9;"
            " \"$HORNBEAM\" restore $FOLDER/d $TO --remember -q; [ $(freshen --by log --json 2>/dev/null |"
            " number changes) -gt 100 ]; equal; \"$HORNBEAM\" survey $TO | grep -q 'its log is kept'");
}

static void a_log_is_released_and_kept_anew(void **state)
{
    (void)state;
    on_each(
        "carried; freshen --release -q; freshen --by log -q 2>$FOLDER/r.err && exit 9 || [ $? = 1 ];"
        " grep -q 'keeps no log for this copy' $FOLDER/r.err; write 100 1; freshen --keep-log -q 2>/dev/null; equal;"
        " write 100 2; freshen --by log -q 2>/dev/null; equal");
}

/* ---- PostgreSQL alone ---- */

static void expect(const char *line, const char *error)
{
    g_autofree char *whole = g_strdup_printf(". $SOURCE/tests/support/follow.sh postgres; set -x; %s", line);
    Run run = run_shell(whole);

    if (error == NULL && run.status != 0)
        g_printerr("%s\n%s\n", run.out, run.err);
    if (error == NULL)
        assert_int_equal(run.status, 0);
    else
        check_contains(run.err, error);
    run_clear(&run);
}

/* The application must not notice: whoever updates a table without a key would be refused if that were published */
static void what_must_not_be_published_is_not(void **state)
{
    (void)state;
    expect(
        "begin; from \"CREATE TABLE weather.odd (a int, b int UNIQUE DEFERRABLE); ALTER TABLE weather.odd ADD PRIMARY "
        "KEY"
        " (a) DEFERRABLE; CREATE TABLE weather.none (a int PRIMARY KEY); ALTER TABLE weather.none REPLICA IDENTITY"
        " NOTHING; CREATE UNLOGGED TABLE weather.gone (a int PRIMARY KEY)\"; \"$HORNBEAM\" carry $FROM $TO --keep-log"
        " -q && from \"INSERT INTO weather.odd VALUES (1, 1); UPDATE weather.odd SET b = 2; DELETE FROM weather.odd;"
        " INSERT INTO weather.none VALUES (1); UPDATE weather.none SET a = 2; INSERT INTO weather.gone VALUES (1);"
        " UPDATE weather.remark SET n = 1; DELETE FROM weather.remark\" && freshen -q 2>/dev/null && equal",
        NULL);
}

/* A role that owns its database, and may read the log, but is no superuser: keys and triggers are taken off meanwhile
 */
static void an_owner_follows_without_being_superuser(void **state)
{
    (void)state;
    expect("for s in $F $T; do sql $s postgres \"CREATE ROLE mover LOGIN CREATEDB REPLICATION\"; sql $s postgres \"DROP"
           " DATABASE IF EXISTS shed\"; done; sql $F postgres \"CREATE DATABASE shed OWNER mover\"; M=$(server_uri $F "
           "shed)"
           " N=$(server_uri $T shed); M=${M/postgres@/mover@} N=${N/postgres@/mover@}; psql -X -q $M -f"
           " $SOURCE/tests/support/weather_postgres.sql; \"$HORNBEAM\" carry $M $N --keep-log --parts schema,data -q &&"
           " psql -X -q $M -c \"CALL weather.write(500, 0.3)\" && \"$HORNBEAM\" freshen $M $N -q 2>/dev/null &&"
           " \"$HORNBEAM\" verify $M $N --parts schema,data -q && [ $(psql -X -At $N -c \"SELECT count(*) FROM"
           " pg_constraint WHERE conname = 'reading_station_fkey'\") = 1 ] && \"$HORNBEAM\" freshen $M $N --release -q",
           NULL);
}

static void a_log_that_cannot_be_kept_says_why(void **state)
{
    (void)state;
    expect("sql $F postgres \"CREATE ROLE plain LOGIN\"; sql $F vane \"GRANT CREATE ON DATABASE vane TO plain\";"
           " \"$HORNBEAM\" dump ${FROM/postgres@/plain@} $FOLDER/no --keep-log",
           "may not read the server's log");
    expect("hold $F vane \"BEGIN; CREATE TABLE public.held (a int)\";"
           "\"$HORNBEAM\" dump $FROM $FOLDER/no --keep-log --lock-wait 1; S=$?; let_go; [ $(from \"SELECT count(*) FROM"
           " pg_replication_slots WHERE NOT active\") = 1 ] || exit 7; exit $S",
           "until all that write just then have ended: process");
    expect("\"$HORNBEAM\" freshen $FROM $TO --keep-up --by rows", "does not go with --by rows");
    expect("\"$HORNBEAM\" freshen $FROM $TO --until-lag 5", "goes with --keep-up");
    expect("\"$HORNBEAM\" freshen $FROM $TO --until-lag soon --keep-up", "takes seconds above 0");
    expect("\"$HORNBEAM\" freshen $FOLDER/d $TO --by log", "a dump has no log");
}

/* The server has thrown the log away, or somebody has read it: what is missing is never passed over */
static void a_log_that_is_lost_is_told_and_compared(void **state)
{
    (void)state;
    expect(
        "carried; write 200 4; from \"SELECT"
        " pg_replication_slot_advance(slot_name, pg_current_wal_lsn()) FROM pg_replication_slots\" >/dev/null; freshen"
        " --by log -q",
        "and this copy needs it from");
    expect(
        "freshen -q 2>$FOLDER/l.err && grep -q 'all tables are compared' $FOLDER/l.err && equal && freshen --keep-log"
        " -q 2>/dev/null && equal && [ $(from \"SELECT count(*) FROM pg_replication_slots\") = 1 ] && [ $(from"
        " \"SELECT count(*) FROM pg_publication\") = 1 ] && write 100 5 && freshen --by log -q 2>/dev/null && equal",
        NULL);
}

/* Whoever may write to the copy may have its origin name anything: that is neither read nor dropped */
static void a_name_that_is_not_ours_is_neither_read_nor_dropped(void **state)
{
    (void)state;
    expect("carried; from \"SELECT pg_create_logical_replication_slot('others', 'pgoutput')\" >/dev/null; to \"UPDATE"
           " hornbeam_origin.origin SET text = regexp_replace(text, '\\\"name\\\":\\\"[^\\\"]*', "
           "'\\\"name\\\":\\\"others')\";"
           " freshen --by log -q 2>$FOLDER/n.err && exit 9; freshen --release -q || exit 8; freshen --keep-log -q"
           " 2>/dev/null || exit 7; to \"UPDATE hornbeam_origin.origin SET text = regexp_replace(text,"
           " '\\\"name\\\":\\\"[^\\\"]*', '\\\"name\\\":\\\"others')\"; freshen --keep-log -q 2>/dev/null || exit 6;"
           " [ $(from \"SELECT count(*) FROM pg_replication_slots WHERE slot_name = 'others'\") = 1 ] || exit 5; from"
           " \"SELECT pg_drop_replication_slot('others')\" >/dev/null; equal",
           NULL);
}

static void a_rehearsal_keeps_no_log(void **state)
{
    (void)state;
    expect(
        "begin; \"$HORNBEAM\" carry $FROM $TO --keep-log --dry-run -q >/dev/null 2>&1; [ $(from \"SELECT count(*) FROM"
        " pg_publication\") = 0 ]",
        NULL);
}

/* One that is published, and loses what identifies its rows afterwards, is compared from then on */
static void a_table_that_loses_its_identity_is_compared(void **state)
{
    (void)state;
    expect(
        "carried; from \"ALTER TABLE weather.scratch REPLICA IDENTITY FULL\"; from \"INSERT INTO weather.scratch VALUES"
        " (3001, 'full')\"; timeout 60 \"$HORNBEAM\" freshen $FROM $TO -q 2>/dev/null && equal && from \"UPDATE"
        " weather.scratch SET t = 'again' WHERE k = 3001\" && timeout 60 \"$HORNBEAM\" freshen $FROM $TO -q"
        " 2>/dev/null && equal && [ $(freshen --json 2>/dev/null | number tables) = 4 ]",
        NULL);
}

/* ---- MariaDB and MySQL ---- */

/* Only the catalog knows that such columns stand otherwise in the log than their type says */
static void columns_of_another_form_are_compared(void **state)
{
    (void)state;
    on_each(
        "[ $E = mariadb ] || exit 0; begin; from \"SET GLOBAL mysql56_temporal_format = OFF; CREATE TABLE aged (id INT"
        " PRIMARY KEY, d DATETIME, t TIMESTAMP(3)); SET GLOBAL mysql56_temporal_format = ON; CREATE TABLE pressed (id"
        " INT PRIMARY KEY, v VARCHAR(900) COMPRESSED, b BLOB COMPRESSED)\"; \"$HORNBEAM\" carry $FROM $TO --keep-log"
        " -q; from \"INSERT INTO aged VALUES (1, '2026-01-02 03:04:05', '2026-01-02 03:04:05.678'); INSERT INTO pressed"
        " VALUES (1, REPEAT('leaf ', 100), REPEAT('x', 5000)); INSERT INTO scratch VALUES (4001, 'beside')\";"
        " [ $(timeout 60 \"$HORNBEAM\" freshen $FROM $TO --json 2>/dev/null | number changes) = 1 ]; equal");
}

/* Another database may have a table of the same name; what is done to that is nothing to the copy */
static void what_happens_in_other_databases_is_none_of_it(void **state)
{
    (void)state;
    on_each(
        "[ $E != postgres ] || exit 0; carried; from \"INSERT INTO scratch VALUES (5001, 'stays')\"; sql $F '' \"CREATE"
        " DATABASE IF NOT EXISTS other; CREATE TABLE IF NOT EXISTS other.scratch (k INT PRIMARY KEY); INSERT INTO"
        " other.scratch VALUES (1)\"; from \"TRUNCATE TABLE other.scratch\"; sql $F other \"TRUNCATE TABLE scratch; SET"
        " binlog_format = 'STATEMENT'; INSERT INTO scratch SELECT 7 AS vanes\"; freshen -q 2>/dev/null; equal; sql $F"
        " other \"TRUNCATE TABLE vane.scratch\"; freshen -q 2>/dev/null; [ $(to \"SELECT count(*) FROM scratch\") = 0 "
        "];"
        " equal; sql $F '' \"DROP DATABASE other\"");
}

/* Definitions without an end are no reason to go on without an end */
static void a_structure_that_never_rests_ends_the_following(void **state)
{
    (void)state;
    on_each(
        "[ $E = mariadb ] || exit 0; carried; rm -f $FOLDER/stop; (while [ ! -e $FOLDER/stop ]; do from \"ALTER TABLE"
        " scratch ENGINE = InnoDB\" || true; sleep 3; done) & W=$!; S=0; timeout 100 \"$HORNBEAM\" freshen $FROM $TO "
        "--keep-up -q"
        " 2>$FOLDER/e.err || S=$?; touch $FOLDER/stop; wait $W; [ $S = 1 ]; grep -q 'times in a row: the log cannot"
        " be followed' $FOLDER/e.err || { cat $FOLDER/e.err; exit 7; }; freshen -q 2>/dev/null; equal");
}

/* MySQL logs them in a form of its own */
static void json_documents_come_from_the_log(void **state)
{
    (void)state;
    on_each(
        "[ $E = mysql ] || exit 0; carried; from \"CREATE TABLE doc (id INT PRIMARY KEY, j JSON)\"; freshen -q"
        " 2>/dev/null; freshen -q 2>/dev/null; from \"INSERT INTO doc VALUES (1, '{\\\"a\\\": [1.5, \\\"Größe\\\", "
        "null,"
        " true, -32769, 65536, 18446744073709551615, 1e20, 2.0]}'), (2, '[]'), (3, 'null'), (4, NULL), (5, '{}'), (6,"
        " JSON_OBJECT('k', REPEAT('y', 70000), 'l', JSON_ARRAY(70000, JSON_OBJECT('t', TIME '-12:34:56')))), (7,"
        " JSON_OBJECT('at', CAST('2026-01-02 03:04:05.6' AS DATETIME(6)), 'day', DATE '2026-01-02'))\"; from \"UPDATE"
        " doc SET j = JSON_SET(j, '$.a', 2) WHERE id = 1\"; [ $(freshen --by log --json 2>/dev/null | number changes)"
        " = 8 ]; equal");
}

static void what_a_binary_log_cannot_tell_is_refused_by_name(void **state)
{
    static const struct {
        const char *change, *error;
    } cases[] = {
        {"SET binlog_format = 'STATEMENT'; INSERT INTO scratch VALUES (2001, 's')",
         "logged a change of rows as a statement"},
        {"SET binlog_row_image = 'MINIMAL'; UPDATE station SET balance = balance WHERE id = 1; UPDATE station SET "
         "story = "
         "'x' WHERE id = 1",
         "has logged changes of station in part only"},
        {"XA START 'x'; INSERT INTO scratch VALUES (2002, 'x'); XA END 'x'; XA PREPARE 'x'; XA COMMIT 'x'", "prepared"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *line = g_strdup_printf("[ $E != postgres ] || exit 0; carried; from \"%s\"; freshen --by"
                                                " log -q 2>$FOLDER/b.err && exit 9; grep -q '%s' $FOLDER/b.err || { "
                                                "cat $FOLDER/b.err; exit 8; }; freshen --by"
                                                " rows -q 2>/dev/null; equal",
                                                cases[i].change, cases[i].error);
        on_each(line);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(changes_come_from_the_log_while_the_source_is_written_to),
        cmocka_unit_test(a_copy_keeps_up_until_it_is_asked_to_end),
        cmocka_unit_test(what_drifted_is_named_and_compared_by_the_next_pass),
        cmocka_unit_test(structure_that_changes_is_noticed_before_its_rows),
        cmocka_unit_test(following_survives_crashes_of_each_side_and_of_the_program),
        cmocka_unit_test(a_dump_keeps_the_log_for_the_copy_that_remembers_it),
        cmocka_unit_test(a_log_is_released_and_kept_anew),
        cmocka_unit_test(what_must_not_be_published_is_not),
        cmocka_unit_test(an_owner_follows_without_being_superuser),
        cmocka_unit_test(a_log_that_cannot_be_kept_says_why),
        cmocka_unit_test(a_log_that_is_lost_is_told_and_compared),
        cmocka_unit_test(a_name_that_is_not_ours_is_neither_read_nor_dropped),
        cmocka_unit_test(a_rehearsal_keeps_no_log),
        cmocka_unit_test(a_table_that_loses_its_identity_is_compared),
        cmocka_unit_test(columns_of_another_form_are_compared),
        cmocka_unit_test(what_happens_in_other_databases_is_none_of_it),
        cmocka_unit_test(a_structure_that_never_rests_ends_the_following),
        cmocka_unit_test(json_documents_come_from_the_log),
        cmocka_unit_test(what_a_binary_log_cannot_tell_is_refused_by_name),
    };

    return servers_run_tests(servers_has_family("mysql")
                                 ? "postgres_from postgres_to mariadb_from:mariadb mariadb_to:mariadb "
                                   "mysql_from=mysql:mariadb mysql_to=mysql:mariadb"
                                 : "postgres_from postgres_to mariadb_from:mariadb mariadb_to:mariadb",
                             NULL, tests, G_N_ELEMENTS(tests));
}
