/* SPDX-License-Identifier: Apache-2.0 */
/*
 * completions SHELL - prints what completes a command line of hornbeam in bash, zsh or fish, made from the same rows as
 * help and parsing. Run when the program is built; it is not installed.
 */
#include "cli/cli.h"

#include <stdio.h>
#include <string.h>

/* A value that is a file's name, as help calls it */
static gboolean is_file(const HbOptionRow *row)
{
    return row->value != NULL && strstr(row->value, "FILE") != NULL;
}

static gboolean is_of(const HbOptionRow *row, const HbCommand *command)
{
    return (row->commands & command->bit) != 0;
}

/* Words for a shell's single quotes */
static char *quote(const char *text)
{
    g_auto(GStrv) parts = g_strsplit(text, "'", -1);

    return g_strjoinv("'\\''", parts);
}

static void print_commands(const char *separator)
{
    for (const HbCommand *const *at = hb_commands; *at != NULL; at++)
        printf("%s%s", at == hb_commands ? "" : separator, (*at)->name);
}

/* ---- bash ---- */

static void print_bash_options(const HbCommand *command)
{
    printf("        %s) options='", command->name);
    for (const HbOptionRow *row = hb_option_rows; row->name != NULL; row++) {
        if (is_of(row, command))
            printf("--%s ", row->name);
    }
    printf("' ;;\n");
}

/* Of a name that two commands give to two options, the first row that has words or files */
static void print_bash_values(void)
{
    for (const HbOptionRow *row = hb_option_rows; row->name != NULL; row++) {
        if (row->words != NULL)
            printf("        --%s) COMPREPLY=($(compgen -W '%s' -- \"$word\")); return ;;\n", row->name, row->words);
        else if (is_file(row))
            printf("        --%s) COMPREPLY=($(compgen -f -- \"$word\")); return ;;\n", row->name);
    }
}

static void print_bash(void)
{
    printf("# bash completion for hornbeam\n"
           "_hornbeam() {\n"
           "    local word=${COMP_WORDS[COMP_CWORD]} previous=${COMP_WORDS[COMP_CWORD-1]} command= options= i\n"
           "    COMPREPLY=()\n"
           "    if [ \"$word\" = = ]; then word=; elif [ \"$previous\" = = ]; then "
           "previous=${COMP_WORDS[COMP_CWORD-2]}; fi\n"
           "    for ((i = 1; i < COMP_CWORD; i++)); do\n"
           "        case ${COMP_WORDS[i]} in ");
    print_commands("|");
    printf(") command=${COMP_WORDS[i]}; break ;; esac\n"
           "    done\n"
           "    case $previous in\n");
    print_bash_values();
    printf("        help) COMPREPLY=($(compgen -W '");
    print_commands(" ");
    printf("' -- \"$word\")); return ;;\n"
           "    esac\n"
           "    case $command in\n");
    for (const HbCommand *const *at = hb_commands; *at != NULL; at++)
        print_bash_options(*at);
    printf("        *) options='");
    print_commands(" ");
    printf(" help --version --help --route' ;;\n"
           "    esac\n"
           "    if [ -z \"$command\" ] || [[ $word == -* ]]; then\n"
           "        COMPREPLY=($(compgen -W \"$options\" -- \"$word\"))\n"
           "    else\n"
           "        compopt -o filenames 2>/dev/null\n"
           "        COMPREPLY=($(compgen -f -- \"$word\"))\n"
           "    fi\n"
           "}\n"
           "complete -F _hornbeam hornbeam\n");
}

/* ---- zsh ---- */

/* The help of an option inside brackets and quotes */
static char *describe_for_zsh(const char *help)
{
    GString *text = g_string_new(NULL);

    for (; *help != '\0'; help++) {
        if (strchr("[]:\\", *help) != NULL)
            g_string_append_c(text, '\\');
        g_string_append_c(text, *help);
    }
    g_autofree char *whole = g_string_free(text, FALSE);
    return quote(whole);
}

static void print_zsh_option(const HbOptionRow *row)
{
    g_autofree char *help = describe_for_zsh(row->help);

    printf("            '%s--%s[%s]", row->repeats ? "*" : "", row->name, help);
    if (row->words != NULL)
        printf(":%s:(%s)", row->value, row->words);
    else if (row->takes_value)
        printf(":%s:%s", row->value, is_file(row) ? "_files" : " ");
    printf("'\n");
}

static void print_zsh_command(const HbCommand *command)
{
    printf("    (%s) options=(\n", command->name);
    for (const HbOptionRow *row = hb_option_rows; row->name != NULL; row++) {
        if (is_of(row, command))
            print_zsh_option(row);
    }
    printf("        ) ;;\n");
}

static void print_zsh(void)
{
    printf("#compdef hornbeam\n"
           "local -a commands options\n"
           "commands=(\n");
    for (const HbCommand *const *at = hb_commands; *at != NULL; at++) {
        g_autofree char *summary = quote((*at)->summary);
        printf("    '%s:%s'\n", (*at)->name, summary);
    }
    printf("    'help:what a command does, and its options'\n"
           ")\n"
           "if ((CURRENT == 2)); then\n"
           "    _describe command commands\n"
           "    return\n"
           "fi\n"
           "case $words[2] in\n");
    for (const HbCommand *const *at = hb_commands; *at != NULL; at++)
        print_zsh_command(*at);
    printf("    (help) _describe command commands; return ;;\n"
           "esac\n"
           "shift words\n"
           "((CURRENT--))\n"
           "_arguments -S $options '*:argument:_files'\n");
}

/* ---- fish ---- */

static void print_fish_option(const HbOptionRow *row, const HbCommand *command)
{
    g_autofree char *help = quote(row->help);

    printf("complete -c hornbeam -n '__fish_seen_subcommand_from %s' -l %s", command->name, row->name);
    if (row->letter != 0)
        printf(" -s %c", row->letter);
    if (row->words != NULL)
        printf(" -x -a '%s'", row->words);
    else if (row->takes_value)
        printf(is_file(row) ? " -r -F" : " -x");
    printf(" -d '%s'\n", help);
}

static void print_fish(void)
{
    printf("# fish completion for hornbeam\n");
    for (const HbCommand *const *at = hb_commands; *at != NULL; at++) {
        g_autofree char *summary = quote((*at)->summary);
        printf("complete -c hornbeam -n __fish_use_subcommand -f -a %s -d '%s'\n", (*at)->name, summary);
        for (const HbOptionRow *row = hb_option_rows; row->name != NULL; row++) {
            if (is_of(row, *at))
                print_fish_option(row, *at);
        }
    }
    printf("complete -c hornbeam -n __fish_use_subcommand -f -a help -d 'what a command does, and its options'\n"
           "complete -c hornbeam -n '__fish_seen_subcommand_from help' -f -a '");
    print_commands(" ");
    printf("'\n");
}

int main(int argc, char **argv)
{
    static const struct {
        const char *shell;
        void (*print)(void);
    } shells[] = {{"bash", print_bash}, {"zsh", print_zsh}, {"fish", print_fish}};

    for (gsize i = 0; i < G_N_ELEMENTS(shells); i++) {
        if (argc == 2 && strcmp(argv[1], shells[i].shell) == 0) {
            shells[i].print();
            return 0;
        }
    }
    fputs("usage: completions bash|zsh|fish\n", stderr);
    return 2;
}
