/* SPDX-License-Identifier: Apache-2.0 */
/* The live view in a real terminal that is made narrower and wider, and what other programs and signals are told
 * instead */
#include "support/check.h"
#include "support/servers.h"

#include <jansson.h>
#include <string.h>

/* In tmux, which breaks lines anew when it is resized: shows LINE COUNT waits until so many lines of the screen begin
 * so */
static const char terminal[] =
    "T() { tmux -L view-$$ -f /dev/null \"$@\"; }; trap 'T kill-server' EXIT;"
    " shows() { for i in $(seq 100); do [ \"$(T capture-pane -p -S - | grep -c \"^$1\")\" != "
    "\"$2\" ] || return 0; sleep 0.1; done;"
    " T capture-pane -p -S - >&2; return 1; };"
    " A=$(server_uri one vale) B=$(server_uri two $NAME);"
    " T new-session -d -x 100 -y 24 \"env -u NO_COLOR $HORNBEAM carry '$A' '$B' --throttle "
    "250k --jobs 2 $OPTIONS; echo \\\"status $?\\\";"
    " sleep 60\"; set -e; shows 'carrying rows .*%' 1; P=$(pgrep -P $(T list-panes -F '#{pane_pid}'));";

static void run_in_terminal(const char *name, const char *options, const char *line)
{
    g_autofree char *whole = g_strconcat(terminal, line, NULL);

    g_setenv("NAME", name, TRUE);
    g_setenv("OPTIONS", options, TRUE);
    run_expect(run_shell(whole), 0, NULL, NULL);
}

/* What stood above it stays, and nothing of the view itself is left behind */
static void the_view_follows_the_terminals_size(void **state)
{
    (void)state;
    run_in_terminal(
        "resized", "",
        "for size in '50 16' '120 30' '24 8' '100 24'; do T resize-window -x ${size% *} -y ${size#* }; sleep 0.4;"
        " shows 'carrying rows' 1; done; shows 'About to write' 1; shows '  allowed' 0; kill -USR1 $P;"
        " shows 'carrying rows' 2; shows 'About to write' 1; kill -INT $P; shows 'error: interrupted' 1;"
        " shows '   1  ' 0");
}

static void colour_is_left_out_where_it_is_not_wanted(void **state)
{
    (void)state;
    run_in_terminal("plain", "--color never",
                    "T capture-pane -pe >$FOLDER/screen; ! grep \"$(printf '\\033')\\[\" $FOLDER/screen");
}

static void check_line(const char *line, guint *lines, guint *messages)
{
    json_t *root = json_loads(line, JSON_REJECT_DUPLICATES, NULL);

    if (root == NULL)
        fail_msg("no JSON: %s", line);
    *lines += json_is_array(json_object_get(root, "sessions"));
    *messages += json_is_string(json_object_get(root, "severity"));
    json_decref(root);
}

/* Each line is one of JSON, whatever happens */
static void other_programs_get_a_line_a_second(void **state)
{
    guint lines = 0, messages = 0;
    Run run;

    (void)state;
    run = run_shell("$HORNBEAM carry \"$(server_uri one vale)\" \"$(server_uri two told)\" --throttle 500k --progress "
                    "json & p=$!; sleep 1.5;"
                    " kill -USR1 $p; wait $p && $HORNBEAM survey \"$(server_uri one vale)x\" --progress json");
    g_auto(GStrv) all = g_strsplit(g_strchomp(run.err), "\n", -1);
    assert_int_equal(run.status, 3);
    for (char **line = all; *line != NULL; line++)
        check_line(*line, &lines, &messages);
    assert_true(lines >= 3);
    assert_int_equal(messages, 1);
    run_clear(&run);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(the_view_follows_the_terminals_size),
        cmocka_unit_test(colour_is_left_out_where_it_is_not_wanted),
        cmocka_unit_test(other_programs_get_a_line_a_second),
    };

    return servers_run_tests(
        "one two",
        "psql -qX \"$(server_uri one postgres)\" -c 'CREATE DATABASE vale'; psql -qX \"$(server_uri one"
        " vale)\" -c \"CREATE TABLE t AS SELECT n, repeat('x', 100) AS x FROM generate_series(1, 20000) n\"",
        tests, G_N_ELEMENTS(tests));
}
