/* SPDX-License-Identifier: Apache-2.0 */
/*
 * row_sketch - a small table of sums that tells which rows differ between two sets of rows, each of which was read
 * once, in any order.
 *
 * Each row is added to a few cells that its hash chooses. What both sets hold cancels out when one sketch is taken from
 * the other; from a cell that only one row is left in, the row can be read, taken out of its other cells, and so on. A
 * sketch of n cells tells about three quarters of n rows, whatever the size of the sets. This is an invertible Bloom
 * lookup table (M. Goodrich, M. Mitzenmacher, "Invertible Bloom Lookup Tables", 2011), with two changes: its sums are
 * modulo the prime 2^61 - 1, so that a row which a set holds several times can be read, too; and sketches whose sizes
 * are powers of two can be folded, so that two sets need not agree on a size beforehand.
 *
 * What is read is checked by a sum of 61 bits of its own: that rows which are not there are told is as improbable as
 * equal digests of unequal sets.
 */
#pragma once

#include "core/rows/row_scan.h"

typedef struct HbRowSketch HbRowSketch;

#define HB_SKETCH_CELLS_MIN 16 /* a cell has 128 bytes */
#define HB_SKETCH_CELLS_MAX (1024 * 1024)

/* A row that only one set holds, or one more often than the other */
typedef struct {
    gint64 count;      /* so often more in the set that was taken from; < 0: in the one that was taken away */
    guint64 low, high; /* of its hash; see hb_row_sketch_is_of() */
    guint key_length;  /* as in HbRowMark */
    char key[HB_ROW_KEY_MAX + 1];
} HbSketchedRow;

/* cells: raised to a power of two. Takes no memory before the first row */
HbRowSketch *hb_row_sketch_new(guint cells);
void hb_row_sketch_free(HbRowSketch *sketch); /* accepts NULL */
void hb_row_sketch_clear(HbRowSketch *sketch);
guint hb_row_sketch_get_cells(const HbRowSketch *sketch);

void hb_row_sketch_add(HbRowSketch *sketch, const HbRowMark *row);
void hb_row_sketch_take_away(HbRowSketch *sketch, const HbRowMark *row); /* which another set holds */
void hb_row_sketch_add_all(HbRowSketch *sketch, HbRowSketch *other);     /* of as many cells */

/* HbSketchedRow: what first holds more than second, or less. NULL: more rows differ than the smaller sketch can tell.
 * The caller's */
GArray *hb_row_sketch_list_different(HbRowSketch *first, HbRowSketch *second);

/* The same of one sketch to which one set was added, and from which another one was taken away; empties it */
GArray *hb_row_sketch_list_left(HbRowSketch *sketch);

/* Is it this row, as a set that is read once more has it? */
gboolean hb_row_sketch_is_of(const HbSketchedRow *sketched, const HbRowMark *row);
guint hb_row_sketch_hash(const HbSketchedRow *sketched);
HbSketchedRow hb_row_sketch_row(const HbRowMark *row); /* with count 1 */
