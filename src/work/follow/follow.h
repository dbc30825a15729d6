/* SPDX-License-Identifier: Apache-2.0 */
/*
 * follow - a copy is kept up with its source by the source's own log: changes are read, folded into batches, and
 * brought over in the order of the source's commits, each batch with its position in one transaction.
 *
 *     log -> reader, in the caller's thread: folds (core/rows/changes) -> batch -> a thread with a session of the copy
 *
 * A batch ends at a commit of the source. While one is being brought, the next one grows: a slow target makes larger
 * batches, and those cost less for each row. A transaction that is larger than memory should hold goes over in pieces
 * of one transaction of the copy. Whatever breaks it off, the copy itself knows its position (see HbOrigin).
 *
 * Invariants: the source is told that it may forget only what the copy has on its disk; a position is noted with what
 * it stands for, or not at all; what a change does not find is named.
 */
#pragma once

#include "work/origin/origin.h"
#include "work/run/observer.h"
#include "work/run/stop.h"

typedef struct {
    const HbEngine *engine;
    HbAddress from;
    HbAddress to;
    GHashTable *tables; /* HbRowSet * of the source that the log tells about, to HbRowSet * of the copy */
    HbOrigin *origin;   /* the copy's, which becomes what the copy has */
    const char *until;  /* a position: ends when all before it is in; NULL: when asked, or by the lag */
    double until_lag_s; /* ends when the copy is no further behind; 0: never for that */
    gboolean is_quiet;  /* triggers and keys were taken off */
    gboolean (*enter)(gpointer data, HbSession *session, GError **error); /* of each session of the copy */
    gpointer data;
    HbStop *stop;
    HbObservers *observers;
} HbFollowOptions;

/* Clear with hb_follow_result_clear() */
typedef struct {
    guint64 transactions;
    guint64 rows;        /* changes that were told */
    guint64 drifts;      /* rows that were not what the log said */
    GHashTable *changed; /* HbRowSet * of the copy that got changes */
    char *structure;     /* what changed of the source's structure, and ended it; NULL: nothing */
    double lag_s;        /* at the end */
    double seconds;      /* that reading and bringing took */
} HbFollowResult;

void hb_follow_result_clear(HbFollowResult *result);

/* result: zeroed; filled in any case, and added to. HB_ERROR_BLOCKED: the log cannot be read from the position on */
gboolean hb_follow_run(const HbFollowOptions *options, HbFollowResult *result, GError **error);
