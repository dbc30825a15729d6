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
    HbNamedRow *row = data;

    g_free(row->key);
    g_free(row->from);
    g_free(row->to);
    g_free(row);
}

static gboolean has_key(const HbSketchedRow *row)
{
    return row->key_length != HB_ROW_KEY_NONE;
}

static HbNamedRow *name_row(HbRowDifference *difference, HbRowFate fate, const HbSketchedRow *sketched)
{
    HbNamedRow *row = g_new0(HbNamedRow, 1);

    row->fate = fate;
    row->count = sketched->count > 0 ? (guint64)sketched->count : 0 - (guint64)sketched->count;
    if (has_key(sketched) && sketched->key_length != HB_ROW_KEY_HASHED)
        row->key = g_strndup(sketched->key, sketched->key_length);
    if (sketched->count > 0)
        row->of_from = *sketched;
    else
        row->of_to = *sketched;
    difference->counts[fate] += row->count * difference->one_in;
    g_ptr_array_add(difference->rows, row);
    return row;
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

    for (guint i = 0; i < hb_row_key_count_bytes(sketched->key_length); i++)
        hash = hash * 33 + (guchar)sketched->key[i];
    return hash;
}

static gboolean has_same_key(gconstpointer one, gconstpointer other)
{
    const HbSketchedRow *a = one, *b = other;

    return a->key_length == b->key_length && memcmp(a->key, b->key, hb_row_key_count_bytes(a->key_length)) == 0;
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

HbRowDifference *hb_row_difference_new(const GArray *sketched, const HbRowSet *set, guint one_in)
{
    HbRowDifference *difference = g_new0(HbRowDifference, 1);
    g_autoptr(GHashTable) from = index_from(sketched);

    difference->one_in = one_in;
    difference->columns = g_ptr_array_new_with_free_func(g_free);
    difference->rows = g_ptr_array_new_with_free_func(named_row_free);
    difference->all = g_ptr_array_new_with_free_func(g_free);
    for (guint i = 0; i < set->columns->len; i++)
        g_ptr_array_add(difference->all, g_strdup(set->columns->pdata[i]));
    for (guint i = 0; i < set->key->len; i++)
        g_ptr_array_add(difference->columns, g_strdup(set->columns->pdata[g_array_index(set->key, guint, i)]));
    for (guint i = 0; i < sketched->len; i++) {
        const HbSketchedRow *row = &g_array_index(sketched, HbSketchedRow, i);
        const HbSketchedRow *older = row->count < 0 && has_key(row) ? g_hash_table_lookup(from, row) : NULL;
        if (row->count > 0)
            continue;
        HbNamedRow *named = name_row(difference, older != NULL ? HB_ROW_CHANGED : HB_ROW_EXTRA, row);
        if (older == NULL)
            continue;
        named->of_from = *older;
        g_hash_table_remove(from, older);
    }
    for (guint i = 0; i < sketched->len; i++) {
        const HbSketchedRow *row = &g_array_index(sketched, HbSketchedRow, i);
        if (row->count > 0 && (row->count > 1 || !has_key(row) || g_hash_table_contains(from, row)))
            name_row(difference, HB_ROW_MISSING, row);
    }
    g_ptr_array_sort(difference->rows, compare_rows);
    return difference;
}

void hb_row_difference_find_key(const HbRowSet *set, HbNamedRow *row)
{
    g_auto(GStrv) values = g_strsplit(row->from != NULL ? row->from : row->to, "\t", -1);
    GString *key = g_string_new(NULL);

    for (guint i = 0; i < set->key->len && g_array_index(set->key, guint, i) < g_strv_length(values); i++)
        g_string_append_printf(key, "%s%s", i > 0 ? "\t" : "", values[g_array_index(set->key, guint, i)]);
    g_free(row->key);
    row->key = g_string_free(key, FALSE);
}

char **hb_row_difference_split_key(const HbRowDifference *difference, const HbNamedRow *row)
{
    char **values = row->key != NULL ? g_strsplit(row->key, "\t", -1) : NULL;

    if (values != NULL && g_strv_length(values) < difference->columns->len)
        g_clear_pointer(&values, g_strfreev);
    return values;
}

char *hb_row_difference_name_row(const HbRowDifference *difference, const HbNamedRow *row)
{
    g_auto(GStrv) values = hb_row_difference_split_key(difference, row);
    GString *text = g_string_new(NULL);

    for (guint i = 0; values != NULL && i < difference->columns->len; i++)
        g_string_append_printf(text, "%s%s = %s", i > 0 ? ", " : "", (const char *)difference->columns->pdata[i],
                               values[i]);
    return g_string_free(text, values == NULL);
}

#define VALUE_SHOWN_BYTES 60
#define ROW_SHOWN_BYTES   400

static void append_value(GString *text, const char *column, const char *value)
{
    const gsize length = strlen(value);

    if (text->len >= ROW_SHOWN_BYTES) {
        if (!g_str_has_suffix(text->str, " ..."))
            g_string_append(text, ", ...");
        return;
    }
    g_string_append_printf(text, "%s%s = %.*s", text->len > 0 ? ", " : "", column, VALUE_SHOWN_BYTES, value);
    if (length > VALUE_SHOWN_BYTES)
        g_string_append_printf(text, "... (%zu bytes)", length);
}

char *hb_row_difference_describe(const HbRowDifference *difference, const HbNamedRow *row, gboolean of_to)
{
    const char *own = of_to ? row->to : row->from, *other = of_to ? row->from : row->to;
    g_auto(GStrv) values = own != NULL ? g_strsplit(own, "\t", -1) : NULL;
    g_auto(GStrv) others = other != NULL ? g_strsplit(other, "\t", -1) : NULL;
    GString *text = g_string_new(NULL);

    for (guint i = 0; values != NULL && values[i] != NULL && i < difference->all->len; i++) {
        if (others == NULL || i >= g_strv_length(others) || strcmp(values[i], others[i]) != 0)
            append_value(text, difference->all->pdata[i], values[i]);
    }
    return g_string_free(text, text->len == 0);
}

void hb_row_difference_free(HbRowDifference *difference)
{
    if (difference == NULL)
        return;
    g_ptr_array_unref(difference->columns);
    g_ptr_array_unref(difference->all);
    g_ptr_array_unref(difference->rows);
    g_free(difference);
}
