/* SPDX-License-Identifier: Apache-2.0 */
/* What is made of the option rows completes command lines in real shells */
#include "support/check.h"
#include "support/servers.h"

#include "cli/cli.h"

static const struct {
    const char *line, *ends; /* what the line ends with when it is completed */
} cases[] = {
    {"hornbeam du", "dump"},
    {"hornbeam restore --existing re", "replace"},
    {"hornbeam dump --keep-f", "--keep-for"},
    {"hornbeam handover --stop-writes re", "read-only"},
};

static void try_all(const char *format)
{
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *line = NULL;
        g_setenv("LINE", cases[i].line, TRUE);
        g_setenv("ENDS", cases[i].ends, TRUE);
        line = g_strconcat("MADE=" HB_BINARY_DIR "/completing; cd /; ", format, NULL);
        run_expect(run_shell(line), 0, NULL, NULL);
    }
}

static void bash_completes(void **state)
{
    (void)state;
    try_all("bash -c 'source $0/hornbeam; COMP_WORDS=($LINE); COMP_CWORD=$((${#COMP_WORDS[@]} - 1)); _hornbeam;"
            " [ \"${COMPREPLY[*]}\" = \"$ENDS\" ]' $MADE");
}

static void zsh_completes(void **state)
{
    (void)state;
    try_all("zsh $SOURCE/tests/support/complete.zsh $MADE \"$LINE\" \"$ENDS\"");
}

static void fish_completes(void **state)
{
    (void)state;
    try_all("HOME=$(mktemp -d) fish --no-config -c \"source $MADE/hornbeam.fish; complete -C '$LINE'\" | cut -f 1 | "
            "grep -qx -- "
            "\"$ENDS\"");
}

/* Each option of each command, and nothing of another one */
static void all_options_are_there(void **state)
{
    (void)state;
    for (const HbCommand *const *command = hb_commands; *command != NULL; command++) {
        g_autofree char *line =
            g_strdup_printf("bash -c 'source " HB_BINARY_DIR "/completing/hornbeam; COMP_WORDS=(hornbeam %s --);"
                            " COMP_CWORD=2; _hornbeam; echo \" ${COMPREPLY[*]} \"'",
                            (*command)->name);
        Run run = run_shell(line);
        for (const HbOptionRow *row = hb_option_rows; row->name != NULL; row++) {
            g_autofree char *option = g_strdup_printf(" --%s ", row->name);
            if (row->commands & (*command)->bit)
                check_contains(run.out, option);
        }
        run_clear(&run);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(bash_completes),
        cmocka_unit_test(zsh_completes),
        cmocka_unit_test(fish_completes),
        cmocka_unit_test(all_options_are_there),
    };

    g_setenv("SOURCE", HB_SOURCE_DIR, TRUE);
    return cmocka_run_group_tests(tests, NULL, NULL);
}
