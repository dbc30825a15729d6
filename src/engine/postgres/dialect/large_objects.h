/* SPDX-License-Identifier: Apache-2.0 */
/*
 * large_objects - the bytes of large objects as one row set: number, offset, bytes.
 *
 * They are read and written through the server's own functions for them, which any owner may call, rather than from the
 * system table behind them. Holes come out as zeros.
 */
#pragma once

#include "core/model/catalog.h"
#include "core/rows/row_sketch.h"

/* The row set's table; no table can be called so, because a name with a blank is quoted */
#define HB_PG_LARGE_OBJECTS "large objects"

gboolean hb_pg_is_large_objects(const HbRowSet *set);
void hb_pg_describe_large_objects(HbRowSet *set, guint64 bytes);

/* SQL that reads those with first <= number < end (G_MAXUINT64: all from first on), or of them the pieces for which a
 * condition holds (NULL: all), as a text with fragments for hb_pg_fit_query(); the caller's */
char *hb_pg_make_large_objects_sql(guint64 first, guint64 end, const char *where);

/* Rows go into a table of the transaction's own first; the second text takes them from there */
extern const char hb_pg_begin_large_objects_sql[]; /* ends in a COPY from standard input */
extern const char hb_pg_take_large_objects_sql[];

/* As HbDialect.make_align_sql */
char *hb_pg_make_align_sql(const HbObject *wanted, const HbObject *there);

/*
 * The end of each large object of which pieces are gone is where the first of them was, unless a whole piece comes in
 * its place. gone: HbSketchedRow, whose keys are number and offset. To be run after the first of the texts above, and
 * before the second. NULL: what the keys say are no numbers; the caller's
 */
char *hb_pg_make_cut_sql(const GArray *gone);
