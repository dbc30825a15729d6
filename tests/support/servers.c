/* SPDX-License-Identifier: Apache-2.0 */
#include "support/servers.h"

#include "support/check.h"

#include <stdlib.h>
#include <string.h>

static char *folder;

static Run run_bash(const char *script)
{
    const char *arguments[] = {"bash", "-c", script, NULL};
    GError *error = NULL;
    Run run = {0};

    if (!g_spawn_sync(NULL, (char **)arguments, NULL, G_SPAWN_SEARCH_PATH, NULL, NULL, &run.out, &run.err, &run.status,
                      &error))
        fail_msg("cannot run bash: %s", error->message);
    run.status = WIFEXITED(run.status) ? WEXITSTATUS(run.status) : 128 + WTERMSIG(run.status);
    return run;
}

void run_clear(Run *run)
{
    g_free(run->out);
    g_free(run->err);
    *run = (Run){0};
}

static char *with_scripts(const char *line)
{
    return g_strdup_printf(
        "HORNBEAM=%s/hornbeam; . '%s/demo/servers.sh'; . '%s/tests/support/hold.sh'; SERVERS='%s'; %s", HB_BINARY_DIR,
        HB_SOURCE_DIR, HB_SOURCE_DIR, folder != NULL ? folder : "", line);
}

void servers_run_shell(const char *line)
{
    g_autofree char *strict = g_strconcat("set -e; ", line, NULL);
    g_autofree char *script = with_scripts(strict);
    Run run = run_bash(script);

    if (run.status != 0)
        fail_msg("status %d: %s%s: %s", run.status, run.out, run.err, line);
    run_clear(&run);
}

void servers_run_traced(const char *line)
{
    g_autofree char *whole =
        g_strdup_printf("not() { ! \"$@\"; }; fails() { s=$1; shift; r=0; \"$@\" >o 2>e || r=$?; [ $r = $s ]; };"
                        " hb() { \"$HORNBEAM\" \"$@\"; }; cd $FOLDER; set -ex; %s",
                        line);
    Run run = run_shell(whole);

    if (run.status != 0) {
        g_printerr("%s\n%s\n", run.out, run.err); /* a message of the library's is cut off */
        fail_msg("status %d", run.status);
    }
    run_clear(&run);
}

void servers_begin(const char *names)
{
    g_autofree char *line = g_strdup_printf(
        "set -e; servers_begin; . '%s/scripts/versions.sh'; for n in %s; do case $n in"
        " *=*:mariadb) v=${n#*=}; MARIADB_ROOT=$(family_root ${v%%:*}) start_mariadb ${n%%=*} ;;"
        " *:mariadb) start_mariadb ${n%%:*} ;;"
        " *=*) POSTGRES_BIN=$(postgres_bin ${n#*=}) start_postgres ${n%%=*} ;; *) start_postgres $n ;; esac;"
        " done; printf %%s \"$SERVERS\"",
        HB_SOURCE_DIR, names);
    g_autofree char *script = with_scripts(line);
    Run run = run_bash(script);

    if (run.status != 0)
        fail_msg("servers do not start: %s%s", run.out, run.err);
    folder = g_steal_pointer(&run.out);
    run_clear(&run);
}

gboolean servers_has_family(const char *version)
{
    g_autofree char *line = g_strdup_printf(". '%s/scripts/versions.sh'; has_family %s", HB_SOURCE_DIR, version);
    Run run = run_bash(line);
    gboolean there = run.status == 0;

    run_clear(&run);
    return there;
}

void servers_end(void)
{
    if (folder != NULL)
        servers_run_shell("servers_end");
    g_clear_pointer(&folder, g_free);
}

/* ---- The set-up of most tests of commands ---- */

static struct {
    const char *names, *line;
    char *folder;
} group;

static int begin_group(void **state)
{
    (void)state;
    group.folder = servers_begin_with_folder(group.names);
    if (group.line != NULL)
        servers_run_shell(group.line);
    return 0;
}

static int end_group(void **state)
{
    (void)state;
    servers_end_with_folder(group.folder);
    return 0;
}

const char *servers_get_folder(void)
{
    return group.folder;
}

int servers_run_tests(const char *names, const char *line, const struct CMUnitTest *tests, size_t count)
{
    group.names = names;
    group.line = line;
    return _cmocka_run_group_tests("tests", tests, count, begin_group, end_group);
}

char *servers_get_uri(const char *name, const char *database)
{
    g_autofree char *sign = g_build_filename(folder, name, "data", "PG_VERSION", NULL);

    return g_strdup_printf(g_file_test(sign, G_FILE_TEST_EXISTS) ? "postgresql://postgres@/%s?host=%s/%s/socket"
                                                                 : "mariadb://root@localhost/%s?socket=%s/%s/socket",
                           database != NULL ? database : "", folder, name);
}

static char *run_query(const char *const *arguments, const char *sql)
{
    char *out = NULL, *err = NULL;
    GError *error = NULL;
    int status;

    g_spawn_sync(NULL, (char **)arguments, NULL, G_SPAWN_SEARCH_PATH, NULL, NULL, &out, &err, &status, &error);
    check_no_error(error);
    if (status != 0)
        fail_msg("%s: %s", sql, err);
    g_free(err);
    return g_strchomp(out);
}

/* mariadb://root@localhost/DATABASE?socket=PATH as arguments of the shell */
static char *query_mariadb(const char *uri, const char *sql)
{
    g_autofree char *database = g_strndup(strstr(uri, "localhost/") + 10, strcspn(strstr(uri, "localhost/") + 10, "?"));
    g_autofree char *name = g_uri_unescape_string(database, NULL);
    const char *arguments[] = {"mariadb",
                               "--no-defaults",
                               "--default-character-set=utf8mb4",
                               "-rN",
                               "-uroot",
                               "-S",
                               strstr(uri, "socket=") + 7,
                               "-e",
                               sql,
                               name,
                               NULL};
    return run_query(arguments, sql);
}

char *servers_query(const char *uri, const char *sql)
{
    const char *arguments[] = {"psql", "-qXAt", "-v", "ON_ERROR_STOP=1", "-c", sql, uri, NULL};

    return g_str_has_prefix(uri, "mariadb:") ? query_mariadb(uri, sql) : run_query(arguments, sql);
}

Run run_hornbeam(const char *first, ...)
{
    g_autoptr(GString) line = g_string_new("exec " HB_BINARY_DIR "/hornbeam");
    va_list arguments;

    va_start(arguments, first);
    for (const char *argument = first; argument != NULL; argument = va_arg(arguments, const char *)) {
        g_autofree char *quoted = g_shell_quote(argument);
        g_string_append_printf(line, " %s", quoted);
    }
    va_end(arguments);
    g_string_append(line, " </dev/null");
    return run_bash(line->str);
}

Run run_shell(const char *line)
{
    g_autofree char *quiet = g_strconcat("exec </dev/null; ", line, NULL);
    g_autofree char *script = with_scripts(quiet);

    return run_bash(script);
}

void run_expect(Run run, int status, const char *out, const char *err)
{
    if (run.status != status)
        fail_msg("status %d, expected %d: %s%s", run.status, status,
                 strlen(run.err) > 700 ? run.err + strlen(run.err) - 700 : run.err, run.out); /* long ones are cut */
    if (out != NULL && strstr(run.out, out) == NULL)
        fail_msg("“%s” is not in: %s%s", out, run.out, run.err);
    if (err != NULL)
        check_contains(run.err, err);
    run_clear(&run);
}

void compare_censuses(const char *one, const char *other, guint least)
{
    g_autofree char *count = g_strdup_printf("%u", least);

    g_setenv("ONE", one, TRUE);
    g_setenv("OTHER", other, TRUE);
    g_setenv("LEAST", count, TRUE);
    run_expect(
        run_shell("census() { psql -qXAt -v ON_ERROR_STOP=1 -f $SOURCE/tests/support/census.sql \"$1\" >$FOLDER/all &&"
                  " grep -v ConstraintTrigger $FOLDER/all; }; cd $FOLDER && census \"$ONE\" >census.one &&"
                  " census \"$OTHER\" >census.other && [ $(wc -l <census.one) -gt $LEAST ] &&"
                  " diff census.one census.other"),
        0, "", NULL);
}

void compare_mariadb_censuses(const char *one, const char *other, const char *database, const char *but, guint least)
{
    g_autofree char *line = g_strdup_printf(
        "for s in %s %s; do $SOURCE/tests/support/mariadb_census.sh $SERVERS/$s/socket '%s' | grep -Ev '%s'"
        " >$FOLDER/census.$s; done; [ $(wc -l <$FOLDER/census.%s) -gt %u ]; diff $FOLDER/census.%s $FOLDER/census.%s",
        one, other, database, but, one, least, one, other);

    servers_run_shell(line);
}

char *servers_begin_with_folder(const char *names)
{
    char *path;

    servers_begin(names);
    path = check_make_folder();
    g_setenv("SOURCE", HB_SOURCE_DIR, TRUE);
    g_setenv("FOLDER", path, TRUE);
    return path;
}

void servers_end_with_folder(char *path)
{
    servers_end();
    check_remove_folder(path);
}
