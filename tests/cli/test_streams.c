/* SPDX-License-Identifier: Apache-2.0 */
/* One file, a pipe, and server to server: the same arrives as through a folder, and nothing that broke off is taken for
 * whole */
#include "support/check.h"
#include "support/servers.h"

#include <string.h>

/* way OLD NEW DATABASE NAME: moves it by tar, pipe or carry; then both are compared */
#define WAYS                                                                                                           \
    "cd $FOLDER; tar_way() { rm -f x.tar; $HORNBEAM dump -q \"$1\" x.tar; [ $? -le 1 ] && $HORNBEAM verify x.tar "     \
    ">/dev/null &&"                                                                                                    \
    "  $HORNBEAM show x.tar >/dev/null && $HORNBEAM sql x.tar >/dev/null && $HORNBEAM restore x.tar \"$2\"; };"        \
    " pipe_way() { $HORNBEAM dump -q \"$1\" - | $HORNBEAM restore - \"$2\"; };"                                        \
    " carry_way() { $HORNBEAM carry \"$1\" \"$2\"; };"

static void what_arrives_is_the_same_by_each_way(void **state)
{
    static const char *const ways[] = {"tar_way", "pipe_way", "carry_way"};
    static const char *const databases[] = {"odd", "fennick_vale"};

    (void)state;
    for (gsize w = 0; w < G_N_ELEMENTS(ways); w++) {
        for (gsize d = 0; d < G_N_ELEMENTS(databases); d++) {
            g_autofree char *line = g_strdup_printf(
                WAYS
                "for s in '' m; do from=$(server_uri ${s}old %s) to=$(server_uri ${s}new %s_%s);"
                " %s \"$from\" \"$to\" || [ $? = 1 ] || exit 9; $HORNBEAM verify \"$from\" \"$to\" || exit 8; done",
                databases[d], ways[w], databases[d], ways[w]);
            Run run = run_shell(line);
            if (run.status != 0)
                fail_msg("%s of %s: status %d: %s%s", ways[w], databases[d], run.status, run.out, run.err);
            run_clear(&run);
        }
    }
}

/* By the servers' own words, not by ours */
static void a_carried_database_is_the_same_by_the_servers_own_words(void **state)
{
    g_autofree char *from = servers_get_uri("old", "odd"), *to = servers_get_uri("new", "carry_way_odd");

    (void)state;
    compare_censuses(from, to, 500);
    run_expect(
        run_shell("for n in 'old fennick_vale' 'new pipe_way_fennick_vale'; do psql -qXAt \"$(server_uri $n)\" -c"
                  " 'SELECT count(*), sum(hashtextextended(r::text, 0)) FROM weather.reading r'; done | uniq | wc -l"),
        0, "1\n", NULL);
}

/* An unpacked tar is a dump in a folder */
static void a_tar_unpacked_is_a_folder(void **state)
{
    (void)state;
    run_expect(run_shell("cd $FOLDER; $HORNBEAM dump -q \"$(server_uri mold odd)\" u.tar; mkdir u; tar -xf u.tar -C u;"
                         " cd u && sha256sum -c --quiet SHA256SUMS && $HORNBEAM verify . && cd .. &&"
                         " $HORNBEAM verify u \"$(server_uri mnew tar_way_odd)\""),
               0, "Equal", NULL);
    run_expect(run_shell("cd $FOLDER; $HORNBEAM dump -q \"$(server_uri mold odd)\" u.tar"), 6, NULL, "exists already");
    run_expect(run_shell("cd $FOLDER; $HORNBEAM dump -q \"$(server_uri old nowhere)\" never.tar; ls -a | grep never"),
               1, NULL, NULL);
}

/* Wherever it is cut or hurt, the end says so, and the target is not taken for complete */
static void a_stream_that_broke_off_is_never_a_success(void **state)
{
    (void)state;
    for (int eighth = 0; eighth < 8; eighth++) {
        g_autofree char *line =
            g_strdup_printf(WAYS "size=$(stat -c %%s x.tar); head -c $((size * %d / 8 + 700)) x.tar |"
                                 " $HORNBEAM restore - \"$(server_uri mnew cut%d)\"",
                            eighth, eighth);
        run_expect(run_shell(line), 5, eighth > 1 ? "Not complete: " : NULL, eighth == 0 ? "error: " : "breaks off");
    }
    run_expect(run_shell(WAYS "$HORNBEAM restore x.tar \"$(server_uri mnew cut7)\""), 1, NULL,
               "holds an unfinished restore");
    run_expect(run_shell(WAYS
                         "cat x.tar | $HORNBEAM restore - \"$(server_uri mnew cut7)\" --resume; $HORNBEAM verify x.tar"
                         " \"$(server_uri mnew cut7)\""),
               0, "Equal", NULL);
    run_expect(
        run_shell(
            WAYS
            "{ head -c $(($(stat -c %s x.tar) / 2)) x.tar; printf XXXXXXXX; tail -c +$(($(stat -c %s x.tar) / 2 + 9))"
            " x.tar; } >hurt.tar; cat hurt.tar | $HORNBEAM restore - \"$(server_uri mnew hurt)\""),
        5, NULL, "error: ");
    run_expect(run_shell(WAYS "$HORNBEAM verify hurt.tar"), 5, "rows/", NULL);
    run_expect(run_shell("$HORNBEAM restore - \"$(server_uri mnew nothing)\" </etc/hostname"), 5, NULL,
               "breaks off or is damaged");
}

/* Users, then database by database; cut off, it ends within one of them */
static void a_whole_server_goes_by_each_way(void **state)
{
    static const char *const ways[] = {"$HORNBEAM dump -q \"$from\" $s.tar; $HORNBEAM verify $s.tar >files &&"
                                       " $HORNBEAM restore $s.tar \"$to\" >out",
                                       "$HORNBEAM dump -q \"$from\" - | $HORNBEAM restore - \"$to\" >out"};

    (void)state;
    for (gsize w = 0; w < G_N_ELEMENTS(ways); w++) {
        g_autofree char *line =
            g_strdup_printf("cd $FOLDER; start_postgres pg%zu; start_mariadb my%zu; for it in 'old pg%zu' 'mold "
                            "my%zu'; do set -- $it; s=$1"
                            " from=$(server_uri $1) to=$(server_uri $2); %s; [ $? -le 1 ] || exit 9;"
                            " $HORNBEAM verify \"$from\" \"$to\" || exit 8; done",
                            w, w, w, w, ways[w]);
        run_expect(run_shell(line), 0, "Equal", NULL);
    }
    run_expect(
        run_shell("cd $FOLDER; head -c 900000 mold.tar | $HORNBEAM restore - \"$(server_uri my0)\" --existing keep"), 5,
        "Restored whole: users and tablespaces", "breaks off");
    run_expect(
        run_shell("cd $FOLDER; $HORNBEAM restore - \"$(server_uri my0)\" --take database:beside --existing replace"
                  " --yes --accept unfinished-restore <mold.tar"),
        0, "Restored: database beside", NULL);
    run_expect(run_shell("cd $FOLDER; $HORNBEAM restore - \"$(server_uri my0 odd)\" <mold.tar"), 2, NULL,
               "is the dump of a whole server");
    run_expect(run_shell("stop_server pg0; stop_server pg1; stop_server my0; stop_server my1"), 0, NULL, NULL);
}

static void what_is_no_dump_is_told_from_one_that_broke_off(void **state)
{
    static const struct {
        const char *line, *told;
    } inputs[] = {
        {"true", "standard input: nothing came"},
        {"tar -c mold.tar", "standard input: this is a tar, and no dump"},
        {"head -c 3000 /dev/zero | tr '\\0' x", "standard input: the tar breaks off or is damaged"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(inputs); i++) {
        g_autofree char *line = g_strdup_printf(
            "cd $FOLDER; { %s; } 2>err | $HORNBEAM restore - \"$(server_uri new never)\"", inputs[i].line);
        run_expect(run_shell(line), 5, NULL, inputs[i].told);
    }
}

static void when_one_side_dies_both_say_so(void **state)
{
    (void)state;
    run_expect(run_shell("$HORNBEAM dump -q \"$(server_uri old fennick_vale)\" - | head -c 50000 >/dev/null;"
                         " exit ${PIPESTATUS[0]}"),
               6, NULL, "Broken pipe");
    run_expect(
        run_shell("$HORNBEAM dump -q \"$(server_uri old nowhere)\" - | $HORNBEAM restore - \"$(server_uri new dead)\";"
                  " exit ${PIPESTATUS[1]}"),
        5, NULL, "standard input: nothing came");
    /* The source goes away in the middle */
    run_expect(
        run_shell(
            "{ $HORNBEAM dump -q --jobs 1 \"$(server_uri old fennick_vale)\" - || echo dump $? >&2; } |"
            " { head -c 700000; stop_server old immediate; cat; } | $HORNBEAM restore - \"$(server_uri new dead)\";"
            " status=$?; as_server_user $POSTGRES_BIN/pg_ctl -D $SERVERS/old/data -l $SERVERS/old/data/server.log"
            " -w start >/dev/null; exit $status"),
        5, NULL, "dump 3");
    /* The target goes away, and does not come back */
    run_expect(
        run_shell(
            "{ $HORNBEAM dump -q --jobs 1 \"$(server_uri mold fennick_vale)\" - || echo dump $? >&2; } |"
            " { head -c 300000; stop_server mnew immediate; cat; } | $HORNBEAM restore - \"$(server_uri mnew dead)\";"
            " exit $?"),
        3, NULL, NULL);
    servers_run_shell("run_mariadb mnew");
}

/* What the crashed server forgot although it had confirmed it is read again. An unlogged table is emptied by any crash
 */
static void a_carry_goes_on_when_the_target_comes_back(void **state)
{
    (void)state;
    run_expect(
        run_shell(
            "from=$(server_uri old fennick_vale) to=$(server_uri new back);"
            " $HORNBEAM carry \"$from\" \"$to\" --jobs 2 & carry=$!;"
            " for i in $(seq 200); do [ \"$(psql -qXAtc 'SELECT count(*) > 3 FROM hornbeam_journal.step WHERE key LIKE"
            " $$rows%$$' \"$to\" 2>/dev/null)\" = t ] && break; sleep 0.01; done; stop_server new immediate; sleep 0.3;"
            " as_server_user $POSTGRES_BIN/pg_ctl -D $SERVERS/new/data -l $SERVERS/new/data/server.log -w start"
            " >/dev/null; wait $carry; carried=$?; $HORNBEAM verify \"$from\" \"$to\" --skip user:* --skip "
            "rows:label_queue; verified=$?;"
            " echo carried $carried verified $verified; [ $carried$verified = 00 ] || [ $carried$verified = 10 ]"),
        0, NULL, NULL);
}

static void a_carry_says_what_is_in_its_way(void **state)
{
    (void)state;
    run_expect(
        run_shell(
            "from=$(server_uri old fennick_vale) to=$(server_uri new cut); $HORNBEAM carry \"$from\" \"$to\" & p=$!;"
            " for i in $(seq 200); do [ \"$(psql -qXAtc 'SELECT count(*) > 0 FROM hornbeam_journal.step WHERE key LIKE"
            " $$rows%$$' \"$to\" 2>/dev/null)\" = t ] && break; sleep 0.01; done; kill -INT $p; wait $p"),
        130, "Go on with --resume", "interrupted");
    run_expect(run_shell("$HORNBEAM carry \"$(server_uri old odd)\" \"$(server_uri old odd)\""), 1, NULL,
               "is the source itself");
    run_expect(run_shell("$HORNBEAM carry \"$(server_uri old odd)\" \"$(server_uri mnew odd)\""), 2, NULL,
               "different kinds");
    run_expect(
        run_shell(
            "$HORNBEAM carry \"$(server_uri old fennick_vale)\" \"$(server_uri new part)\" --take schema:loans;"
            " $HORNBEAM verify \"$(server_uri old fennick_vale)\" \"$(server_uri new part)\" --take schema:loans"),
        0, "Equal", "comes along");
    /* A table that the target refuses is reported; the rest arrives */
    run_expect(run_shell("mariadb_shell mold fennick_vale -e 'CREATE TABLE broken (a INT) ENGINE=CSV' 2>/dev/null;"
                         " psql -qX \"$(server_uri old odd)\" -c \"CREATE FUNCTION here() RETURNS bool LANGUAGE sql AS"
                         " 'SELECT current_database() = ''odd''' \" -c 'CREATE DOMAIN never AS int CHECK (here())'"
                         "  -c 'CREATE TABLE refused (a never)' -c 'INSERT INTO refused VALUES (1)';"
                         " $HORNBEAM carry \"$(server_uri old odd)\" \"$(server_uri new refused)\""),
               4, "refused", NULL);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_arrives_is_the_same_by_each_way),
        cmocka_unit_test(a_carried_database_is_the_same_by_the_servers_own_words),
        cmocka_unit_test(a_tar_unpacked_is_a_folder),
        cmocka_unit_test(a_stream_that_broke_off_is_never_a_success),
        cmocka_unit_test(a_whole_server_goes_by_each_way),
        cmocka_unit_test(what_is_no_dump_is_told_from_one_that_broke_off),
        cmocka_unit_test(when_one_side_dies_both_say_so),
        cmocka_unit_test(a_carry_goes_on_when_the_target_comes_back),
        cmocka_unit_test(a_carry_says_what_is_in_its_way),
    };

    return servers_run_tests("old new mold:mariadb mnew:mariadb",
                             "cd $SOURCE; psql -qX \"$(server_uri old postgres)\" -c 'CREATE DATABASE odd';"
                             " psql -qX \"$(server_uri old odd)\" -f tests/support/odd.sql >/dev/null;  plant old 12;"
                             " plant mold 5; mariadb_shell mold -e 'CREATE DATABASE odd';"
                             " mariadb_shell mold odd <tests/support/odd_mariadb.sql;"
                             " mariadb_shell mnew -e 'CREATE DATABASE beside;"
                             " CREATE TABLE beside.station  (id INT PRIMARY KEY, name VARCHAR(40));"
                             " INSERT INTO beside.station VALUES (1, \"Ridge\"), (2, \"Pond\")'",
                             tests, G_N_ELEMENTS(tests));
}
