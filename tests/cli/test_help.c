/* SPDX-License-Identifier: Apache-2.0 */
/* What each command says of itself, word for word: names and options are a promise to scripts and to fingers */
#include "support/check.h"
#include "support/servers.h"

#include "cli/cli.h"

static void append(GString *out, const char *command, const char *option)
{
    Run run = run_hornbeam(command, option, NULL);

    g_string_append_printf(out, "$ hornbeam %s%s%s\n%s%s\n", command, option != NULL ? " " : "",
                           option != NULL ? option : "", run.out, run.err);
    assert_int_equal(run.status, 0);
    run_clear(&run);
}

static void each_command_explains_itself_as_it_always_did(void **state)
{
    g_autoptr(GString) out = g_string_new(NULL);

    (void)state;
    append(out, "help", NULL);
    for (gsize i = 0; hb_commands[i] != NULL; i++)
        append(out, hb_commands[i]->name, "--help");
    check_golden("help.txt", out->str);
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(each_command_explains_itself_as_it_always_did)};

    return cmocka_run_group_tests(tests, NULL, NULL);
}
