/* SPDX-License-Identifier: Apache-2.0 */
/*
 * row_difference - which rows of a table differ between FROM and TO: how many are missing, extra and changed, and their
 * keys.
 */
#pragma once

#include "core/model/catalog.h"
#include "core/rows/row_sketch.h"

typedef enum { HB_ROW_MISSING, HB_ROW_EXTRA, HB_ROW_CHANGED, HB_ROW_FATES } HbRowFate;

const char *hb_row_fate_get_name(HbRowFate fate); /* "missing", ... */

typedef struct {
    HbRowFate fate;
    guint64 count; /* rows that are all the same; 1 of rows with a key */
    char *key;     /* as in HbRowMark; NULL: it has none, or a long one */
} HbNamedRow;

typedef struct {
    guint64 counts[HB_ROW_FATES];
    GPtrArray *columns; /* char *: of the key, as the engine quotes them; none: the table has no key */
    GPtrArray *rows;    /* HbNamedRow *, by key; those without one last */
} HbRowDifference;

/*
 * sketched: HbSketchedRow, of which those with a count above 0 are FROM's. A row with a key that is among both sides'
 * has changed; rows without a key, or with a long one, are missing or extra. The caller's
 */
HbRowDifference *hb_row_difference_new(const GArray *sketched, const HbRowSet *set);
/* "plot = A, tree_id = 17", as the row's text has them; NULL: the row has no key that is known. The caller's */
char *hb_row_difference_name_row(const HbRowDifference *difference, const HbNamedRow *row);
void hb_row_difference_free(HbRowDifference *difference); /* accepts NULL */
