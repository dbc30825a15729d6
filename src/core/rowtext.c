/* SPDX-License-Identifier: Apache-2.0 */
#include "core/rowtext.h"

#include <string.h>

gsize hb_rowtext_count_fields(const char *row, gsize length)
{
    const char *end = row + length;
    gsize fields = 1;

    while ((row = memchr(row, '\t', (gsize)(end - row))) != NULL) {
        fields++;
        row++;
    }
    return fields;
}

void hb_row_counter_init(HbRowCounter *counter, gsize fields)
{
    *counter = (HbRowCounter){.fields = fields, .partial = g_byte_array_new()};
}

void hb_row_counter_clear(HbRowCounter *counter)
{
    g_byte_array_unref(counter->partial);
}

static void count(HbRowCounter *counter, const char *row, gsize length)
{
    hb_digest_add_row(&counter->digest, row, length);
    if (counter->fields != 0 && counter->wrong_row == 0 && hb_rowtext_count_fields(row, length) != counter->fields)
        counter->wrong_row = counter->digest.rows;
}

/* Ends the partial row with the bytes before the first line end. Returns how many bytes that took */
static gsize finish_partial(HbRowCounter *counter, const char *bytes, gsize length)
{
    const char *line_end = memchr(bytes, '\n', length);
    gsize taken = line_end != NULL ? (gsize)(line_end - bytes) : length;

    g_byte_array_append(counter->partial, (const guint8 *)bytes, (guint)taken);
    if (line_end == NULL)
        return taken;
    count(counter, (const char *)counter->partial->data, counter->partial->len);
    g_byte_array_set_size(counter->partial, 0);
    return taken + 1;
}

void hb_row_counter_add(HbRowCounter *counter, const char *bytes, gsize length)
{
    const char *end = bytes + length;
    const char *line_end;

    if (counter->partial->len > 0)
        bytes += finish_partial(counter, bytes, length);
    while (bytes < end && (line_end = memchr(bytes, '\n', (gsize)(end - bytes))) != NULL) {
        count(counter, bytes, (gsize)(line_end - bytes));
        bytes = line_end + 1;
    }
    if (bytes < end)
        g_byte_array_append(counter->partial, (const guint8 *)bytes, (guint)(end - bytes));
}

gboolean hb_row_counter_is_whole(const HbRowCounter *counter)
{
    return counter->partial->len == 0;
}
