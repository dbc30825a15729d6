/* SPDX-License-Identifier: Apache-2.0 */
#include "core/rows/row_counter.h"

#include <string.h>

gsize hb_row_count_fields(const char *row, gsize length)
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
    *counter = (HbRowCounter){.fields = fields};
}

void hb_row_counter_clear(HbRowCounter *counter)
{
    hb_piece_digest_clear(&counter->sum);
}

/* The rest of a row, with its line end */
static void end_row(HbRowCounter *counter, const char *piece, gsize length)
{
    hb_piece_digest_add(&counter->sum, piece, length);
    if (counter->fields != 0 && counter->wrong_row == 0 &&
        counter->begun + hb_row_count_fields(piece, length - 1) != counter->fields)
        counter->wrong_row = counter->sum.digest.rows;
    counter->begun = 0;
}

void hb_row_counter_add(HbRowCounter *counter, const char *bytes, gsize length)
{
    const char *end = bytes + length;
    const char *line_end;

    while (bytes < end && (line_end = memchr(bytes, '\n', (gsize)(end - bytes))) != NULL) {
        end_row(counter, bytes, (gsize)(line_end - bytes) + 1);
        bytes = line_end + 1;
    }
    if (bytes == end)
        return;
    hb_piece_digest_add(&counter->sum, bytes, (gsize)(end - bytes));
    if (counter->fields != 0)
        counter->begun += hb_row_count_fields(bytes, (gsize)(end - bytes)) - 1;
}

gboolean hb_row_counter_is_whole(const HbRowCounter *counter)
{
    return !counter->sum.is_open;
}
