/* SPDX-License-Identifier: Apache-2.0 */
/*
 * row_counter - the row encoding of a dump: one row a line, fields separated by tabs.
 *
 * Within a field a backslash begins an escape (\b \f \n \r \t \v \\), and \N alone is NULL. So a tab or a line end that
 * is not part of an escape always ends a field or a row, and rows can be counted and cut without decoding them.
 */
#pragma once

#include "core/base/digest.h"

/* How many fields a row has; the row without its line end. A row without bytes has one (empty) field */
gsize hb_row_count_fields(const char *row, gsize length);

/*
 * Splits a stream of rows that arrives in blocks of any size. Each whole row is added to the digest.
 * Set fields to 0 to take rows of any number of fields; otherwise a row with another number sets wrong_row.
 */
typedef struct {
    HbPieceDigest sum;
    gsize fields;
    guint64 wrong_row; /* number (from 1) of the first row with a wrong number of fields; 0: none */
    gsize begun;       /* fields of the row that has begun and not ended, less one */
} HbRowCounter;

void hb_row_counter_init(HbRowCounter *counter, gsize fields);
void hb_row_counter_clear(HbRowCounter *counter);
void hb_row_counter_add(HbRowCounter *counter, const char *bytes, gsize length);
gboolean hb_row_counter_is_whole(const HbRowCounter *counter); /* the last row has ended */
