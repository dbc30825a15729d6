/* SPDX-License-Identifier: Apache-2.0 */
/* Several hosts, each a program of its own, on one restore */
#include "support/check.h"
#include "support/servers.h"

static const char *const engines[][2] = {{"old", "new"}, {"mold", "mnew"}};

/*
 * What the lines of shell share: $DUMP, $TO, a database for each line; host NAME [OPTION...] runs a host, its result in
 * NAME.json; own NAME prints how many steps it did itself; same, free: TO is what it should be, and nothing is left
 */
#define WITH                                                                                                           \
    "DUMP=$FOLDER/%s.dump; TO=\"$(server_uri %s %s)\"; host() { local n=$1; shift; \"$HORNBEAM\" restore --join "      \
    "--json "                                                                                                          \
    "\"$@\" \"$DUMP\" \"$TO\" >$FOLDER/$n.json 2>$FOLDER/$n.err; };"                                                   \
    " number() { sed -n \"s/^ *\\\"$2\\\": *\\([a-z0-9]*\\).*/\\1/p\" $FOLDER/$1.json; }; own() { echo $(($(number "   \
    "$1 "                                                                                                              \
    "steps_done) - $(number $1 "                                                                                       \
    "steps_done_elsewhere))); }; same() { hb verify -q \"$DUMP\" \"$TO\" >$FOLDER/o; };"                               \
    " free() { hb restore --dry-run --resume \"$DUMP\" \"$TO\" >$FOLDER/o; grep -q 'Finished already' $FOLDER/o; };"

static void on(const char *const engine[2], const char *database, const char *line)
{
    g_autofree char *begin = g_strdup_printf(WITH, engine[0], engine[1], database);
    g_autofree char *whole = g_strconcat(begin, line, NULL);

    servers_run_traced(whole);
}

static void on_each(const char *database, const char *line)
{
    for (gsize i = 0; i < G_N_ELEMENTS(engines); i++)
        on(engines[i], database, line);
}

/* Each step was done by exactly one of them, and the last has left nothing */
static void hosts_share_the_steps(void **state)
{
    (void)state;
    /* one that comes when all is done has done nothing */
    on_each("shared",
            "for n in 1 2 3; do host $n --jobs 2 & p[$n]=$!; done; for n in 1 2 3; do wait ${p[$n]} || { cat "
            "$FOLDER/$n.err; exit 9; }; done;"
            " all=0; for n in 1 2 3; do [ $(number $n steps_done) -le $all ] || all=$(number $n steps_done); done;"
            " [ $all -gt 90 ]; [ $(($(own 1) + $(own 2) + $(own 3))) = $all ]; same; free; host 4;"
            " [ $(number 4 finished_before) = true ]");
}

/* Killed at any time, and begun again by whoever starts them: nothing is lost, nothing done twice, nothing left */
static void hosts_that_are_killed_leave_nothing(void **state)
{
    (void)state;
    on_each(
        "killed",
        "always() { local s=137; while [ $s = 137 ]; do s=0; host $1 & echo $! >$FOLDER/pid$1; wait $! || s=$?; done;"
        " return $s; }; set +x; for n in 1 2 3; do always $n & p[$n]=$!; done;"
        " for x in 1 2 3 4 5 6; do sleep 0.$((RANDOM % 6 + 1)); pkill -KILL -P $(cat $FOLDER/pid$((RANDOM % 3 + 1)))"
        " hornbeam || true; done; set -x; for n in 1 2 3; do wait ${p[$n]} || { cat $FOLDER/$n.err; exit 9; }; done; "
        "same; free");
}

/* The hold, as PostgreSQL has it: shared by others, or whole */
static void who_shares_the_hold_is_told_from_who_does_not(void **state)
{
    (void)state;
    on(engines[0], "alone",
       "psql -qX \"$(server_uri new postgres)\" -c 'CREATE DATABASE alone';"
       " lock() { hold new alone \"SELECT pg_advisory_lock$1(1215263342, 0)\"; };"
       " lock _shared; fails 1 hb restore \"$DUMP\" \"$TO\"; grep -q another-run e; let_go;"
       " lock ''; host 1 & W=$!; wait_for \"grep -q 'share the work' 1.err\"; let_go; wait $W; same; free");
}

/* Their plans must be the same; a run that goes alone ends what hosts left */
static void hosts_of_other_plans_are_refused(void **state)
{
    (void)state;
    on(engines[0], "planned",
       "host 1 --jobs 1 & W=$!; for i in $(seq 1000); do [ \"$(psql -qXAt \"$TO\" -c 'SELECT count(*) > 5 FROM "
       "hornbeam_journal.step' 2>/dev/null)\" != t ] || break; sleep 0.02; done; pkill -KILL -P $W hornbeam; wait $W "
       "|| "
       "true;"
       " fails 1 hb restore --join --skip rows \"$DUMP\" \"$TO\"; grep -q 'plan other steps' e;"
       " hb restore -q --resume \"$DUMP\" \"$TO\"; same; free");
}

static void what_one_host_cannot_share_is_refused(void **state)
{
    static const char *const cases[][2] = {
        {"--existing replace $FOLDER/old.dump \"$(server_uri new x)\"", "--existing does not go with --join"},
        {"--new-passwords $FOLDER/p $FOLDER/old.dump \"$(server_uri new x)\"",
         "--new-passwords does not go with --join"},
        {"- \"$(server_uri new x)\" <$FOLDER/old.dump/manifest.json", "--join is not for a dump that comes through"},
        {"$FOLDER/all.dump \"$(server_uri new)\"", "--join is not for a whole server"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *line = g_strdup_printf("$HORNBEAM restore --join %s", cases[i][0]);
        run_expect(run_shell(line), 2, NULL, cases[i][1]);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(hosts_share_the_steps),
        cmocka_unit_test(hosts_that_are_killed_leave_nothing),
        cmocka_unit_test(who_shares_the_hold_is_told_from_who_does_not),
        cmocka_unit_test(hosts_of_other_plans_are_refused),
        cmocka_unit_test(what_one_host_cannot_share_is_refused),
    };
    return servers_run_tests("old new mold:mariadb mnew:mariadb",
                             "plant old 5; plant mold 3; for s in old mold; do $HORNBEAM dump -q \"$(server_uri $s "
                             "fennick_vale)\" $FOLDER/$s.dump; done; $HORNBEAM dump -q \"$(server_uri old)\" "
                             "$FOLDER/all.dump",
                             tests, G_N_ELEMENTS(tests));
}
