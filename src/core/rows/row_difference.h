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
    char *from;    /* the row's text, without the line end; NULL: it is not wanted, or not there */
    char *to;
    HbSketchedRow of_from, of_to; /* where it is there */
} HbNamedRow;

typedef struct {
    guint64 counts[HB_ROW_FATES];
    guint one_in;       /* 1: all were looked at; otherwise one key in so many, and the counts are estimates */
    GPtrArray *columns; /* char *: of the key, as the engine quotes them; none: the table has no key */
    GPtrArray *all;     /* char *: all columns */
    GPtrArray *rows;    /* HbNamedRow *, by key; those without one last */
} HbRowDifference;

/*
 * sketched: HbSketchedRow, of which those with a count above 0 are FROM's. A row whose key both sides have was
 * changed; rows without a key are missing or extra. The caller's
 */
HbRowDifference *hb_row_difference_new(const GArray *sketched, const HbRowSet *set, guint one_in);
/* The key of a row that has a long one, from its text, which is known */
void hb_row_difference_find_key(const HbRowSet *set, HbNamedRow *row);

/* The values of its key, as the row's text has them; NULL: the row has no key that is known. The caller's */
char **hb_row_difference_split_key(const HbRowDifference *difference, const HbNamedRow *row);

/* "plot = A, tree_id = 17", as the row's text has them; NULL: the row has no key that is known. The caller's */
char *hb_row_difference_name_row(const HbRowDifference *difference, const HbNamedRow *row);

/* What a side's row says, "plot = A, tree_id = 17": of a changed row only what the other side's says otherwise. Long
 * values are cut; NULL: that side's values are not known, or say nothing else. The caller's */
char *hb_row_difference_describe(const HbRowDifference *difference, const HbNamedRow *row, gboolean of_to);
void hb_row_difference_free(HbRowDifference *difference); /* accepts NULL */
