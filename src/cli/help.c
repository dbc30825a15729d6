/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/help.h"

#include "report/text.h"

#include <string.h>

#define COMMAND_WIDTH 30
#define OPTION_WIDTH  22

static void append_heading(GString *out, gboolean color, const char *text)
{
    hb_text_append_painted(out, color, HB_PAINT_STRONG, text);
    g_string_append_c(out, '\n');
}

static void append_pair(GString *out, const char *left, guint width, const char *right)
{
    g_string_append_printf(out, "  %s", left);
    hb_text_pad(out, (guint)strlen(left), width);
    g_string_append_printf(out, "%s\n", right);
}

char *hb_help_program(gboolean color)
{
    GString *out = g_string_new(NULL);

    g_string_append(out, "Hornbeam moves a database from one server to another of the same kind, and proves it.\n\n");
    append_heading(out, color, "Commands");
    for (const HbCommand *const *at = hb_commands; *at != NULL; at++) {
        g_autofree char *call = g_strdup_printf("%s %s", (*at)->name, (*at)->arguments);
        append_pair(out, call, COMMAND_WIDTH, (*at)->summary);
    }
    append_pair(out, "help [COMMAND]", COMMAND_WIDTH, "this text, or a command's own");
    append_pair(out, "--version [--verbose]", COMMAND_WIDTH, "the version of this program, and of its libraries");
    g_string_append(out, "\n");
    append_heading(out, color, "Arguments");
    append_pair(out, "SERVER, FROM, TO", COMMAND_WIDTH, "postgresql://user@host:port/database?option=value");
    append_pair(out, "DUMP", COMMAND_WIDTH, "a folder, NAME.tar, or - (a stream, for dump and restore)");
    g_string_append(out, "\n");
    append_heading(out, color, "Exit status");
    append_pair(out, "0", 5, "done, and nothing is wrong");
    append_pair(out, "1", 5, "done, but something differs, is blocked, or was left out");
    append_pair(out, "2", 5, "wrong use of the program");
    append_pair(out, "3", 5, "a server could not be reached, or refused us");
    append_pair(out, "4", 5, "a server's statement failed");
    append_pair(out, "5", 5, "a dump is damaged, or not one of ours");
    append_pair(out, "6", 5, "a local file or disk failed");
    append_pair(out, "130", 5, "interrupted; a restore can be resumed");
    return g_string_free(out, FALSE);
}

static void append_option(GString *out, const HbOptionRow *row)
{
    g_autoptr(GString) left = g_string_new(NULL);

    if (row->letter != 0)
        g_string_append_printf(left, "-%c, ", row->letter);
    g_string_append_printf(left, "--%s%s%s", row->name, row->value != NULL ? " " : "",
                           row->value != NULL ? row->value : "");
    append_pair(out, left->str, OPTION_WIDTH, row->help);
}

char *hb_help_command(const HbCommand *command, gboolean color)
{
    GString *out = g_string_new(NULL);

    g_string_append_printf(out, "hornbeam %s [OPTIONS] %s\n\n%s\n\n", command->name, command->arguments,
                           command->description);
    append_heading(out, color, "Options");
    for (const HbOptionRow *row = hb_option_rows; row->name != NULL; row++) {
        if (row->commands & command->bit)
            append_option(out, row);
    }
    return g_string_free(out, FALSE);
}
