/* SPDX-License-Identifier: Apache-2.0 */
/*
 * fetch_rows - some rows of a table once more, after a sketch has told which.
 *
 * Rows with keys are asked for by them, some hundreds at a time; if one has none, the whole table is read, and what was
 * not told is passed over.
 */
#pragma once

#include "core/rows/row_sketch.h"
#include "dump/reader.h"
#include "engine/engine.h"
#include "work/run/stop.h"

typedef struct {
    const HbEngine *engine;
    HbSession *session;         /* in the snapshot that the sketch was made from */
    const HbReader *dump;       /* instead of a session, in which the rows are stored; NULL: a server */
    const HbStoredRows *stored; /* of a dump */
    const HbRowSet *set;
    const GArray *wanted; /* HbSketchedRow: |count| is how often the row comes; NULL: all rows */
    HbStop *stop;
    HbRowSink take; /* gets each row whole, its line end included; of all rows pieces, too */
    gpointer data;
} HbRowFetch;

/* HB_ERROR_RETRY if the snapshot has other rows than those */
gboolean hb_fetch_rows(const HbRowFetch *fetch, GError **error);
