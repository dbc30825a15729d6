/* SPDX-License-Identifier: Apache-2.0 */
/* Nothing waits for ever in silence: networks that stand still, locks of others, sessions that are dead to us */
#include "support/check.h"
#include "support/proxy.h"
#include "support/servers.h"

#include <signal.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

/* ---- A program that runs while the test goes on ---- */

typedef struct {
    GPid pid;
    int err;
} Running;

static Running start(char *const *arguments)
{
    Running running;
    g_autofree char *program = g_build_filename(HB_BINARY_DIR, "hornbeam", NULL);
    g_autoptr(GPtrArray) all = g_ptr_array_new();
    GError *error = NULL;

    g_ptr_array_add(all, program);
    for (char *const *argument = arguments; *argument != NULL; argument++)
        g_ptr_array_add(all, *argument);
    g_ptr_array_add(all, NULL);
    g_spawn_async_with_pipes(servers_get_folder(), (char **)all->pdata, NULL,
                             G_SPAWN_DO_NOT_REAP_CHILD | G_SPAWN_STDOUT_TO_DEV_NULL, NULL, NULL, &running.pid, NULL,
                             NULL, &running.err, &error);
    check_no_error(error);
    return running;
}

/* Its exit status, or -1 if it does not end within the time */
static int wait_for_end(Running *running, guint seconds)
{
    int status;

    for (guint i = 0; i < seconds * 50; i++) {
        if (waitpid(running->pid, &status, WNOHANG) == running->pid)
            return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
        g_usleep(20000);
    }
    kill(running->pid, SIGKILL);
    waitpid(running->pid, &status, 0);
    return -1;
}

/* What it said; closes it. The caller's */
static char *read_messages(Running *running)
{
    GString *text = g_string_new(NULL);
    char block[4096];
    ssize_t count;

    while ((count = read(running->err, block, sizeof block)) > 0)
        g_string_append_len(text, block, count);
    close(running->err);
    return g_string_free(text, FALSE);
}

static gboolean wait_for_stall(Proxy *proxy, Running *running)
{
    for (int i = 0; i < 500 && !proxy_is_stalled(proxy); i++)
        g_usleep(20000);
    (void)running;
    g_usleep(300000);
    return proxy_is_stalled(proxy);
}

/* ---- A network that stands still ---- */

/* PROXY stands for the address through it, OTHER for that of another database on the server, DUMP for a dump of it */
static const struct {
    const char *claim;
    const char *arguments;
    gint64 bytes;  /* until it stalls */
    guint seconds; /* that it may take to end; 0: the usual */
} stalls[] = {
    {"connecting", "survey PROXY", 10, 20}, /* a connection that is not there yet has a limit of its own */
    {"a survey", "survey PROXY", 3000, 0},
    {"a preflight's look", "preflight DUMP PROXY", 6000, 0},
    {"reading the catalog", "dump PROXY x.dump", 20000, 0},
    {"reading rows", "dump PROXY x.dump", 900000, 0},
    {"rows of a target", "verify DUMP PROXY", 900000, 0},
    {"a restore's look", "restore DUMP PROXY --existing replace --yes", 20000, 0},
    {"a carry's source", "carry PROXY OTHER --existing replace --yes --accept unfinished-restore --accept set-aside",
     900000, 0},
};

static void run_stalled(const char *server, gsize number, gboolean twice)
{
    Proxy *proxy = proxy_new(server);
    g_autofree char *through = proxy_get_uri(proxy, "fennick_vale"), *other = servers_get_uri(server, "lost");
    g_autofree char *dump = g_strdup_printf("%s/%s.dump", servers_get_folder(), server), *messages = NULL;
    g_auto(GStrv) arguments = g_strsplit(stalls[number].arguments, " ", -1);
    Running running;
    gint64 since;
    int status;

    for (char **argument = arguments; *argument != NULL; argument++) {
        const char *put = strcmp(*argument, "PROXY") == 0   ? through
                          : strcmp(*argument, "OTHER") == 0 ? other
                          : strcmp(*argument, "DUMP") == 0  ? dump
                                                            : NULL;
        if (put == NULL)
            continue;
        g_free(*argument);
        *argument = g_strdup(put);
    }
    proxy_stall_after(proxy, stalls[number].bytes);
    running = start(arguments);
    if (!wait_for_stall(proxy, &running))
        fail_msg("%s, %s: ended before it could stall (status %d): %s", server, stalls[number].claim,
                 wait_for_end(&running, 1), messages = read_messages(&running));
    since = g_get_monotonic_time();
    kill(running.pid, number % 2 == 0 ? SIGINT : SIGTERM);
    if (twice) {
        g_usleep(200000);
        kill(running.pid, SIGINT);
    }
    status = wait_for_end(&running, twice ? 2 : MAX(stalls[number].seconds, 12));
    messages = read_messages(&running);
    if (status != 130)
        fail_msg("%s, %s: status %d after %.1f s: %s", server, stalls[number].claim, status,
                 (double)(g_get_monotonic_time() - since) / G_USEC_PER_SEC, messages);
    proxy_free(proxy);
    servers_run_shell("rm -rf $FOLDER/x.dump $FOLDER/.x.dump*");
}

static void a_signal_ends_what_hangs_within_seconds(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(stalls); i++) {
        run_stalled("pg", i, FALSE);
        run_stalled("my", i, FALSE);
    }
}

static void a_second_signal_ends_at_once(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(stalls); i++)
        run_stalled(i % 2 == 0 ? "pg" : "my", i, TRUE);
}

/* Who sends a stream, and then nothing */
static void a_stream_that_stands_still_can_be_left(void **state)
{
    Run run = run_shell(
        "cd $FOLDER; $HORNBEAM dump -q \"$(server_uri pg fennick_vale)\" - >whole; for bytes in 0 20000 400000;"
        " do { head -c $bytes whole; exec sleep 60; } | { $HORNBEAM restore - \"$(server_uri pg still$bytes)\""
        " --yes >out 2>&1 & pid=$!; sleep 1.5; kill -INT $pid; wait $pid; echo $?; pkill -P $$ sleep; } ; done");

    (void)state;
    assert_string_equal(run.out, "130\n130\n130\n");
    run_clear(&run);
}

/* ---- Connections that break ---- */

static void a_carry_mends_the_targets_connection(void **state)
{
    static const char *const servers[] = {"pg", "my"};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(servers); i++) {
        Proxy *proxy = proxy_new(servers[i]);
        g_autofree char *name = g_strdup_printf("mended_%s", servers[i]), *to = proxy_get_uri(proxy, name);
        g_autofree char *from = servers_get_uri(servers[i], "fennick_vale"), *plain = servers_get_uri(servers[i], name);
        proxy_break_after(proxy, 1500000);
        run_expect(run_hornbeam("carry", from, to, "--yes", NULL), 0, "Restored whole", NULL);
        assert_true(proxy_is_broken(proxy));
        run_expect(run_hornbeam("verify", from, plain, "--parts", "schema,data", NULL), 0, "Equal", NULL);
        proxy_free(proxy);
    }
}

/* ---- Sessions that are dead to us, and not to the server ---- */

static void lost_sessions_do_not_stand_in_our_way(void **state)
{
    static const struct {
        const char *server;
        gint64 bytes;
    } breaks[] = {{"pg", 300000}, {"pg", 1500000}, {"my", 300000}, {"my", 1500000}};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(breaks); i++) {
        Proxy *proxy = proxy_new(breaks[i].server);
        g_autofree char *name = g_strdup_printf("kept_%" G_GSIZE_FORMAT, i), *to = proxy_get_uri(proxy, name);
        g_autofree char *dump = g_strdup_printf("%s/%s.dump", servers_get_folder(), breaks[i].server);
        proxy_keep_servers_ends(proxy);
        proxy_break_after(proxy, breaks[i].bytes);
        run_expect(run_hornbeam("restore", dump, to, "--yes", NULL), 0, "Restored whole",
                   "that a broken connection had");
        assert_true(proxy_is_broken(proxy));
        proxy_free(proxy);
    }
}

/* A program that is gone without its server's knowing, seen by the next run; both engines at once, as it takes a while
 */
static void a_run_that_died_is_told_from_one_that_works(void **state)
{
    static const char *const servers[] = {"pg", "my"};
    Proxy *proxies[G_N_ELEMENTS(servers)];
    Running next[G_N_ELEMENTS(servers)];

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(servers); i++) {
        g_autofree char *dump = g_strdup_printf("%s/%s.dump", servers_get_folder(), servers[i]), *messages = NULL;
        g_autofree char *to = NULL, *plain = servers_get_uri(servers[i], "dead"), *begin = NULL, *again = NULL;
        g_auto(GStrv) begins = NULL, agains = NULL;
        Running first;

        proxies[i] = proxy_new(servers[i]);
        to = proxy_get_uri(proxies[i], "dead");
        begin = g_strdup_printf("restore %s %s --yes", dump, to);
        again = g_strdup_printf("restore %s %s --yes --resume", dump, plain);
        begins = g_strsplit(begin, " ", -1);
        agains = g_strsplit(again, " ", -1);
        proxy_stall_after_sending(proxies[i], 900000);
        first = start(begins);
        assert_true(wait_for_stall(proxies[i], &first));
        run_expect(run_hornbeam("restore", dump, plain, "--yes", NULL), 1, NULL,
                   "is being restored into by another run now");
        kill(first.pid, SIGKILL);
        wait_for_end(&first, 5);
        messages = read_messages(&first);
        next[i] = start(agains);
    }
    for (gsize i = 0; i < G_N_ELEMENTS(servers); i++) {
        const int status = wait_for_end(&next[i], 90);
        g_autofree char *messages = read_messages(&next[i]);
        if (status != 0 || strstr(messages, "waiting up to 30 s to see whether its program is alive") == NULL ||
            strstr(messages, "that a broken connection had left behind") == NULL)
            fail_msg("%s: status %d: %s", servers[i], status, messages);
        proxy_free(proxies[i]);
    }
}

/* ---- Locks of others ---- */

static void whoever_holds_a_lock_is_named_while_it_lasts(void **state)
{
    static const struct {
        const char *server, *lock, *named;
    } cases[] = {
        {"pg", "BEGIN; LOCK TABLE garden.tree",
         "the source: process [0-9]* waits for garden.tree, held by process [0-9]* of user postgres (psql, idle in"},
        {"my", "LOCK TABLES tree WRITE",
         "the source: session [0-9]*: .*Waiting for backup lock.*; in the same database there is session [0-9]* of "
         "root@localhost (Sleep for"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *line = g_strdup_printf(
            "cd $FOLDER; rm -rf held.dump out; hold %s fennick_vale '%s'; $HORNBEAM dump --lock-wait 40 \"$(server_uri "
            "%s"
            " fennick_vale)\" held.dump >out 2>&1 & p=$!; wait_for 'grep -q \"nothing new for 1\" out'; let_go; wait "
            "$p;"
            " grep -q 'nothing new for 1[0-9] s; %s' out || cat out",
            cases[i].server, cases[i].lock, cases[i].server, cases[i].named);
        Run run = run_shell(line);
        assert_string_equal(run.out, "");
        run_clear(&run);
    }
}

/* ---- Statements that somebody else ends ---- */

static void a_statement_that_others_cancel_is_no_interruption(void **state)
{
    static const char *const lines[] = {
        "hold pg fennick_vale 'BEGIN; LOCK TABLE tree';"
        " $HORNBEAM dump --lock-wait 15 \"$(server_uri pg fennick_vale)\" c.dump 2>err & pid=$!; for i in $(seq 200); "
        "do psql"
        " -qXAt \"$(server_uri pg postgres)\" -c \"SELECT pg_cancel_backend(pid) FROM pg_stat_activity WHERE "
        "application_name ="
        " 'hornbeam' AND query LIKE 'LOCK TABLE%' AND state = 'active'\" | grep -q t && break; sleep 0.05; done; wait "
        "$pid;"
        " echo $?; cat err; let_go",
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(lines); i++) {
        g_autofree char *line = g_strconcat("cd $FOLDER; ", lines[i], NULL);
        Run run = run_shell(line);
        if (!g_str_has_prefix(run.out, "4\n") || strstr(run.out, "somebody else cancelled it") == NULL)
            fail_msg("%s%s", run.out, run.err);
        run_clear(&run);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_signal_ends_what_hangs_within_seconds),
        cmocka_unit_test(a_second_signal_ends_at_once),
        cmocka_unit_test(a_stream_that_stands_still_can_be_left),
        cmocka_unit_test(a_carry_mends_the_targets_connection),
        cmocka_unit_test(lost_sessions_do_not_stand_in_our_way),
        cmocka_unit_test(a_run_that_died_is_told_from_one_that_works),
        cmocka_unit_test(whoever_holds_a_lock_is_named_while_it_lasts),
        cmocka_unit_test(a_statement_that_others_cancel_is_no_interruption),
    };
    return servers_run_tests(
        "pg my:mariadb",
        "cd $SOURCE; plant pg 1; plant my 1; for s in pg my; do $HORNBEAM dump -q \"$(server_uri $s"
        " fennick_vale)\" $FOLDER/$s.dump; done; psql -qX \"$(server_uri pg postgres)\" -c 'CREATE DATABASE lost';"
        " mariadb_shell my -e 'CREATE DATABASE lost'",
        tests, G_N_ELEMENTS(tests));
}
