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

void hb_key_condition_append_value(GString *sql, const HbRowSet *set, guint column, const HbDialect *dialect,
                                   const char *text, gsize length)
{
    const gboolean has_default = column < set->hex_columns->len && set->hex_columns->str[column] == 'd';

    if (length == 2 && memcmp(text, "\\N", 2) == 0)
        g_string_append(sql, has_default ? "DEFAULT" : "NULL");
    else
        append_value(sql, set, column, dialect, text, length);
}

/* A key's places in the columns, and one row's values of it, with tabs between */
static void append_key(GString *sql, const HbRowSet *set, const GArray *places, const HbDialect *dialect,
                       const char *key, gsize length)
{
    const char *at = key, *end = key + length;

    g_string_append_c(sql, '(');
    for (guint part = 0; part < places->len; part++) {
        const char *tab = memchr(at, '\t', (gsize)(end - at)), *stop = tab != NULL ? tab : end;
        g_string_append(sql, part > 0 ? ", " : "");
        append_value(sql, set, g_array_index(places, guint, part), dialect, at, (gsize)(stop - at));
        at = tab != NULL ? tab + 1 : end;
    }
    g_string_append_c(sql, ')');
}

static GString *begin_condition(const HbRowSet *set, const GArray *places)
{
    GString *sql = g_string_new("(");

    for (guint part = 0; part < places->len; part++)
        g_string_append_printf(sql, "%s%s", part > 0 ? ", " : "",
                               (const char *)set->columns->pdata[g_array_index(places, guint, part)]);
    g_string_append(sql, ") IN (");
    return sql;
}

char *hb_key_condition_new(const HbRowSet *set, const HbDialect *dialect, const GArray *sketched, guint first,
                           guint end)
{
    GString *sql = begin_condition(set, set->key);

    for (guint i = first; i < end; i++) {
        const HbSketchedRow *row = &g_array_index(sketched, HbSketchedRow, i);
        g_string_append(sql, i > first ? ", " : "");
        append_key(sql, set, set->key, dialect, row->key, row->key_length);
    }
    g_string_append_c(sql, ')');
    return g_string_free(sql, FALSE);
}

char *hb_key_condition_of_changed(const HbChanges *changes, const HbRowSet *set, const HbDialect *dialect,
                                  HbChangedRow *const *rows, guint count)
{
    const GArray *places = hb_changes_get_key(changes);
    GString *sql = begin_condition(set, places);

    for (guint i = 0; i < count; i++) {
        g_string_append(sql, i > 0 ? ", " : "");
        append_key(sql, set, places, dialect, rows[i]->key, rows[i]->key_length);
    }
    g_string_append_c(sql, ')');
    return g_string_free(sql, FALSE);
}
