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
    HbResultTable *sheet = g_new0(HbResultTable, 1);

    sheet->key = g_strdup(key);
    sheet->title = g_strdup(title);
    sheet->columns = g_ptr_array_new_with_free_func(column_free);
    sheet->rows = g_ptr_array_new();
    return sheet;
}

void hb_result_table_free(HbResultTable *sheet)
{
    if (sheet == NULL)
        return;
    for (guint r = 0; r < sheet->rows->len; r++) {
        char **cells = sheet->rows->pdata[r];
        for (guint c = 0; c < sheet->columns->len; c++)
            g_free(cells[c]);
        g_free(cells);
    }
    g_ptr_array_unref(sheet->rows);
    g_ptr_array_unref(sheet->columns);
    g_free(sheet->key);
    g_free(sheet->title);
    g_free(sheet);
}

void hb_result_table_add_column(HbResultTable *sheet, const char *key, const char *title, HbColumnType type)
{
    HbColumn *column = g_new0(HbColumn, 1);

    g_assert(sheet->rows->len == 0);
    column->key = g_strdup(key);
    column->title = g_strdup(title);
    column->type = type;
    g_ptr_array_add(sheet->columns, column);
}

HbResultTable *hb_result_table_new_from(const HbResultTableForm *form)
{
    HbResultTable *sheet = hb_result_table_new(form->key, form->title);

    for (int c = 0; c < HB_RESULT_TABLE_COLUMNS_MAX && form->columns[c].key != NULL; c++)
        hb_result_table_add_column(sheet, form->columns[c].key, form->columns[c].title, form->columns[c].type);
    return sheet;
}

guint hb_result_table_add_row(HbResultTable *sheet)
{
    g_ptr_array_add(sheet->rows, g_new0(char *, sheet->columns->len));
    return sheet->rows->len - 1;
}

static char **cell(const HbResultTable *sheet, guint row, guint column)
{
    g_assert(row < sheet->rows->len && column < sheet->columns->len);
    return &((char **)sheet->rows->pdata[row])[column];
}

void hb_result_table_set(HbResultTable *sheet, guint row, guint column, const char *text)
{
    char **at = cell(sheet, row, column);

    g_free(*at);
    *at = g_strdup(text);
}

void hb_result_table_set_count(HbResultTable *sheet, guint row, guint column, guint64 number)
{
    char text[24];

    g_snprintf(text, sizeof text, "%" G_GUINT64_FORMAT, number);
    hb_result_table_set(sheet, row, column, text);
}

const char *hb_result_table_get(const HbResultTable *sheet, guint row, guint column)
{
    return *cell(sheet, row, column);
}

static gint compare_rows(gconstpointer one, gconstpointer other, gpointer column)
{
    return strcmp((*(char **const *)one)[GPOINTER_TO_UINT(column)], (*(char **const *)other)[GPOINTER_TO_UINT(column)]);
}

void hb_result_table_sort(HbResultTable *sheet, guint column)
{
    g_ptr_array_sort_with_data(sheet->rows, compare_rows, GUINT_TO_POINTER(column));
}
