/* SPDX-License-Identifier: Apache-2.0 */
/*
 * plan - the steps of a piece of work as a graph with costs: what may run now, and what should run first.
 *
 * Life: add steps and their needs, seal, then take() and settle() until count_open() is 0. Not thread-safe: several
 * workers that walk one plan hold a lock around it.
 *
 * A hard need must be done; if it fails, the step is left out. A soft need only has to be settled, in whichever way.
 * A claim names something that a step works on: steps that claim it exclusively run alone on it, the others together.
 *
 *     waiting --(needs settled)--> ready --take--> running --settle--> done | failed
 *        \--(a hard need failed or was left out)--> left out
 *
 * The ready step with the longest remaining path comes first, so that what takes longest is begun soonest. After seal()
 * a step's needs never grow: once ready, it stays ready until it is taken.
 *
 * Cost: seal() O(steps + needs); take() and settle() together O(log steps) for each step, and O(1) for each need.
 */
#pragma once

#include <glib.h>

typedef struct HbPlan HbPlan;

typedef enum {
    HB_STEP_WAITING,
    HB_STEP_READY,
    HB_STEP_RUNNING,
    HB_STEP_DONE,
    HB_STEP_FAILED,
    HB_STEP_LEFT_OUT
} HbStepState;

/* Life */
HbPlan *hb_plan_new(void);
void hb_plan_free(HbPlan *plan);
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbPlan, hb_plan_free)

/* Filling. A step is known by the number that adding it returned; what (may be NULL) is the caller's own */
guint hb_plan_add_step(HbPlan *plan, gpointer what, guint64 cost);
void hb_plan_add_need(HbPlan *plan, guint step, guint need);      /* hard */
void hb_plan_add_soft_need(HbPlan *plan, guint step, guint need); /* soft */
void hb_plan_add_claim(HbPlan *plan, guint step, const char *thing, gboolean exclusive);

/*
 * Ends the filling. in_order: take steps in the order of their numbers where needs allow (one worker); otherwise the
 * longest remaining path first. FALSE with HB_ERROR_CIRCLE if the needs run in a circle.
 */
gboolean hb_plan_seal(HbPlan *plan, gboolean in_order, GError **error);

/* Walking */
gboolean hb_plan_take(HbPlan *plan, guint *step);                   /* FALSE: nothing may run just now */
void hb_plan_settle(HbPlan *plan, guint step, HbStepState outcome); /* done or failed, of a running step */
void hb_plan_put_back(HbPlan *plan, guint step);                    /* a running step becomes ready again */

/* Reading */
gpointer hb_plan_get_what(const HbPlan *plan, guint step);
guint64 hb_plan_get_cost(const HbPlan *plan, guint step);
guint64 hb_plan_get_path(const HbPlan *plan, guint step); /* the longest remaining one, this step included */
gboolean hb_plan_find_next(const HbPlan *plan, guint step, guint *next); /* on that path; FALSE: it ends here */
HbStepState hb_plan_get_state(const HbPlan *plan, guint step);
guint hb_plan_get_culprit(const HbPlan *plan, guint step); /* of a step left out: the failed step behind it */
guint hb_plan_count(const HbPlan *plan);
guint hb_plan_count_open(const HbPlan *plan); /* not yet settled */
