/* SPDX-License-Identifier: Apache-2.0 */
#include "core/rows/wanted_rows.h"

static guint hash_row(gconstpointer row)
{
    return hb_row_sketch_hash(row);
}

static gboolean is_same_row(gconstpointer one, gconstpointer other)
{
    const HbSketchedRow *a = one, *b = other;

    return a->low == b->low && a->high == b->high;
}

void hb_wanted_rows_init(HbWantedRows *wanted, const GArray *sketched)
{
    wanted->left = g_hash_table_new(hash_row, is_same_row);
    for (guint i = 0; sketched != NULL && i < sketched->len; i++) {
        HbSketchedRow *row = &g_array_index(sketched, HbSketchedRow, i);
        g_hash_table_insert(wanted->left, row, GSIZE_TO_POINTER((gsize)ABS(row->count)));
    }
}

void hb_wanted_rows_clear(HbWantedRows *wanted)
{
    g_clear_pointer(&wanted->left, g_hash_table_unref);
}

gboolean hb_wanted_rows_take(HbWantedRows *wanted, const HbRowMark *row)
{
    const HbSketchedRow mark = hb_row_sketch_row(row);
    gpointer found, left;

    if (!g_hash_table_lookup_extended(wanted->left, &mark, &found, &left))
        return FALSE;
    if (GPOINTER_TO_SIZE(left) == 1)
        g_hash_table_remove(wanted->left, found);
    else
        g_hash_table_insert(wanted->left, found, GSIZE_TO_POINTER(GPOINTER_TO_SIZE(left) - 1));
    return TRUE;
}

guint hb_wanted_rows_count_left(const HbWantedRows *wanted)
{
    return g_hash_table_size(wanted->left);
}
