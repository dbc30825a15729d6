/* SPDX-License-Identifier: Apache-2.0 */
#include "report/survey_changes.h"

#include "core/base/error.h"
#include "dump/json_writer.h"
#include "report/json.h"
#include "report/pieces.h"
#include "report/text.h"

#include <jansson.h>
#include <stdlib.h>
#include <string.h>

/*
 * Both surveys are looked at as JSON, sheet by sheet. A row is known by its name, and by its database where the sheet
 * has both; a row without a name is known by all that it says. Each row is looked up once.
 */

struct HbSurveyChanges {
    const HbSurvey *now;
    json_t *kept, *current;
    json_t *changes; /* list of {sheet, name, change, columns} */
};

/* What is otherwise at every moment, and means nothing then */
static const char *const passing_sheets[] = {"transactions", NULL};
static const char *const passing_columns[] = {"sessions", "since", "next", NULL};

/* ---- Rows ---- */

static char *write_value(const json_t *value)
{
    if (json_is_string(value))
        return g_strdup(json_string_value(value));
    if (json_is_integer(value))
        return g_strdup_printf("%" JSON_INTEGER_FORMAT, json_integer_value(value));
    return json_is_true(value) ? g_strdup("true") : json_is_false(value) ? g_strdup("false") : g_strdup("");
}

/* The caller's */
static char *find_name(json_t *row)
{
    const char *database = json_string_value(json_object_get(row, "database")),
               *name = json_string_value(json_object_get(row, "name"));
    const char *kind = json_string_value(json_object_get(row, "kind"));
    GString *all;
    const char *key;
    json_t *value;

    if (name == NULL)
        name = kind;
    if (name != NULL)
        return database != NULL ? g_strdup_printf("%s: %s", database, name) : g_strdup(name);
    all = g_string_new(NULL);
    json_object_foreach(row, key, value)
    {
        g_autofree char *text = write_value(value);
        g_string_append_printf(all, "%s%s", all->len > 0 && *text != '\0' ? " " : "", text);
    }
    return g_string_free(all, FALSE);
}

/* Rows (borrowed) by their names */
static GHashTable *index_rows(const json_t *sheet)
{
    GHashTable *rows = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (gsize i = 0; i < json_array_size(sheet); i++) {
        json_t *row = json_array_get(sheet, i);
        if (json_is_object(row))
            g_hash_table_insert(rows, find_name(row), row);
    }
    return rows;
}

/* ---- Finding ---- */

static void add(HbSurveyChanges *changes, const HbResultTable *sheet, const char *name, const char *change,
                json_t *columns)
{
    json_array_append_new(changes->changes,
                          json_pack("{s:s, s:s, s:s, s:o}", "sheet", sheet->key, "name", name, "change", change,
                                    "columns", columns != NULL ? columns : json_array()));
}

/* NULL: none is otherwise. A column that the earlier survey did not have is none */
static json_t *compare_cells(const HbResultTable *sheet, const json_t *before, const json_t *now)
{
    json_t *columns = json_array();

    for (guint c = 0; c < sheet->columns->len; c++) {
        const HbColumn *column = sheet->columns->pdata[c];
        json_t *old = json_object_get(before, column->key), *new = json_object_get(now, column->key);
        if (old == NULL || json_equal(old, new) || g_strv_contains(passing_columns, column->key))
            continue;
        json_array_append_new(columns, json_pack("{s:s, s:O, s:O}", "column", column->key, "before", old, "now", new));
    }
    if (json_array_size(columns) > 0)
        return columns;
    json_decref(columns);
    return NULL;
}

static void compare_sheet(HbSurveyChanges *changes, const HbResultTable *sheet)
{
    const json_t *before = json_object_get(changes->kept, sheet->key),
                 *now = json_object_get(changes->current, sheet->key);
    g_autoptr(GHashTable) old = NULL;
    GHashTableIter iter;
    gpointer gone;

    if (!json_is_array(before) || g_strv_contains(passing_sheets, sheet->key))
        return;
    old = index_rows(before);
    for (gsize i = 0; i < json_array_size(now); i++) {
        const json_t *row = json_array_get(now, i);
        g_autofree char *name = find_name((json_t *)row);
        const json_t *same = g_hash_table_lookup(old, name);
        json_t *columns = same != NULL ? compare_cells(sheet, same, row) : NULL;
        if (same == NULL || columns != NULL)
            add(changes, sheet, name, same == NULL ? "new" : "changed", columns);
        g_hash_table_remove(old, name);
    }
    g_hash_table_iter_init(&iter, old);
    while (g_hash_table_iter_next(&iter, &gone, NULL))
        add(changes, sheet, gone, "gone", NULL);
}

HbSurveyChanges *hb_survey_changes_find(const char *kept, const HbSurvey *now, GError **error)
{
    g_autoptr(HbSurveyChanges) changes = g_new0(HbSurveyChanges, 1);
    g_autofree char *current = hb_json_survey(now);

    changes->now = now;
    changes->kept = json_loads(kept, JSON_REJECT_DUPLICATES, NULL);
    changes->current = json_loads(current, 0, NULL);
    changes->changes = json_array();
    if (g_strcmp0(json_string_value(json_object_get(changes->kept, "document")), "survey") != 0) {
        hb_error_set(error, HB_ERROR_FILE, "name a file that survey --out has written", "it is no survey");
        return NULL;
    }
    for (guint i = 0; i < now->tables->len; i++)
        compare_sheet(changes, now->tables->pdata[i]);
    return g_steal_pointer(&changes);
}

void hb_survey_changes_free(HbSurveyChanges *changes)
{
    if (changes == NULL)
        return;
    json_decref(changes->kept);
    json_decref(changes->current);
    json_decref(changes->changes);
    g_free(changes);
}

/* ---- Text ---- */

static const HbColumn *find_column(const HbResultTable *sheet, const char *key)
{
    for (guint c = 0; c < sheet->columns->len; c++) {
        if (strcmp(((HbColumn *)sheet->columns->pdata[c])->key, key) == 0)
            return sheet->columns->pdata[c];
    }
    g_assert_not_reached();
}

static char *format_value(const HbColumn *column, const json_t *value)
{
    const json_int_t number = json_integer_value(value);
    g_autofree char *text = write_value(value);

    if (json_is_integer(value) && number >= 0 && column->type != HB_COLUMN_TEXT)
        return column->type == HB_COLUMN_BYTES ? hb_text_bytes((guint64)number) : hb_text_count((guint64)number);
    return *text != '\0' ? hb_text_visible(text) : g_strdup("nothing");
}

/* Of what people would see as the same (10.4 MB, and some bytes more) nothing. The caller's */
static char *describe_columns(const HbResultTable *sheet, const json_t *columns)
{
    GString *text = g_string_new(NULL);

    for (gsize i = 0; i < json_array_size(columns); i++) {
        const json_t *one = json_array_get(columns, i);
        const HbColumn *column = find_column(sheet, json_string_value(json_object_get(one, "column")));
        g_autofree char *before = format_value(column, json_object_get(one, "before")),
                        *now = format_value(column, json_object_get(one, "now"));
        if (strcmp(before, now) != 0)
            g_string_append_printf(text, "%s %s %s -> %s", text->len == 0 ? ":" : ",", column->title, before, now);
    }
    return g_string_free(text, FALSE);
}

static gsize append_sheet(GString *out, gboolean color, const HbSurveyChanges *changes, const HbResultTable *sheet)
{
    gsize found = 0;

    for (gsize i = 0; i < json_array_size(changes->changes); i++) {
        const json_t *one = json_array_get(changes->changes, i);
        const char *change = json_string_value(json_object_get(one, "change"));
        g_autofree char *name = NULL, *columns = NULL;
        if (strcmp(json_string_value(json_object_get(one, "sheet")), sheet->key) != 0)
            continue;
        columns = describe_columns(sheet, json_object_get(one, "columns"));
        if (*columns == '\0' && strcmp(change, "changed") == 0)
            continue;
        if (found++ == 0) {
            g_string_append_c(out, '\n');
            hb_piece_append_heading(out, color, sheet->title);
        }
        name = hb_text_visible(json_string_value(json_object_get(one, "name")));
        g_string_append_printf(out, "  %-7s  %s%s\n", change, name, columns);
    }
    return found;
}

char *hb_survey_changes_page(const HbSurveyChanges *changes, gboolean color)
{
    const json_t *server = json_object_get(changes->kept, "server");
    const char *time = json_string_value(json_object_get(changes->kept, "time")),
               *address = json_string_value(json_object_get(server, "address"));
    GString *out = g_string_new(NULL);
    gsize found = 0;

    hb_piece_append_heading(out, color, "What has changed");
    hb_piece_append_fact(out, color, "before", "%s, at %s", time != NULL ? time : "?", address != NULL ? address : "?");
    hb_piece_append_fact(out, color, "now", "%s, at %s", changes->now->time, changes->now->server.address);
    for (guint i = 0; i < changes->now->tables->len; i++)
        found += append_sheet(out, color, changes, changes->now->tables->pdata[i]);
    g_string_append_c(out, '\n');
    if (found == 0)
        hb_piece_append_verdict(out, color, TRUE, "Nothing that a survey shows has changed");
    else
        g_string_append_printf(out, "%" G_GSIZE_FORMAT " change%s\n", found, found == 1 ? "" : "s");
    return g_string_free(out, FALSE);
}

/* ---- JSON ---- */

char *hb_survey_changes_json(const HbSurveyChanges *changes)
{
    json_t *root = hb_json_begin("survey changes"), *before = json_object_get(changes->kept, "time");

    json_object_set(root, "before", before != NULL ? before : json_null());
    json_object_set_new(root, "now", hb_json_readable(changes->now->time));
    json_object_set(root, "changes", changes->changes);
    return hb_json_end(root);
}
