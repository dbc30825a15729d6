/* SPDX-License-Identifier: Apache-2.0 */
/*
 * row_sums - what the rows of many tables come to, each table by itself: a digest, which says whether two sides hold
 * the same rows, and a sketch, which says where they differ. A digest alone costs less: who expects equal rows asks for
 * the sketches of those that are not, which reads them once more.
 *
 * What a worker reads it sums up by itself; only the sum of a finished piece is added to the row set's, under the lock.
 * A piece that is read again after a lost connection starts its sum anew, so no row counts twice.
 */
#pragma once

#include "core/base/digest.h"
#include "core/rows/row_sketch.h"
#include "dump/manifest.h"
#include "work/source/snapshot_rows.h"

/* What the rows of one set come to. The digest comes first: compare knows nothing of the rest */
typedef struct {
    HbDigest digest;
    HbRowSketch *sketch;        /* NULL: of a dump, or not made */
    HbRowSet *set;              /* of a server, as it is called there; NULL: of a dump */
    const HbStoredRows *stored; /* of a dump */
} HbRowSum;

typedef struct {
    GHashTable *table; /* row set's identity to HbRowSum * */
    GMutex lock;       /* guards the sums and bytes while they are read */
    guint64 bytes;
} HbRowSums;

void hb_row_sum_free(gpointer sum);
void hb_row_sums_init(HbRowSums *sums);
void hb_row_sums_clear(HbRowSums *sums);

/* Those of a server: reads the sets of reading, whose consumer it is, out of its snapshot; with their sketches, if
 * those are wanted. */
gboolean hb_row_sums_read(HbRowSums *sums, const HbSnapshotRows *reading, gboolean sketches, GError **error);

/* The sketches of some sums of a server that were read without: reading->sets are the sets of these */
gboolean hb_row_sums_add_sketches(HbRowSums *sums, const HbSnapshotRows *reading, GError **error);
