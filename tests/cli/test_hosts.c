/* SPDX-License-Identifier: Apache-2.0 */
/* Several hosts, each a program of its own, on one restore, or on one dump */
#include "support/check.h"
#include "support/servers.h"

static const char *const engines[][2] = {{"old", "new"}, {"mold", "mnew"}};

/*
 * What the lines of shell share: $DUMP, $TO, a database for each line; host NAME [OPTION...] runs a host, its result in
 * NAME.json; own NAME prints how many steps it did itself; same, free: TO is what it should be, and nothing is left
 */
#define WITH                                                                                                           \
    "rm -f $FOLDER/[1-9].err; DUMP=$FOLDER/%s.dump; TO=\"$(server_uri %s %s)\"; host() { local n=$1; shift; "          \
    "\"$HORNBEAM\" restore --join "                                                                                    \
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

/* The one that begins stands still when it has done something, so that the other one has the time to tell of it */
static void each_host_tells_what_the_others_do(void **state)
{
    static const char *const asks[] = {
        "psql -qXAt \"$TO\" -c \"SELECT count(DISTINCT note) FROM hornbeam_journal.step",
        "mariadb_shell mnew told$try -N -e \"SELECT count(DISTINCT note) FROM hornbeam_journal_step"};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(engines); i++) {
        g_autofree char *line = g_strdup_printf(
            "begun() { [ \"$(%s WHERE note LIKE 'done by %%'\" 2>&1)\" = 1 ]; }; all=$TO; for try in 1 2 3 4 5; do"
            " TO=${all/told/told$try}; host 2 --jobs 1 & p[2]=$!; set +x; for n in $(seq 300); do ! begun || break; "
            "done;"
            " set -x; ! pkill -STOP -P ${p[2]} hornbeam || break; wait ${p[2]}; done;"
            " host 1 --jobs 1 --progress json & p[1]=$!; wait_for \"grep -q '\\\"host\\\"' $FOLDER/1.err\";"
            " pkill -CONT -P ${p[2]} hornbeam; for n in 1 2; do wait ${p[$n]} || { cat $FOLDER/$n.err; exit 9; }; done;"
            " same; free; [ $(grep -o '\"host\": *\"[^\"]*\"' $FOLDER/1.err | sort -u | wc -l) = 1 ];"
            " parts=$(grep -o '\"parts\": *[0-9]*' $FOLDER/1.err | tail -n 1 | tr -dc 0-9);"
            " [ $parts -gt 0 ]; [ $parts -le $(own 2) ]",
            asks[i]);
        on(engines[i], "told", line);
    }
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

/* ---- On one dump ---- */

/* dumps NAME [OPTION...]: a host that dumps $FROM into $X; alike: $X is whole, of one moment, and nothing else is there
 */
#define DUMPING                                                                                                        \
    "FROM=\"$(server_uri %s fennick_vale)\"; X=$FOLDER/x/%s.dump; mkdir -p x; rm -rf x/* x/.??* [1-9].err; N='%s';"    \
    " dumps() { local n=$1; shift; \"$HORNBEAM\" dump --join --jobs 1 $N \"$@\" \"$FROM\" $X >$n.out 2>$n.err; };"     \
    " parts() { sed -n 's/.*this one wrote \\([0-9]*\\) part.*/\\1/p' $1.err; };"                                      \
    " alike() { [ \"$(ls -A x)\" = \"$(basename $X)\" ]; [ ! -e $X/hosts ]; hb verify -q $X \"$FROM\" >o;"             \
    " [ $(find $X/rows -type f | wc -l) = $(grep -c ' rows/' $X/SHA256SUMS) ]; };"                                     \
    " places() { ls -d x/.*unfinished* 2>/dev/null; }; "

static void dump_on(const char *const engine[2], const char *hosts, const char *line)
{
    g_autofree char *begin = g_strdup_printf(DUMPING, engine[0], engine[0], hosts);
    g_autofree char *whole = g_strconcat(begin, line, NULL);

    servers_run_traced(whole);
}

static void hosts_write_one_dump(void **state)
{
    static const char line[] =
        "for n in 1 2 3; do dumps $n & p[$n]=$!; done; for n in 1 2 3; do wait ${p[$n]} || { cat $n.err; exit 9; }; "
        "done; alike; all=0; for n in 1 2 3; do [ $(parts $n) -ge 0 ]; all=$((all + $(parts $n))); done; [ $all -ge 5 "
        "];"
        " grep -q 'of 3 hosts' 1.err 2.err 3.err; fails 6 hb dump --join $N \"$FROM\" $X; grep -q 'exists already' e";

    (void)state;
    dump_on(engines[0], "",
            "dumps 1 --json & W=$!; wait_for places; wait $W; alike; grep -q '\"own_parts\": [1-9]' 1.out");
    dump_on(engines[0], "--hosts 3", line);
    dump_on(engines[1], "--hosts 3", line);
}

/* Hosts come and go, as hard as can be; only the first one must stay */
static void a_dump_outlives_all_hosts_but_the_first(void **state)
{
    (void)state;
    dump_on(engines[0], "",
            "set +x; dumps 1 --throttle 3M & W=$!; wait_for places; for x in 1 2 3 4; do for n in 2 3; do dumps $n "
            "--jobs 2 & "
            "p[$n]=$!; done; sleep 0.$((RANDOM % 8 + 1)); for n in 2 3; do pkill -KILL -P ${p[$n]} hornbeam || true; "
            "wait ${p[$n]} || true; done; done; dumps 2 & p=$!; set -x; wait $W; wait $p || grep -q 'exists already' "
            "2.err; "
            "alike");
    dump_on(
        engines[1], "--hosts 3",
        "dumps 1 --throttle 3M & W=$!; wait_for \"grep -q waiting 1.err\"; for n in 2 3; do dumps $n --throttle 1M & "
        "p[$n]=$!; done; wait_for \"ls x/.*/hosts/plan\"; sleep 0.$((RANDOM % 8 + 1)); for n in 2 3; do pkill -KILL "
        "-P ${p[$n]} hornbeam || true; wait ${p[$n]} || true; done; wait $W; alike");
    dump_on(engines[0], "",
            "dumps 1 --throttle 1M & W=$!; wait_for places; dumps 2 --throttle 1M & p=$!; wait_for \"ls "
            "x/.*/hosts/group-*\"; "
            "pkill -KILL -P $W hornbeam; wait $W || true; r=0; wait $p || r=$?; [ $r = 1 ]; grep -q 'the host that "
            "began this dump is gone' 2.err; [ ! -e $X ]; rm -r x/.*unfinished*; dumps 1; alike");
}

/* What changes while hosts join is read again, by all of them */
static void hosts_begin_anew_when_the_structure_changes(void **state)
{
    (void)state;
    dump_on(
        engines[0], "--hosts 3",
        "set +x; (for i in $(seq 30); do psql -qX \"$FROM\" -c \"CREATE OR REPLACE VIEW garden.restless AS SELECT $i "
        "AS n\" >/dev/null 2>&1; done) & V=$!; for n in 1 2 3; do dumps $n & p[$n]=$!; done; set -x; for n in 1 2 3; "
        "do wait ${p[$n]} || { cat $n.err >&2; exit 9; }; done; wait $V; hb verify -q $X \"$FROM\" --parts data >o;"
        " psql -qX \"$FROM\" -c 'DROP VIEW garden.restless'");
}

/* A note is believed only if the source answers for it */
static void notes_that_nobody_answers_for_are_no_notes(void **state)
{
    (void)state;
    dump_on(engines[0], "",
            "mkdir -p x/.old.dump.unfinished-aaaaaa/hosts; echo '{\"hornbeam\": \"0\", \"token\": \" x\"}' "
            ">x/.old.dump.unfinished-aaaaaa/hosts/moment; for n in 1 2; do dumps $n & p[$n]=$!; done; for n in 1 2; do "
            "wait ${p[$n]}; done; rm -r x/.old*; alike");
}

static void what_one_host_cannot_share_is_refused(void **state)
{
    static const char *const cases[][2] = {
        {"--existing replace $FOLDER/old.dump \"$(server_uri new x)\"", "--existing does not go with --join"},
        {"--new-passwords $FOLDER/p $FOLDER/old.dump \"$(server_uri new x)\"",
         "--new-passwords does not go with --join"},
        {"- \"$(server_uri new x)\" <$FOLDER/old.dump/manifest.json", "--join is not for a dump that comes through"},
        {"$FOLDER/all.dump \"$(server_uri new)\"", "--join is not for a whole server"},
        {"$(server_uri old) $FOLDER/y.dump", "--join is not for a whole server"},
        {"$(server_uri old fennick_vale) $FOLDER/y.tar", "--join is not for a dump that is one file"},
        {"$(server_uri mold fennick_vale) $FOLDER/y.dump", "all hosts must begin at one moment"},
        {"$(server_uri old fennick_vale) $FOLDER/y.dump --sweep", "--sweep does not go with --join"},
        {"$(server_uri old fennick_vale) $FOLDER/y-%Y.dump --keep 3", "--keep does not go with --join"},
        {"$(server_uri old fennick_vale) $FOLDER/y.dump --hosts 1", "--hosts"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        const gboolean dumps = g_str_has_prefix(cases[i][0], "$(server_uri");
        g_autofree char *line = g_strdup_printf("$HORNBEAM %s --join %s", dumps ? "dump" : "restore", cases[i][0]);
        run_expect(run_shell(line), 2, NULL, cases[i][1]);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(hosts_share_the_steps),
        cmocka_unit_test(each_host_tells_what_the_others_do),
        cmocka_unit_test(hosts_that_are_killed_leave_nothing),
        cmocka_unit_test(who_shares_the_hold_is_told_from_who_does_not),
        cmocka_unit_test(hosts_of_other_plans_are_refused),
        cmocka_unit_test(hosts_write_one_dump),
        cmocka_unit_test(a_dump_outlives_all_hosts_but_the_first),
        cmocka_unit_test(hosts_begin_anew_when_the_structure_changes),
        cmocka_unit_test(notes_that_nobody_answers_for_are_no_notes),
        cmocka_unit_test(what_one_host_cannot_share_is_refused),
    };
    return servers_run_tests("old new mold:mariadb mnew:mariadb",
                             "plant old 5; plant mold 3; for s in old mold; do $HORNBEAM dump -q \"$(server_uri $s "
                             "fennick_vale)\" $FOLDER/$s.dump; done; $HORNBEAM dump -q \"$(server_uri old)\" "
                             "$FOLDER/all.dump",
                             tests, G_N_ELEMENTS(tests));
}
