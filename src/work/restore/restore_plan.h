/* SPDX-License-Identifier: Apache-2.0 */
/*
 * restore_plan - the plan of a restore, made from a dump: which steps there are, what each needs, and what each
 * touches.
 *
 *     cleanup ==> users --> structure --> chunks of rows --> completion --> analyze, settings
 *
 * The simple arrows are soft (all of the left is settled before any of the right begins) and stand only where something
 * may use what it does not name: function bodies, owners, defaults. Inside, and between rows and completion, the needs
 * of the objects rule: a table's indexes are built while other tables still load.
 */
#pragma once

#include "core/graph/plan.h"
#include "dump/manifest.h"
#include "work/restore/target_cleanup.h"

typedef enum {
    HB_STEP_TYPE_OBJECT,
    HB_STEP_TYPE_CHUNK,
    HB_STEP_TYPE_LOST_ROWS, /* of a row set that could not be loaded: it fails */
    HB_STEP_TYPE_ANALYZE,
    HB_STEP_TYPE_CLEANUP,  /* takes away what is there; all others come after it */
    HB_STEP_TYPE_MILESTONE /* nothing to do: there so that others can wait for it */
} HbStepType;

typedef struct {
    HbStepType type;
    char *key;              /* in the journal; NULL of a milestone */
    const HbObject *object; /* of an object and of a chunk; otherwise NULL */
    char *sql;              /* to clear; or of several objects that are made by one statement; NULL: the object's own */
    GPtrArray *joined;      /* const HbObject *: those made by sql beside object, in their order; NULL: none */
    const HbStoredRows *rows;
    const HbChunk *chunk;
    const char *table; /* to analyze */
} HbStep;

typedef struct {
    HbPlan *plan;
    GPtrArray *steps; /* HbStep *, by step number */
    guint64 cost;     /* of all steps */
} HbRestorePlan;

/* What a step is about, for people: an object's identity, or the key; borrowed */
const char *hb_step_get_name(const HbStep *step);

typedef struct {
    const HbTargetCleanup *cleanup; /* what is to be taken away first, borrowed; NULL: nothing */
    gboolean analyze;               /* refresh the planner's figures for each table */
    gboolean in_order;              /* one worker: as the files have it */
    gboolean before_rows;           /* only what must exist before any row */
    GHashTable *failed_rows;        /* identities of row sets that were lost: each is a step, which fails; NULL: none */
} HbRestorePlanOptions;

/*
 * The steps of a manifest's whole catalog, sealed. What the engine can make of one table by one statement is one step,
 * under the name of its first object
 */
HbRestorePlan *hb_restore_plan_new(const HbManifest *manifest, const HbEngine *engine,
                                   const HbRestorePlanOptions *wishes, GError **error);
void hb_restore_plan_free(HbRestorePlan *steps);

/* The journal's key of what clears an item away; with one for all, that of all. The caller's */
char *hb_restore_plan_get_cleanup_key(const HbEngine *engine, const HbCleanupItem *item);
