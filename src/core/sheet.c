/* SPDX-License-Identifier: Apache-2.0 */
#include "core/sheet.h"

#include <string.h>

static void column_free(gpointer data)
{
    HbColumn *column = data;

    g_free(column->key);
    g_free(column->title);
    g_free(column);
}

HbSheet *hb_sheet_new(const char *key, const char *title)
{
    HbSheet *sheet = g_new0(HbSheet, 1);

    sheet->key = g_strdup(key);
    sheet->title = g_strdup(title);
    sheet->columns = g_ptr_array_new_with_free_func(column_free);
    sheet->rows = g_ptr_array_new();
    return sheet;
}

void hb_sheet_free(HbSheet *sheet)
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

void hb_sheet_add_column(HbSheet *sheet, const char *key, const char *title, HbColumnType type)
{
    HbColumn *column = g_new0(HbColumn, 1);

    g_assert(sheet->rows->len == 0);
    column->key = g_strdup(key);
    column->title = g_strdup(title);
    column->type = type;
    g_ptr_array_add(sheet->columns, column);
}

HbSheet *hb_sheet_new_from(const HbSheetForm *form)
{
    HbSheet *sheet = hb_sheet_new(form->key, form->title);

    for (int c = 0; c < HB_SHEET_COLUMNS_MAX && form->columns[c].key != NULL; c++)
        hb_sheet_add_column(sheet, form->columns[c].key, form->columns[c].title, form->columns[c].type);
    return sheet;
}

guint hb_sheet_add_row(HbSheet *sheet)
{
    g_ptr_array_add(sheet->rows, g_new0(char *, sheet->columns->len));
    return sheet->rows->len - 1;
}

static char **cell(const HbSheet *sheet, guint row, guint column)
{
    g_assert(row < sheet->rows->len && column < sheet->columns->len);
    return &((char **)sheet->rows->pdata[row])[column];
}

void hb_sheet_set(HbSheet *sheet, guint row, guint column, const char *text)
{
    char **at = cell(sheet, row, column);

    g_free(*at);
    *at = g_strdup(text);
}

void hb_sheet_set_count(HbSheet *sheet, guint row, guint column, guint64 number)
{
    char text[24];

    g_snprintf(text, sizeof text, "%" G_GUINT64_FORMAT, number);
    hb_sheet_set(sheet, row, column, text);
}

const char *hb_sheet_get(const HbSheet *sheet, guint row, guint column)
{
    return *cell(sheet, row, column);
}

static gint compare_rows(gconstpointer one, gconstpointer other, gpointer column)
{
    return strcmp((*(char **const *)one)[GPOINTER_TO_UINT(column)], (*(char **const *)other)[GPOINTER_TO_UINT(column)]);
}

void hb_sheet_sort(HbSheet *sheet, guint column)
{
    g_ptr_array_sort_with_data(sheet->rows, compare_rows, GUINT_TO_POINTER(column));
}
