/* SPDX-License-Identifier: Apache-2.0 */
/*
 * follow_inner - what the files of following share; no other file includes it.
 *
 *     follow         reading, and when a batch goes over
 *     follow_batch   changes, folded
 *     follow_apply   a batch to the copy
 */
#pragma once

#include "core/rows/changes.h"
#include "work/follow/follow.h"

/* ---- Batches ---- */

/* Changes of several tables, which may be brought in any order of these; what cannot be folded begins another part */
typedef struct {
    GHashTable *by_set; /* HbRowSet * of the source to HbChanges * */
    GPtrArray *changes; /* of the same, owned */
} HbBatchPart;

typedef struct {
    GPtrArray *parts; /* HbBatchPart * */
    gsize bytes;
    guint64 rows, transactions;
    gboolean gives_up; /* what went over of a transaction that has not ended is undone first */
    gboolean commits;  /* with it a transaction of the source has ended: what is noted is consistent */
    char *position;    /* NULL unless it commits */
    gint64 time_us;
} HbBatch;

HbBatch *hb_batch_new(void);
void hb_batch_free(HbBatch *batch); /* accepts NULL */
void hb_batch_add(HbBatch *batch, const HbLogEvent *event);
gboolean hb_batch_is_empty(const HbBatch *batch);

/* ---- Bringing them over ---- */

typedef struct HbBatchApplier HbBatchApplier;

HbBatchApplier *hb_batch_applier_start(const HbFollowOptions *options, HbFollowResult *result);
/* Takes the batch */
void hb_batch_applier_push(HbBatchApplier *applier, HbBatch *batch);
guint hb_batch_applier_count_waiting(HbBatchApplier *applier); /* batches that are not in yet */
gboolean hb_batch_applier_has_failed(HbBatchApplier *applier);
/* What is in: the position (the caller's; NULL: nothing yet), and when its last commit was */
char *hb_batch_applier_get_position(HbBatchApplier *applier, gint64 *time_us);
void hb_batch_applier_get_counts(HbBatchApplier *applier, guint64 *rows, guint64 *transactions);
/* Waits until all is in, and ends the thread. FALSE with the error of the batch that failed */
gboolean hb_batch_applier_finish(HbBatchApplier *applier, GError **error);
