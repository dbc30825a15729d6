/* SPDX-License-Identifier: Apache-2.0 */
/*
 * wanted_rows - rows that a sketch has told, to be found again while all rows of their table stream by.
 */
#pragma once

#include "core/rows/row_sketch.h"

typedef struct {
    GHashTable *left; /* HbSketchedRow *, borrowed, to how often it is still to come */
} HbWantedRows;

/* sketched: HbSketchedRow, borrowed; |count| is how often each row comes. NULL: none is wanted */
void hb_wanted_rows_init(HbWantedRows *wanted, const GArray *sketched);
void hb_wanted_rows_clear(HbWantedRows *wanted);

/* Is it one of them, and not found as often as it comes? Then it is found once more */
gboolean hb_wanted_rows_take(HbWantedRows *wanted, const HbRowMark *row);

/* Different rows that were not found as often as they come */
guint hb_wanted_rows_count_left(const HbWantedRows *wanted);
