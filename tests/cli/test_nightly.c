/* SPDX-License-Identifier: Apache-2.0 */
/* What is done every night: dated names, old dumps that go, several databases a route, one run at a time, a program
 * then */
#include "support/check.h"
#include "support/servers.h"

#include <string.h>

/* $NIGHT is a route of two legs; dumps of four days are there beside what fits the name and is none of them */
static void begin_night(void)
{
    servers_run_shell(
        "rm -rf $FOLDER/n; mkdir $FOLDER/n; printf '[route]\\ndump = %s/n/{leg}-%%Y-%%m-%%d.dump\\nkeep = 3\\n"
        "[leg vale]\\nfrom = %s\\n[leg loans]\\nfrom = %s\\nskip = rows:t\\n' $FOLDER \"$(server_uri one vale)\""
        " \"$(server_uri one loans)\" >$FOLDER/night");
}

static void a_line(const char *line)
{
    g_autofree char *dated =
        g_strconcat("today=$(date +%F); dated() { mv n/$1-$today.dump n/$1-$2.dump; }; ", line, NULL);

    servers_run_traced(dated);
}

/* The newest N stay, of the same source only, and only a new one that is whole makes older ones go */
static void old_dumps_go_when_a_new_one_is_whole(void **state)
{
    (void)state;
    begin_night();
    a_line(
        "for d in 2026-01-01 2026-01-02 2026-01-03; do \"$HORNBEAM\" dump --route night --leg loans -q; dated loans $d;"
        " done; [ $(ls n | wc -l) = 3 ]; \"$HORNBEAM\" dump --route night --leg vale -q; cp -r n/vale-$today.dump"
        " n/loans-2020-01-01.dump; mkdir n/loans-2020-01-02.dump; ln -s loans-2026-01-01.dump n/loans-2020-01-03.dump;"
        " mkdir -p n/.loans-2020-02-02.dump.removed/rows n/.other.removed; \"$HORNBEAM\" dump --route night --leg loans"
        " --json >j; grep -q '\"kept\": 3' j; [ $(grep -c loans-2026-01-01.dump j) = 1 ]; [ ! -e "
        "n/loans-2026-01-01.dump ];"
        " [ -e n/loans-2026-01-02.dump ]; [ -e n/loans-2020-01-01.dump ]; [ -e n/loans-2020-01-02.dump ];"
        " [ ! -e n/.loans-2020-02-02.dump.removed ]; [ -e n/.other.removed ]; grep -q 'of another source' j;"
        " grep -q 'is a link' j; \"$HORNBEAM\" verify n/loans-%Y-%m-%d.dump 2>&1 | grep -q loans-$today");
    /* by age: seen from the newest, both rules together */
    a_line("rm -rf n; mkdir n; for d in 01 02 03; do \"$HORNBEAM\" dump --route night --leg vale -q; dated vale "
           "2026-01-$d;"
           " done; sleep 1; \"$HORNBEAM\" dump \"$(server_uri one vale)\" n/vale-%Y-%m-%d.dump --keep-for 1h -q;"
           " [ $(ls n | wc -l) = 4 ]; dated vale 2026-01-04; \"$HORNBEAM\" dump \"$(server_uri one vale)\""
           " n/vale-%Y-%m-%d.dump --keep 1 -q; ls n; [ \"$(ls n)\" = vale-$today.dump ]");
    /* one that fails leaves all, and so does a target that is there */
    a_line(
        "dated vale 2026-01-05; \"$HORNBEAM\" dump \"$(server_uri one vale)x\" n/vale-%Y-%m-%d.dump --keep 1 -q 2>e &&"
        " exit 9 || [ $? = 3 ]; [ -e n/vale-2026-01-05.dump ]; \"$HORNBEAM\" dump \"$(server_uri one vale)\""
        " n/vale-%Y.tar --keep 1 -q; \"$HORNBEAM\" dump \"$(server_uri one vale)\" n/vale-%Y.tar -q 2>e && exit 9 ||"
        " [ $? = 6 ]; grep -q 'exists already' e");
}

/* Each leg by what holds for all and what is its own; one that fails stops no other */
static void a_route_has_legs(void **state)
{
    (void)state;
    begin_night();
    a_line(
        "\"$HORNBEAM\" dump --route night >o; grep -q 'leg vale: done' o; grep -q 'leg loans: done' o;"
        " \"$HORNBEAM\" show n/loans-$today.dump | grep -q 'rows:t\\|0 rows'; \"$HORNBEAM\" show n/vale-$today.dump >o;"
        " dated vale 2026-01-01; \"$HORNBEAM\" dump --route night --json >j 2>e && exit 9 || [ $? = 6 ]; [ -e"
        " n/vale-$today.dump ]; grep -q '\"document\": \"route\"' j; [ $(grep -c '\"leg\":' j) = 2 ];"
        " grep -q '\"status\": 6' j; \"$HORNBEAM\" dump --route night --leg none 2>e && exit 9 || [ $? = 2 ];"
        " grep -q 'has no leg “none”' e; printf '[leg odd]\\njobs = many\\n' >>night; rm -r n/*; \"$HORNBEAM\" dump"
        " --route night 2>e && exit 9 || [ $? = 2 ]; grep -q 'leg odd: --jobs' e; [ -z \"$(ls n)\" ]");
}

static void one_run_of_a_route_at_a_time(void **state)
{
    (void)state;
    begin_night();
    a_line("rm -f held over; flock night sh -c 'touch held; for i in $(seq 600); do [ ! -e over ] || break; sleep 0.1; "
           "done' &"
           " for i in $(seq 600); do [ ! -e held ] || break; sleep 0.1; done; \"$HORNBEAM\" dump --route night 2>e && "
           "exit 9 || [ $? = 1 ]; grep -q "
           "'another"
           " run of this route is at work: process [0-9]' e; not ls n/*; \"$HORNBEAM\" dump --route night --help >o; "
           "touch over; wait;"
           " \"$HORNBEAM\" dump --route night -q");
}

/* It gets the document on its input, whatever the user reads himself, and is told the status. It cannot hide a failure
 */
static void a_program_comes_then(void **state)
{
    (void)state;
    begin_night();
    a_line(
        "export SEEN=$FOLDER/seen; T=\"sh -c 'cat >$FOLDER/seen; echo \\$HORNBEAM_STATUS-\\$HORNBEAM_LEG; exit"
        " \\$HORNBEAM_STATUS'\"; \"$HORNBEAM\" dump --route night --leg vale --then \"$T\" 2>e >o; grep -q '^0-vale$' "
        "e;"
        " grep -q '\"rows\":' seen; not grep -q '0-vale' o; \"$HORNBEAM\" dump --route night --leg vale --then \"$T\" "
        "-q 2>e"
        " && exit 9 || [ $? = 6 ]; grep -q '^6-vale$' e; grep -q 'exists already' seen; grep -q '\"status\": 6' seen;"
        " \"$HORNBEAM\" survey \"$(server_uri one vale)\" --json --then 'sh -c \"exit 3\"' >j 2>e && exit 9 || [ $? = "
        "1 ];"
        " grep -q 'exited with code 3' e; grep -q '\"document\": \"survey\"' j; \"$HORNBEAM\" survey"
        " \"$(server_uri one vale)\" -q --then $FOLDER/nothing >j 2>e && exit 9 || [ $? = 1 ]; grep -q 'may be run' e;"
        " \"$HORNBEAM\" survey \"$(server_uri one vale)\" --then \"'\" 2>e && exit 9 || [ $? = 2 ]");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(old_dumps_go_when_a_new_one_is_whole),
        cmocka_unit_test(a_route_has_legs),
        cmocka_unit_test(one_run_of_a_route_at_a_time),
        cmocka_unit_test(a_program_comes_then),
    };

    return servers_run_tests(
        "one",
        "for d in vale loans; do psql -qX \"$(server_uri one postgres)\" -c \"CREATE DATABASE $d\";"
        " psql -qX \"$(server_uri one $d)\" -c 'CREATE TABLE t (a int PRIMARY KEY)' -c 'INSERT INTO t"
        " SELECT generate_series(1, 1000)'; done",
        tests, G_N_ELEMENTS(tests));
}
