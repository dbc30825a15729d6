/* SPDX-License-Identifier: Apache-2.0 */
#include "core/base/result_table.h"

#include <string.h>

static void column_free(gpointer data)
{
    HbColumn *column = data;

    g_free(column->key);
    g_free(column->title);
    g_free(column);
}

HbResultTable *hb_result_table_new(const char *key, const char *title)
{
    HbResultTable *table = g_new0(HbResultTable, 1);

    table->key = g_strdup(key);
    table->title = g_strdup(title);
    table->columns = g_ptr_array_new_with_free_func(column_free);
    table->rows = g_ptr_array_new();
    return table;
}

void hb_result_table_free(HbResultTable *table)
{
    if (table == NULL)
        return;
    for (guint r = 0; r < table->rows->len; r++) {
        char **cells = table->rows->pdata[r];
        for (guint c = 0; c < table->columns->len; c++)
            g_free(cells[c]);
        g_free(cells);
    }
    g_ptr_array_unref(table->rows);
    g_ptr_array_unref(table->columns);
    g_free(table->key);
    g_free(table->title);
    g_free(table);
}

void hb_result_table_add_column(HbResultTable *table, const char *key, const char *title, HbColumnType type)
{
    HbColumn *column = g_new0(HbColumn, 1);

    g_assert(table->rows->len == 0);
    column->key = g_strdup(key);
    column->title = g_strdup(title);
    column->type = type;
    g_ptr_array_add(table->columns, column);
}

HbResultTable *hb_result_table_new_from(const HbResultTableForm *form)
{
    HbResultTable *table = hb_result_table_new(form->key, form->title);

    for (int c = 0; c < HB_RESULT_TABLE_COLUMNS_MAX && form->columns[c].key != NULL; c++)
        hb_result_table_add_column(table, form->columns[c].key, form->columns[c].title, form->columns[c].type);
    return table;
}

guint hb_result_table_add_row(HbResultTable *table)
{
    g_ptr_array_add(table->rows, g_new0(char *, table->columns->len));
    return table->rows->len - 1;
}

static char **cell(const HbResultTable *table, guint row, guint column)
{
    g_assert(row < table->rows->len && column < table->columns->len);
    return &((char **)table->rows->pdata[row])[column];
}

void hb_result_table_set(HbResultTable *table, guint row, guint column, const char *text)
{
    char **at = cell(table, row, column);

    g_free(*at);
    *at = g_strdup(text);
}

void hb_result_table_set_count(HbResultTable *table, guint row, guint column, guint64 number)
{
    char text[24];

    g_snprintf(text, sizeof text, "%" G_GUINT64_FORMAT, number);
    hb_result_table_set(table, row, column, text);
}

const char *hb_result_table_get(const HbResultTable *table, guint row, guint column)
{
    return *cell(table, row, column);
}

static gint compare_rows(gconstpointer one, gconstpointer other, gpointer column)
{
    return strcmp((*(char **const *)one)[GPOINTER_TO_UINT(column)], (*(char **const *)other)[GPOINTER_TO_UINT(column)]);
}

void hb_result_table_sort(HbResultTable *table, guint column)
{
    g_ptr_array_sort_with_data(table->rows, compare_rows, GUINT_TO_POINTER(column));
}
