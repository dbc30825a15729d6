/* SPDX-License-Identifier: Apache-2.0 */
#include "report/table.h"

#define GAP 2

static char *format_cell(const HbResultTable *table, guint row, guint column)
{
    const char *text = hb_result_table_get(table, row, column);
    const HbColumn *type = table->columns->pdata[column];

    if (text == NULL)
        return g_strdup("");
    if (type->type == HB_COLUMN_COUNT)
        return hb_text_count(g_ascii_strtoull(text, NULL, 10));
    if (type->type == HB_COLUMN_BYTES)
        return hb_text_bytes(g_ascii_strtoull(text, NULL, 10));
    return hb_text_visible(text);
}

/* The cells of the first rows as they will be shown, row by row */
static GPtrArray *format_cells(const HbResultTable *table, guint most, guint *widths)
{
    GPtrArray *cells = g_ptr_array_new_with_free_func(g_free);

    for (guint c = 0; c < table->columns->len; c++)
        widths[c] = hb_text_width(((HbColumn *)table->columns->pdata[c])->title);
    for (guint r = 0; r < MIN(table->rows->len, most); r++) {
        for (guint c = 0; c < table->columns->len; c++) {
            char *cell = format_cell(table, r, c);
            widths[c] = MAX(widths[c], hb_text_width(cell));
            g_ptr_array_add(cells, cell);
        }
    }
    return cells;
}

static void append_cell(GString *line, const char *cell, guint width, gboolean right)
{
    guint have = hb_text_width(cell);

    if (right)
        hb_text_pad(line, have, width);
    g_string_append(line, cell);
    if (!right)
        hb_text_pad(line, have, width);
    hb_text_pad(line, 0, GAP);
}

static void append_line(GString *out, GString *line, gboolean color, HbPaint paint)
{
    while (line->len > 0 && line->str[line->len - 1] == ' ')
        g_string_truncate(line, line->len - 1);
    hb_text_append_painted(out, color, paint, line->str);
    g_string_append_c(out, '\n');
    g_string_assign(line, "  ");
}

static gboolean is_number(const HbResultTable *table, guint column)
{
    return ((HbColumn *)table->columns->pdata[column])->type != HB_COLUMN_TEXT;
}

void hb_table_append_first(GString *out, const HbResultTable *table, guint most, gboolean color)
{
    g_autofree guint *widths = g_new0(guint, table->columns->len + 1);
    g_autoptr(GPtrArray) cells = format_cells(table, most, widths);
    g_autoptr(GString) line = g_string_new("  ");

    if (table->title != NULL) {
        hb_text_append_painted(out, color, HB_PAINT_STRONG, table->title);
        g_string_append_c(out, '\n');
    }
    if (table->rows->len == 0) {
        g_string_append(out, "  none\n");
        return;
    }
    for (guint c = 0; c < table->columns->len; c++)
        append_cell(line, ((HbColumn *)table->columns->pdata[c])->title, widths[c], is_number(table, c));
    append_line(out, line, color, HB_PAINT_FAINT);
    for (guint i = 0; i < cells->len; i++) {
        guint c = i % table->columns->len;
        append_cell(line, cells->pdata[i], widths[c], is_number(table, c));
        if (c + 1 == table->columns->len)
            append_line(out, line, color, HB_PAINT_PLAIN);
    }
    if (table->rows->len > most)
        g_string_append_printf(out, "  and %u more\n", table->rows->len - most);
}

void hb_table_append(GString *out, const HbResultTable *table, gboolean color)
{
    hb_table_append_first(out, table, G_MAXUINT, color);
}
