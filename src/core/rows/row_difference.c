/* SPDX-License-Identifier: Apache-2.0 */
#include "core/rows/row_difference.h"

#include <string.h>

const char *hb_row_fate_get_name(HbRowFate fate)
{
    static const char *const names[HB_ROW_FATES] = {"missing", "extra", "changed"};

    return names[fate];
}

static void named_row_free(gpointer data)
{
    g_free(((HbNamedRow *)data)->key);
    g_free(data);
}

static gboolean has_key(const HbSketchedRow *row)
{
    return row->key_length != HB_ROW_KEY_NONE;
}

static void name_row(HbRowDifference *difference, HbRowFate fate, const HbSketchedRow *sketched)
{
    HbNamedRow *row = g_new0(HbNamedRow, 1);

    row->fate = fate;
    row->count = sketched->count > 0 ? (guint64)sketched->count : 0 - (guint64)sketched->count;
    if (has_key(sketched))
        row->key = g_strndup(sketched->key, sketched->key_length);
    difference->counts[fate] += row->count;
    g_ptr_array_add(difference->rows, row);
}

/* Numbers as numbers: a shorter one is smaller */
static gboolean is_number(const char *text)
{
    return *text != '\0' && text[strspn(text, "0123456789")] == '\0';
}

static int compare_keys(const char *one, const char *other)
{
    if (is_number(one) && is_number(other) && strlen(one) != strlen(other))
        return strlen(one) < strlen(other) ? -1 : 1;
    return strcmp(one, other);
}

static gint compare_rows(gconstpointer one, gconstpointer other)
{
    const HbNamedRow *a = *(HbNamedRow *const *)one, *b = *(HbNamedRow *const *)other;
    int order;

    if (a->key == NULL || b->key == NULL)
        return (a->key == NULL) - (b->key == NULL);
    order = compare_keys(a->key, b->key);
    return order != 0 ? order : (int)a->fate - (int)b->fate;
}

static guint hash_key(gconstpointer row)
{
    const HbSketchedRow *sketched = row;
    guint hash = 5381;

    for (guint i = 0; i < sketched->key_length; i++)
        hash = hash * 33 + (guchar)sketched->key[i];
    return hash;
}

static gboolean has_same_key(gconstpointer one, gconstpointer other)
{
    const HbSketchedRow *a = one, *b = other;

    return a->key_length == b->key_length && memcmp(a->key, b->key, a->key_length) == 0;
}

/* FROM's rows by key */
static GHashTable *index_from(const GArray *sketched)
{
    GHashTable *index = g_hash_table_new(hash_key, has_same_key);

    for (guint i = 0; i < sketched->len; i++) {
        HbSketchedRow *row = &g_array_index(sketched, HbSketchedRow, i);
        if (row->count == 1 && has_key(row))
            g_hash_table_add(index, row);
    }
    return index;
}

HbRowDifference *hb_row_difference_new(const GArray *sketched, const HbRowSet *set)
{
    HbRowDifference *difference = g_new0(HbRowDifference, 1);
    g_autoptr(GHashTable) from = index_from(sketched);

    difference->columns = g_ptr_array_new_with_free_func(g_free);
    difference->rows = g_ptr_array_new_with_free_func(named_row_free);
    for (guint i = 0; i < set->key->len; i++)
        g_ptr_array_add(difference->columns, g_strdup(set->columns->pdata[g_array_index(set->key, guint, i)]));
    for (guint i = 0; i < sketched->len; i++) {
        const HbSketchedRow *row = &g_array_index(sketched, HbSketchedRow, i);
        if (row->count > 0)
            continue;
        name_row(difference, has_key(row) && g_hash_table_remove(from, row) ? HB_ROW_CHANGED : HB_ROW_EXTRA, row);
    }
    for (guint i = 0; i < sketched->len; i++) {
        const HbSketchedRow *row = &g_array_index(sketched, HbSketchedRow, i);
        if (row->count > 0 && (row->count > 1 || !has_key(row) || g_hash_table_contains(from, row)))
            name_row(difference, HB_ROW_MISSING, row);
    }
    g_ptr_array_sort(difference->rows, compare_rows);
    return difference;
}

char *hb_row_difference_name_row(const HbRowDifference *difference, const HbNamedRow *row)
{
    g_auto(GStrv) values = row->key != NULL ? g_strsplit(row->key, "\t", -1) : NULL;
    GString *text;

    if (values == NULL || g_strv_length(values) < difference->columns->len)
        return NULL;
    text = g_string_new(NULL);
    for (guint i = 0; i < difference->columns->len; i++)
        g_string_append_printf(text, "%s%s = %s", i > 0 ? ", " : "", (const char *)difference->columns->pdata[i],
                               values[i]);
    return g_string_free(text, FALSE);
}

void hb_row_difference_free(HbRowDifference *difference)
{
    if (difference == NULL)
        return;
    g_ptr_array_unref(difference->columns);
    g_ptr_array_unref(difference->rows);
    g_free(difference);
}
