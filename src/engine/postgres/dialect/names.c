/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/dialect/names.h"

char *hb_pg_quote_any_name(const char *name)
{
    GString *quoted = g_string_new("\"");

    for (; *name != '\0'; name++) {
        if (*name == '"')
            g_string_append_c(quoted, '"');
        g_string_append_c(quoted, *name);
    }
    g_string_append_c(quoted, '"');
    return g_string_free(quoted, FALSE);
}

void hb_pg_append_literal(GString *sql, const char *text)
{
    g_string_append_c(sql, '\'');
    for (; *text != '\0'; text++)
        g_string_append_printf(sql, *text == '\'' ? "''" : "%c", *text);
    g_string_append_c(sql, '\'');
}

void hb_pg_append_conninfo_value(GString *text, const char *value)
{
    g_string_append_c(text, '\'');
    for (; *value != '\0'; value++)
        g_string_append_printf(text, *value == '\'' || *value == '\\' ? "\\%c" : "%c", *value);
    g_string_append_c(text, '\'');
}
