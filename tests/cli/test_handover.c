/* SPDX-License-Identifier: Apache-2.0 */
/* A copy takes its source's place, on real servers, beside an application that counts: no number is lost or doubled */
#include "support/check.h"
#include "support/servers.h"

#include <string.h>

static const char *const engines[] = {"postgres", "mariadb", "mysql"};

static gboolean is_here(const char *engine)
{
    return strcmp(engine, "mysql") != 0 || servers_has_family("mysql");
}

static void on(const char *engine, const char *line)
{
    g_autofree char *whole = g_strdup_printf(". $SOURCE/tests/support/handover.sh %s; set -ex; %s", engine, line);
    Run run;

    if (!is_here(engine))
        return;
    run = run_shell(whole);
    if (run.status != 0) {
        g_autofree char *path = g_strdup_printf("%s/h.err", g_getenv("FOLDER")), *told = NULL;
        g_file_get_contents(path, &told, NULL, NULL);
        g_printerr("on %s:\n%s\n%s\nhornbeam said:\n%s\n", engine, run.out, run.err, told != NULL ? told : "");
    }
    assert_int_equal(run.status, 0);
    run_clear(&run);
}

static void on_each(const char *line)
{
    for (gsize i = 0; i < G_N_ELEMENTS(engines); i++)
        on(engines[i], line);
}

/* One program keeps the copy up, another hands over: the first ends by itself. And back again */
static void a_living_database_is_handed_over_and_back(void **state)
{
    (void)state;
    on_each("copied; count_up; keep_up; write 300 2; (write 2000 3 || true) >/dev/null 2>&1 & W=$!; sleep 0.5;"
            " handover --yes --for app --way-back --json --report $FOLDER/h.html >$FOLDER/h.json; wait $W;"
            " echo $T >$FOLDER/where; wait $PID; grep -q 'hand-over wants to go on' $FOLDER/up.err;"
            " [ \"$(outcome <$FOLDER/h.json)\" = 'handed over' ]; grep -q 'Time line' $FOLDER/h.html;"
            " not opens $F; opens $T; [ \"$(to \"SELECT SUM(balance) FROM $(table station)\")\" = 200000 ]; sleep 0.5;"
            " [ \"$(\"$HORNBEAM\" freshen $TO $FROM --by log --json 2>/dev/null | number changes)\" -gt 0 ];"
            " \"$HORNBEAM\" handover $TO $FROM --yes -q --for app 2>$FOLDER/h.err; echo $F >$FOLDER/where; sleep 0.3;"
            " counted $F; not opens $T; opens $F; \"$HORNBEAM\" verify $FROM $TO -q --parts schema"
            " 2>$FOLDER/h.err; [ $(\"$HORNBEAM\" survey $FROM 2>&1 | grep -c 'a copy of') = 0 ]");
}

static void without_a_log_the_rows_are_compared(void **state)
{
    (void)state;
    on("mariadb", "copied_by_rows; count_up; write 300 2; sleep 0.3;"
                  " handover --yes --check all >$FOLDER/h.out; echo $T >$FOLDER/where; sleep 0.2; counted $T;"
                  " grep -q '^Handed over' $FOLDER/h.out; grep -q 'keeps no log for TO' $FOLDER/h.err; not opens $F");
}

static void a_rehearsal_stops_nothing(void **state)
{
    (void)state;
    on_each("copied; count_up; sleep 0.3; handover --dry-run --for app --json >$FOLDER/h.json; sleep 0.2;"
            " [ \"$(outcome <$FOLDER/h.json)\" = rehearsed ]; [ $(grep -c '\"outcome\": \"connects\"' $FOLDER/h.json)"
            " = 3 ]; opens $F; freshen -q 2>/dev/null; counted $F; freshen -q 2>/dev/null; equal");
}

/* A row that differs is found by the check; then FROM is open again, and nothing of the hand-over is left */
static void what_fails_before_the_point_of_no_return_is_undone(void **state)
{
    (void)state;
    on("mysql", "copied; count_up; sleep 0.2; to \"UPDATE $(table day) SET label = 'other' WHERE station = 7\";"
                " handover --yes --check all >$FOLDER/h.out && exit 9 || [ $? = 1 ];"
                " grep -q 'TO does not hold what FROM holds' $FOLDER/h.err; grep -q 'FROM is open again' $FOLDER/h.out;"
                " opens $F; sleep 0.2; counted $F; handover --undo && exit 9 || [ $? = 1 ];"
                " grep -q 'knows of no hand-over' $FOLDER/h.err; freshen --by rows -q 2>/dev/null;"
                " handover --yes -q --check all; not opens $F; opens $T; counted $T");
}

/*
 * Killed, or one of the servers, as soon as it tells that a step begins. Whatever was done by then: FROM and TO are
 * never both open by its word, and it can be gone on with, or be taken back
 */
static void a_hand_over_that_breaks_off_goes_on_or_is_undone(void **state)
{
    static const struct {
        const char *step, *what, *engine;
    } cases[] = {
        {"2 of 8", "kill -KILL $H", "mysql"},    {"3 of 8", "kill -KILL $H", "postgres"},
        {"6 of 8", "kill -KILL $H", "mariadb"},  {"7 of 8", "kill -KILL $H", "postgres"},
        {"8 of 8", "kill -KILL $H", "mariadb"},  {"3 of 8", "restart $F", "mariadb"},
        {"3 of 8", "restart $T", "postgres"},    {"4 of 8", "restart $F", "postgres"},
        {"5 of 8", "kill -TERM $H", "postgres"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *line =
            g_strdup_printf("copied; count_up; sleep 0.1; hand_over_until '%s' --way-back; %s; wait $H || true;"
                            " ended_properly --way-back; echo $T >$FOLDER/where; sleep 0.1; counted $T; \"$HORNBEAM\""
                            " freshen $TO $FROM --by log -q 2>$FOLDER/h.err; \"$HORNBEAM\" verify $TO $FROM -q --parts"
                            " schema,data 2>$FOLDER/h.err",
                            cases[i].step, cases[i].what);
        on(cases[i].engine, line);
    }
}

/* Gone on with, rather than undone */
static void what_was_stopped_stays_so_until_it_is_gone_on_with(void **state)
{
    (void)state;
    on("mariadb",
       "copied; count_up; sleep 0.2; hand_over_until '3 of 8'; kill -KILL $H; wait $H || true; not opens $F;"
       " handover --yes && exit 9 || [ $? = 1 ]; grep -q 'FROM is closed to applications' $FOLDER/h.err;"
       " not opens $F; handover --resume --json >$FOLDER/h.json; not opens $F; opens $T; echo $T >$FOLDER/where;"
       " sleep 0.1; counted $T; [ $(grep -o '\"window\": [0-9]*' $FOLDER/h.json | grep -o '[0-9]*$') -ge 1 ];"
       " grep -q 'locked: 1' $FOLDER/h.json");
}

/* What the killed one did of closing FROM for good is not how FROM was before: the way back opens it */
static void half_of_a_closing_is_not_how_it_was(void **state)
{
    (void)state;
    on("postgres", "copied; hand_over_until '7 of 8' --way-back; kill -KILL $H; wait $H || true; not opens $F;"
                   " sql $F '' 'ALTER DATABASE vane SET default_transaction_read_only = on'; handover --resume -q || "
                   "ended_properly;"
                   " \"$HORNBEAM\" freshen $TO $FROM --by log -q 2>$FOLDER/h.err;"
                   " \"$HORNBEAM\" handover $TO $FROM --yes -q 2>$FOLDER/h.err; opens $F");
}

/* A user of whom a string cannot be tried: blocked before anything is stopped, and in the window, unless accepted */
static void a_string_that_fails_can_be_accepted(void **state)
{
    (void)state;
    on("postgres",
       "copied; handover --yes --for nobody_such && exit 9 || [ $? = 1 ]; grep -q nobody_such $FOLDER/h.err;"
       " opens $F; handover --yes -q --for nobody_such --accept string-fails; not opens $F; opens $T");
}

/* What was done to FROM, and to TO, outlasts a crash in the next moment */
static void what_was_done_outlasts_a_crash(void **state)
{
    (void)state;
    on("postgres",
       "copied; handover --yes -q; stop_server $F immediate; stop_server $T immediate; run_again $F; run_again $T;"
       " not opens $F; [ $(sql $F '' \"SELECT datconnlimit FROM pg_database WHERE datname = 'vane'\") = -1 ];"
       " opens $T; [ $(\"$HORNBEAM\" survey $TO 2>&1 | grep -c 'a copy of') = 0 ]");
}

static void sources_are_left_open_renamed_or_refused_to_be_dropped(void **state)
{
    (void)state;
    on("mysql", "copied; handover --yes -q --source open; opens $F; opens $T");
    on("postgres", "copied; handover --yes -q --source rename; sql $F '' \"SELECT datname FROM pg_database\" | grep -q"
                   " '^vane_until_'; not sql $F vane 'SELECT 1' 2>/dev/null; opens $T; sql $F '' \"DROP DATABASE "
                   "vane_until_$(date -u +%Y_%m_%d)\"");
    on("mariadb", "copied; handover --yes -q --source rename && exit 9 || [ $? = 2 ]; grep -q 'cannot be renamed'"
                  " $FOLDER/h.err; opens $F");
    on("postgres",
       "copied; handover --yes --source drop && exit 9 || [ $? = 2 ]; handover --yes --check all --source drop && "
       "exit 9"
       " || [ $? = 1 ]; grep -q 'name was not typed' $FOLDER/h.err; opens $F; from \"SELECT 1\"");
}

/* An owner of the database that is no superuser: new sessions may only read. By the log, and by rows */
static void an_owner_hands_over_by_reading_only(void **state)
{
    static const char *const ways[] = {"--keep-log", "--remember"};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(ways); i++) {
        g_autofree char *line = g_strdup_printf(
            "opened; for s in $F $T; do sql $s '' \"DO \\$\\$ BEGIN CREATE ROLE mover LOGIN CREATEDB REPLICATION; "
            "EXCEPTION"
            " WHEN duplicate_object THEN NULL; END \\$\\$\"; sql $s '' 'DROP DATABASE IF EXISTS shed WITH (FORCE)'; "
            "sql $s '' 'GRANT"
            " pg_signal_backend TO mover'; done; sql $F '' 'CREATE DATABASE shed OWNER mover'; M=$(server_uri $F shed) "
            "N=$(server_uri $T shed); M=${M/postgres@/mover@} N=${N/postgres@/mover@} A=${M/mover@/app@};"
            " psql -X -q $M -f $SOURCE/tests/support/weather_postgres.sql; psql -X -q $M -c 'GRANT USAGE ON SCHEMA "
            "weather TO"
            " app' -c 'GRANT SELECT, INSERT ON weather.scratch TO app';"
            " \"$HORNBEAM\" carry $M $N %s --parts schema,data -q; (psql -X -q $A -c 'SELECT pg_sleep(60)' || true)"
            " >/dev/null 2>&1 & S=$!; sleep 0.3; psql -X -q $M -c 'CALL weather.write(300, 0.3)';"
            " \"$HORNBEAM\" handover $M $N --yes 2>$FOLDER/h.err >$FOLDER/h.out; grep -q 'new sessions may only read'"
            " $FOLDER/h.out; not kill -0 $S; not psql -X -q $A -c \"INSERT INTO weather.scratch VALUES (5000, '')\"; "
            "psql "
            "-X -q $A -c 'SELECT"
            " 1'; \"$HORNBEAM\" verify $M $N --parts schema,data -q 2>$FOLDER/h.err; psql -X -q ${N/mover@/app@} -c "
            "\"INSERT"
            " INTO weather.scratch VALUES (5000, '')\"",
            ways[i]);
        on("postgres", line);
    }
}

static void what_would_write_on_is_told_before(void **state)
{
    (void)state;
    on("postgres",
       "copied; from \"BEGIN; INSERT INTO weather.tally VALUES (0); PREPARE TRANSACTION 'late'\"; handover --yes"
       " && exit 9 || [ $? = 1 ]; grep -q 'prepared transactions wait' $FOLDER/h.err; opens $F; from \"ROLLBACK"
       " PREPARED 'late'\"");
    on("mariadb",
       "copied; from \"CREATE EVENT tick ON SCHEDULE EVERY 1 SECOND DO INSERT INTO remark VALUES ('tick',"
       " 1); SET GLOBAL event_scheduler = ON\"; freshen -q 2>/dev/null || true; handover --yes && exit 9 ||"
       " [ $? = 1 ]; grep -q 'events write without a session: tick' $FOLDER/h.err; opens $F; from \"SET GLOBAL"
       " event_scheduler = OFF\"");
    for (gsize i = 1; i < G_N_ELEMENTS(engines); i++)
        on(engines[i], "copied_by_rows; from \"XA START 'late'; INSERT INTO tally VALUES (0); XA END 'late'; XA PREPARE"
                       " 'late'\"; handover --yes && exit 9 || [ $? = 1 ]; grep -q 'XA ROLLBACK' $FOLDER/h.err;"
                       " opens $F; from \"XA ROLLBACK 'late'\"");
}

/* Somebody whom nothing stops writes on: the hand-over ends, and names it */
static void who_writes_on_ends_it(void **state)
{
    (void)state;
    on("mariadb",
       "copied; rm -f $FOLDER/rude; (while [ ! -e $FOLDER/rude ]; do from \"INSERT "
       "INTO $(table tally) SELECT"
       " COALESCE(MAX(n), 0) + 1 FROM $(table tally)\" || true; done) >/dev/null 2>&1 & R=$!;"
       " handover --yes >$FOLDER/h.out && exit 9 || [ $? = 1 ]; touch $FOLDER/rude; wait $R; rm $FOLDER/rude;"
       " grep -q 'FROM is still written to\\|was written to after it stood still' $FOLDER/h.err; opens $F");
}

static void a_command_of_a_route_stops_the_applications(void **state)
{
    (void)state;
    on("postgres",
       "copied; count_up; sleep 0.2; printf '#!/bin/sh\\necho $1 $2 >>%s/calls; [ $2 = open ] || touch"
       " %s/enough; sleep 0.2\\n' $FOLDER $FOLDER >$FOLDER/door; chmod +x $FOLDER/door; rm -f $FOLDER/calls;"
       " handover --yes --stop-writes command:$FOLDER/door && exit 9 || [ $? = 2 ];"
       " printf '[route]\\nfrom = %s\\nto = %s\\nstop-writes = command:%s/door \"of it\"\\n' \"$FROM\" \"$TO\""
       " $FOLDER >$FOLDER/way; \"$HORNBEAM\" handover --route $FOLDER/way --yes -q 2>$FOLDER/h.err;"
       " grep -q '^of it stop$' $FOLDER/calls; not opens $F; opens $T; counted $T;"
       " handover --yes --stop-writes ask && exit 9 || [ $? = 1 ]");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_living_database_is_handed_over_and_back),
        cmocka_unit_test(without_a_log_the_rows_are_compared),
        cmocka_unit_test(a_rehearsal_stops_nothing),
        cmocka_unit_test(what_fails_before_the_point_of_no_return_is_undone),
        cmocka_unit_test(a_hand_over_that_breaks_off_goes_on_or_is_undone),
        cmocka_unit_test(what_was_stopped_stays_so_until_it_is_gone_on_with),
        cmocka_unit_test(half_of_a_closing_is_not_how_it_was),
        cmocka_unit_test(a_string_that_fails_can_be_accepted),
        cmocka_unit_test(what_was_done_outlasts_a_crash),
        cmocka_unit_test(sources_are_left_open_renamed_or_refused_to_be_dropped),
        cmocka_unit_test(an_owner_hands_over_by_reading_only),
        cmocka_unit_test(what_would_write_on_is_told_before),
        cmocka_unit_test(who_writes_on_ends_it),
        cmocka_unit_test(a_command_of_a_route_stops_the_applications),
    };

    return servers_run_tests(servers_has_family("mysql")
                                 ? "postgres_from postgres_to mariadb_from:mariadb mariadb_to:mariadb "
                                   "mysql_from=mysql:mariadb mysql_to=mysql:mariadb"
                                 : "postgres_from postgres_to mariadb_from:mariadb mariadb_to:mariadb",
                             NULL, tests, G_N_ELEMENTS(tests));
}
