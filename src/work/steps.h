/* SPDX-License-Identifier: Apache-2.0 */
/*
 * steps - the plan of a restore, made from a dump: which steps there are, what each needs, and what each touches.
 *
 *     users --> structure --> chunks of rows --> completion --> analyze, settings
 *
 * The arrows are soft (all of the left is settled before any of the right begins) and stand only where something may
 * use what it does not name: function bodies, owners, defaults. Inside, and between rows and completion, the needs of
 * the objects rule: a table's indexes are built while other tables still load.
 */
#pragma once

#include "core/plan.h"
#include "dump/manifest.h"
#include "engine/engine.h"

typedef enum {
    HB_STEP_TYPE_OBJECT,
    HB_STEP_TYPE_CHUNK,
    HB_STEP_TYPE_ANALYZE,
    HB_STEP_TYPE_MILESTONE /* nothing to do: there so that others can wait for it */
} HbStepType;

typedef struct {
    HbStepType type;
    char *key;              /* in the journal; NULL of a milestone */
    const HbObject *object; /* of an object and of a chunk; otherwise NULL */
    char *sql;              /* of several objects that are made by one statement; NULL: the object's own */
    const HbStoredRows *rows;
    const HbChunk *chunk;
    const char *table; /* to analyze */
} HbStep;

typedef struct {
    HbPlan *plan;
    GPtrArray *steps; /* HbStep *, by step number */
    guint64 cost;     /* of all steps */
} HbSteps;

/* What a step is about, for people: an object's identity, or the key; borrowed */
const char *hb_step_get_name(const HbStep *step);

/*
 * The steps of the chosen parts, sealed. analyze: with a step that refreshes the planner's figures for each table. What
 * the engine can make of one table by one statement is one step, under the name of its first object
 */
HbSteps *hb_steps_new(const HbManifest *manifest, const HbEngine *engine, guint parts, gboolean analyze,
                      gboolean in_order, GError **error);
void hb_steps_free(HbSteps *steps);
