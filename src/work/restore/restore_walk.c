/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/restore_inner.h"

#include <string.h>

/* ---- The lock is held in all of these ---- */

static void settle(HbRestore *restore, guint number, HbStepState outcome)
{
    hb_plan_settle(restore->plan.steps->plan, number, outcome);
    g_cond_broadcast(&restore->run.settled);
}

/* Milestones, and what the journal has, are settled on the spot */
static gboolean is_done_before(HbRestore *restore, const HbStep *step)
{
    const char *note;

    if (step->type == HB_STEP_TYPE_MILESTONE)
        return TRUE;
    if (restore->run.journal == NULL || (note = g_hash_table_lookup(restore->run.journal, step->key)) == NULL)
        return FALSE;
    if (strcmp(note, NOTE_KEPT) == 0)
        hb_restore_note_kept(restore, step);
    return TRUE;
}

/* The next step that needs a worker; NULL when there is none any more. Waits while others may make one ready */
static const HbStep *take_step(HbRestore *restore, HbWorker *worker, guint *number)
{
    HbPlan *plan = restore->plan.steps->plan;

    while (hb_plan_count_open(plan) > 0 && restore->run.lost == NULL && !hb_stop_is_set(restore->options.stop)) {
        const HbStep *step;
        if (!hb_plan_take(plan, number)) {
            g_cond_wait_until(&restore->run.settled, &restore->run.lock, g_get_monotonic_time() + G_TIME_SPAN_SECOND);
            continue;
        }
        step = hb_plan_get_what(plan, *number);
        if (!is_done_before(restore, step))
            return step;
        hb_worker_tell_advanced(worker, hb_plan_get_cost(plan, *number), 0);
        settle(restore, *number, HB_STEP_DONE);
    }
    return NULL;
}

/* Whom a step waited for in vain, as far as it was seen */
static void add_wait(HbRestore *restore, GError *cause)
{
    g_autofree char *wait = hb_error_is(cause, HB_ERROR_LOCKED) ? hb_claim_get_wait(restore->run.claim) : NULL;
    char *message;

    if (wait == NULL)
        return;
    message = g_strdup_printf("%s (%s)", cause->message, wait);
    g_free(cause->message);
    cause->message = message;
}

static void note_failure(HbRestore *restore, const HbStep *step, GError *cause)
{
    if (hb_error_is(cause, HB_ERROR_RIGHTS) && step->type == HB_STEP_TYPE_OBJECT) {
        g_autofree char *hint = hb_restore_hint_statement(restore->options.engine->dialect, step->object->definition);
        hb_restore_add_exception(restore, HB_OUTCOME_REFUSED, step->key, cause->message, hint);
        return;
    }
    if (step->type == HB_STEP_TYPE_OBJECT && step->object->kind == HB_KIND_TABLESPACE) {
        hb_restore_add_exception(restore, HB_OUTCOME_CHANGED, step->key, cause->message,
                                 "what stands in it goes into the default tablespace");
        return;
    }
    if (hb_error_is(cause, HB_ERROR_CONSTRAINT_VIOLATED)) {
        hb_restore_add_exception(restore, HB_OUTCOME_CHANGED, step->key, cause->message, hb_error_hint(cause));
        return;
    }
    if (step->type == HB_STEP_TYPE_ANALYZE) {
        hb_restore_add_exception(restore, HB_OUTCOME_REFUSED, step->key, cause->message,
                                 "the planner's figures can be refreshed later");
        return;
    }
    add_wait(restore, cause);
    hb_restore_add_exception(restore, HB_OUTCOME_FAILED, step->key, cause->message, hb_error_hint(cause))->damaged =
        hb_error_is(cause, HB_ERROR_DAMAGED);
    if (!restore->options.tentative)
        hb_observers_note(restore->options.observers, HB_SEVERITY_ERROR, hb_error_hint(cause), "%s: %s", step->key,
                          cause->message);
}

static void tell_step_done(HbRestore *restore, HbWorker *worker, const HbStep *step, guint number)
{
    if (step->type != HB_STEP_TYPE_CHUNK)
        hb_worker_tell_advanced(worker, hb_plan_get_cost(restore->plan.steps->plan, number), 0);
    hb_worker_tell_finished(worker);
}

/*
 * What becomes of a step that did not succeed. A broken connection is no failure of the step: it is put back, and all
 * workers come home. FALSE if the restore cannot go on, with *error set.
 */
static gboolean judge_failure(HbRestore *restore, guint number, GError *cause, GError **error)
{
    const HbStep *step = hb_plan_get_what(restore->plan.steps->plan, number);

    if (hb_error_is(cause, HB_ERROR_CANCELLED) || hb_stop_is_set(restore->options.stop)) {
        hb_plan_put_back(restore->plan.steps->plan, number);
        g_propagate_prefixed_error(error, cause, "%s: ", step->key);
        return FALSE;
    }
    if (hb_error_is(cause, HB_ERROR_LOST)) {
        hb_plan_put_back(restore->plan.steps->plan, number);
        g_clear_error(&restore->run.lost);
        g_propagate_prefixed_error(&restore->run.lost, cause, "%s: ", step->key);
        g_cond_broadcast(&restore->run.settled);
        return TRUE;
    }
    note_failure(restore, step, cause);
    settle(restore, number, hb_error_is(cause, HB_ERROR_CONSTRAINT_VIOLATED) ? HB_STEP_DONE : HB_STEP_FAILED);
    g_error_free(cause);
    return TRUE;
}

static gboolean work(HbWorker *worker, gpointer data, GError **error)
{
    HbRestore *restore = data;
    gboolean ok = TRUE;
    const HbStep *step;
    guint number;

    g_mutex_lock(&restore->run.lock);
    while (ok && (step = take_step(restore, worker, &number)) != NULL) {
        GError *cause = NULL;

        g_mutex_unlock(&restore->run.lock);
        hb_worker_tell_started(worker, hb_step_get_name(step));
        hb_restore_run_step(restore, worker, step, &cause);
        tell_step_done(restore, worker, step, number);
        g_mutex_lock(&restore->run.lock);
        if (cause != NULL)
            ok = judge_failure(restore, number, cause, error);
        else
            settle(restore, number, HB_STEP_DONE);
    }
    if (ok && hb_stop_is_set(restore->options.stop) && hb_plan_count_open(restore->plan.steps->plan) > 0)
        ok = hb_stop_set_error(error);
    g_mutex_unlock(&restore->run.lock);
    return ok;
}

static gboolean enter(HbWorker *worker, gpointer data, GError **error)
{
    return hb_restore_enter(data, worker->session, worker->lost, error);
}

gboolean hb_restore_walk(HbRestore *restore, GError **error)
{
    const HbWorkers workers = {.engine = restore->options.engine,
                               .address = &restore->target.address,
                               .jobs = restore->options.jobs,
                               .stop = restore->options.stop,
                               .observers = restore->options.observers,
                               .enter = enter,
                               .work = work,
                               .data = restore};

    hb_observers_begin_phase(restore->options.observers, "restoring", restore->plan.steps->cost);
    return hb_workers_run(&workers, error);
}
