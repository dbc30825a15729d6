/* SPDX-License-Identifier: Apache-2.0 */
/* --report of each command, opened in a real browser: it asks for nothing from elsewhere, and complains of nothing */
#include "support/check.h"
#include "support/servers.h"

/* Status 0: the browser shows PART of the page, and its console is silent */
static const char shows[] =
    "shows() { chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-sync"
    " --disable-background-networking --disable-component-update --user-data-dir=$FOLDER/browser "
    "--enable-logging=stderr"
    " --virtual-time-budget=2000 --dump-dom file://$FOLDER/$1 >$FOLDER/dom 2>$FOLDER/console;"
    " grep -q \"$2\" $FOLDER/dom && ! grep CONSOLE $FOLDER/console && ! grep -E '(src|href)=|url\\(|<script|@import' "
    "$FOLDER/$1; };";

static void each_command_writes_a_page(void **state)
{
    static const struct {
        const char *command, *part;
        int status;
    } cases[] = {
        {"survey $A", "Tables by size", 0},
        {"survey \"$(server_uri one)\"", "Databases by size", 0},
        {"dump $A $FOLDER/r.dump", "Written whole", 0},
        {"preflight $FOLDER/r.dump $B", "fit\\\"", 0},
        {"restore $FOLDER/r.dump $B", "What took longest", 0},
        {"verify $FOLDER/r.dump $B", "Equal: TO holds", 0},
        {"verify $FOLDER/r.dump", "Whole", 0},
        {"freshen $A $B --yes", "Fresh: TO holds", 0},
        {"carry $A $C --remember", "Restored whole", 0},
        {"verify $A $D", "Different: ", 1},
        {"handover $A $C --dry-run", "rehearsed", 0},
        {"survey ${A}nowhere", "could not be reached", 3},
    };

    (void)state;
    servers_run_shell(
        "for d in vale other; do psql -qX \"$(server_uri one postgres)\" -c \"CREATE DATABASE $d\"; done;"
        " psql -qX \"$(server_uri one vale)\" -c 'CREATE TABLE \"<b>t\" (a int PRIMARY KEY)' -c 'INSERT INTO"
        " \"<b>t\" SELECT generate_series(1, 5000)' -c 'CREATE TABLE u AS SELECT * FROM \"<b>t\"'");
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *line = g_strdup_printf(
            "%s A=$(server_uri one vale) B=$(server_uri two vale) C=$(server_uri two copy) D=$(server_uri one other);"
            " $HORNBEAM %s --report $FOLDER/page.html >$FOLDER/out 2>&1; s=$?; [ $s = %d ] || { cat $FOLDER/out; exit "
            "90; };"
            " shows page.html \"%s\"",
            shows, cases[i].command, cases[i].status, cases[i].part);
        Run run = run_shell(line);
        if (run.status != 0)
            fail_msg("%s: status %d: %s%s", cases[i].command, run.status, run.out, run.err);
        run_clear(&run);
    }
}

/* Said before the work begins, not after hours of it */
static void a_report_that_cannot_be_written_is_told_at_once(void **state)
{
    (void)state;
    run_expect(run_shell("$HORNBEAM dump \"$(server_uri one vale)\" $FOLDER/n.dump --report /nowhere/page.html"), 6,
               NULL, "--report: /nowhere/page.html cannot be written");
    run_expect(
        run_shell(
            "test ! -e $FOLDER/n.dump; $HORNBEAM dump \"$(server_uri one vale)\" $FOLDER/n.dump --report $FOLDER"),
        6, NULL, "cannot be written");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(each_command_writes_a_page),
        cmocka_unit_test(a_report_that_cannot_be_written_is_told_at_once),
    };

    return servers_run_tests("one two", NULL, tests, G_N_ELEMENTS(tests));
}
