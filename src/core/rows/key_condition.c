/* SPDX-License-Identifier: Apache-2.0 */
#include "core/rows/key_condition.h"

#include "core/rows/row_text.h"

#include <string.h>

gboolean hb_key_condition_is_possible(const HbRowSet *set, const GArray *sketched)
{
    for (guint i = 0; i < sketched->len; i++) {
        if (g_array_index(sketched, HbSketchedRow, i).key_length > HB_ROW_KEY_MAX)
            return FALSE;
    }
    return set->key->len > 0;
}

static guint column_of(const HbRowSet *set, guint part)
{
    return g_array_index(set->key, guint, part);
}

static void append_value(GString *sql, const HbRowSet *set, guint column, const HbDialect *dialect, const char *text,
                         gsize length)
{
    const gboolean is_hex = column < set->hex_columns->len && set->hex_columns->str[column] == 'x';

    g_string_append(sql, is_hex ? "x'" : "'");
    for (gsize i = 0; i < length; i++) {
        const gboolean escaped = text[i] == '\\' && i + 1 < length;
        i += escaped;
        dialect->append_literal_byte(sql, escaped ? hb_row_text_unescape(text[i]) : text[i]);
    }
    g_string_append_c(sql, '\'');
}

static void append_key(GString *sql, const HbRowSet *set, const HbDialect *dialect, const HbSketchedRow *row)
{
    const char *at = row->key, *end = row->key + row->key_length;

    g_string_append_c(sql, '(');
    for (guint part = 0; part < set->key->len; part++) {
        const char *tab = memchr(at, '\t', (gsize)(end - at)), *stop = tab != NULL ? tab : end;
        g_string_append(sql, part > 0 ? ", " : "");
        append_value(sql, set, column_of(set, part), dialect, at, (gsize)(stop - at));
        at = tab != NULL ? tab + 1 : end;
    }
    g_string_append_c(sql, ')');
}

char *hb_key_condition_new(const HbRowSet *set, const HbDialect *dialect, const GArray *sketched, guint first,
                           guint end)
{
    GString *sql = g_string_new("(");

    for (guint part = 0; part < set->key->len; part++)
        g_string_append_printf(sql, "%s%s", part > 0 ? ", " : "",
                               (const char *)set->columns->pdata[column_of(set, part)]);
    g_string_append(sql, ") IN (");
    for (guint i = first; i < end; i++) {
        g_string_append(sql, i > first ? ", " : "");
        append_key(sql, set, dialect, &g_array_index(sketched, HbSketchedRow, i));
    }
    g_string_append_c(sql, ')');
    return g_string_free(sql, FALSE);
}
