/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/restore_run_inner.h"

#include <string.h>

#define SMALL_COST    (256 * 1024)
#define WORKERS_SHARE 8 /* of the open steps a worker takes one of so many shares at once */

/* ---- The lock is held in all of these ---- */

static void settle(HbRestoreRun *run, guint number, HbStepState outcome)
{
    hb_plan_settle(run->plan.steps->plan, number, outcome);
    g_cond_broadcast(&run->settled);
}

/* Milestones, and what the journal has, are settled on the spot */
static gboolean is_done_before(HbRestoreRun *run, const HbStep *step)
{
    const char *note;

    if (step->type == HB_STEP_TYPE_MILESTONE)
        return TRUE;
    if (run->journal == NULL || (note = g_hash_table_lookup(run->journal, step->key)) == NULL)
        return FALSE;
    if (strcmp(note, NOTE_KEPT) == 0)
        hb_restore_run_note_kept(run, step);
    return TRUE;
}

static gboolean settle_if_done(HbRestoreRun *run, HbWorker *worker, guint number)
{
    if (!is_done_before(run, hb_plan_get_what(run->plan.steps->plan, number)))
        return FALSE;
    if (!run->options->join || !hb_restore_run_tell_host(run, number))
        hb_worker_notify_advanced(worker, hb_plan_get_cost(run->plan.steps->plan, number), 0);
    settle(run, number, HB_STEP_DONE);
    return TRUE;
}

/* Others may make a step ready, or other hosts, who may want what this worker has no need of any more */
static void wait_for_steps(HbRestoreRun *run, HbWorker *worker, HbStepsTaken *taken)
{
    if (!run->options->join)
        g_cond_wait_until(&run->settled, &run->lock, g_get_monotonic_time() + G_TIME_SPAN_SECOND);
    else if (taken->held->len > 0)
        hb_restore_run_give_up(run, worker, taken);
    else
        hb_restore_run_ask_hosts(run, worker);
}

/* The next step that needs a worker; NULL when there is none any more. Waits while there may be one */
static const HbStep *take_step(HbRestoreRun *run, HbWorker *worker, HbStepsTaken *taken, guint *number)
{
    HbPlan *plan = run->plan.steps->plan;

    while (hb_plan_count_open(plan) > 0 && run->lost == NULL && !hb_stop_is_set(run->options->stop)) {
        if (!hb_plan_take(plan, number))
            wait_for_steps(run, worker, taken);
        else if (!settle_if_done(run, worker, *number))
            return hb_plan_get_what(plan, *number);
    }
    return NULL;
}

/* Whom a step waited for in vain, as far as it was seen */
static void add_wait(HbRestoreRun *run, GError *cause)
{
    g_autofree char *wait = hb_error_is(cause, HB_ERROR_LOCKED) ? hb_claim_get_wait(run->claim) : NULL;
    char *message;

    if (wait == NULL)
        return;
    message = g_strdup_printf("%s (%s)", cause->message, wait);
    g_free(cause->message);
    cause->message = message;
}

static void note_failure(HbRestoreRun *run, const HbStep *step, GError *cause)
{
    if (g_hash_table_contains(run->blamed, step->key))
        return;
    if (hb_error_is(cause, HB_ERROR_RIGHTS) && step->type == HB_STEP_TYPE_OBJECT) {
        g_autofree char *hint = hb_restore_run_hint_statement(run->options->engine->dialect, step->object->definition);
        hb_restore_result_add(run->result, HB_OUTCOME_REFUSED, step->key, cause->message, hint);
        return;
    }
    if (step->type == HB_STEP_TYPE_OBJECT && step->object->kind == HB_KIND_TABLESPACE) {
        hb_restore_result_add(run->result, HB_OUTCOME_CHANGED, step->key, cause->message,
                              "what stands in it goes into the default tablespace");
        return;
    }
    if (hb_error_is(cause, HB_ERROR_CONSTRAINT_VIOLATED)) {
        hb_restore_result_add(run->result, HB_OUTCOME_CHANGED, step->key, cause->message, hb_error_hint(cause));
        return;
    }
    if (step->type == HB_STEP_TYPE_ANALYZE) {
        hb_restore_result_add(run->result, HB_OUTCOME_REFUSED, step->key, cause->message,
                              "the planner's figures can be refreshed later");
        return;
    }
    add_wait(run, cause);
    hb_restore_result_add(run->result, HB_OUTCOME_FAILED, step->key, cause->message, hb_error_hint(cause))->damaged =
        hb_error_is(cause, HB_ERROR_DAMAGED);
    if (!run->tentative)
        hb_observers_note(run->observers, HB_SEVERITY_ERROR, hb_error_hint(cause), "%s: %s", step->key, cause->message);
}

static void report_step_done(HbRestoreRun *run, HbWorker *worker, const HbStep *step, guint number)
{
    if (step->type != HB_STEP_TYPE_CHUNK)
        hb_worker_notify_advanced(worker, hb_plan_get_cost(run->plan.steps->plan, number), 0);
    hb_worker_notify_finished(worker);
}

/*
 * What becomes of a step that did not succeed. A broken connection is no failure of the step: it is put back, and all
 * workers come home. FALSE if the restore cannot go on, with *error set.
 */
static gboolean judge_failure(HbRestoreRun *run, guint number, GError *cause, GError **error)
{
    const HbStep *step = hb_plan_get_what(run->plan.steps->plan, number);

    if (hb_error_is(cause, HB_ERROR_CANCELLED) || hb_stop_is_set(run->options->stop)) {
        hb_plan_put_back(run->plan.steps->plan, number);
        g_propagate_prefixed_error(error, cause, "%s: ", step->key);
        return FALSE;
    }
    if (hb_error_is(cause, HB_ERROR_LOST)) {
        hb_plan_put_back(run->plan.steps->plan, number);
        g_clear_error(&run->lost);
        g_propagate_prefixed_error(&run->lost, cause, "%s: ", step->key);
        g_cond_broadcast(&run->settled);
        return TRUE;
    }
    if (run->options->join && hb_error_is(cause, HB_ERROR_LEFTOVER))
        run->hosts.has_broken = TRUE;
    else
        note_failure(run, step, cause);
    settle(run, number, hb_error_is(cause, HB_ERROR_CONSTRAINT_VIOLATED) ? HB_STEP_DONE : HB_STEP_FAILED);
    g_error_free(cause);
    return TRUE;
}

/* Its place on the longest path, and the next on it that is more than a milestone */
static HbWorkerTask describe_task(const HbRestoreRun *run, const HbStep *step, guint number)
{
    const HbPlan *plan = run->plan.steps->plan;
    HbWorkerTask task = {.what = hb_step_get_name(step),
                         .cost = step->type == HB_STEP_TYPE_CHUNK ? hb_plan_get_cost(plan, number) : 0,
                         .path = hb_plan_get_path(plan, number)};
    guint next = number;

    while (task.next == NULL && hb_plan_find_next(plan, next, &next)) {
        const HbStep *following = hb_plan_get_what(plan, next);
        if (following->type != HB_STEP_TYPE_MILESTONE && hb_plan_get_state(plan, next) == HB_STEP_WAITING)
            task.next = hb_step_get_name(following);
    }
    return task;
}

/* ---- With other hosts: many small steps are taken at once ---- */

static gboolean is_small(const HbRestoreRun *run, guint number)
{
    return hb_plan_get_cost(run->plan.steps->plan, number) <= SMALL_COST;
}

/* Each worker of each host is to find some */
static guint count_together(const HbRestoreRun *run)
{
    const guint open = hb_plan_count_open(run->plan.steps->plan);

    return CLAMP(open / (run->options->jobs * WORKERS_SHARE), 1, HB_STEPS_TOGETHER_MAX);
}

/* Beside the first one, which is small, others that are ready and small */
static void take_more(HbRestoreRun *run, HbWorker *worker, HbStepsTaken *taken)
{
    HbPlan *plan = run->plan.steps->plan;
    const guint most = count_together(run);
    guint number;

    while (taken->count < most && hb_plan_take(plan, &number)) {
        if (settle_if_done(run, worker, number))
            continue;
        if (is_small(run, number)) {
            taken->numbers[taken->count++] = number;
        } else {
            hb_plan_put_back(plan, number);
            return;
        }
    }
}

static void put_back(HbRestoreRun *run, HbStepsTaken *taken)
{
    for (guint i = taken->next; i < taken->count; i++)
        hb_plan_put_back(run->plan.steps->plan, taken->numbers[i]);
    taken->count = taken->next = 0;
}

/* The next that no other host does. NULL: there is none any more, or *cause is set */
static const HbStep *take_ours(HbRestoreRun *run, HbWorker *worker, HbStepsTaken *taken, guint *number, GError **cause)
{
    if (run->lost != NULL || hb_stop_is_set(run->options->stop))
        return NULL;
    while (taken->next == taken->count) {
        taken->count = taken->next = 0;
        if (take_step(run, worker, taken, number) == NULL)
            return NULL;
        taken->numbers[taken->count++] = *number;
        if (is_small(run, *number))
            take_more(run, worker, taken);
        if (!hb_restore_run_claim(run, worker, taken, cause))
            return NULL;
    }
    *number = taken->numbers[taken->next++];
    return hb_plan_get_what(run->plan.steps->plan, *number);
}

static const HbStep *take_any(HbRestoreRun *run, HbWorker *worker, HbStepsTaken *taken, guint *number, GError **cause)
{
    return run->options->join ? take_ours(run, worker, taken, number, cause) : take_step(run, worker, taken, number);
}

/* What a worker leaves: what it had taken goes back. FALSE with *error, unless only a connection broke */
static gboolean leave(HbRestoreRun *run, HbWorker *worker, HbStepsTaken *taken, GError *cause, GError **error)
{
    const gboolean is_lost = hb_error_is(cause, HB_ERROR_LOST);

    put_back(run, taken);
    hb_restore_run_give_up(run, worker, taken);
    if (cause == NULL)
        return TRUE;
    if (is_lost)
        g_clear_error(&run->lost);
    g_propagate_error(is_lost ? &run->lost : error, cause);
    g_cond_broadcast(&run->settled);
    return is_lost;
}

/* ---- The walk ---- */

/* Without the lock */
static void carry_out(HbRestoreRun *run, HbWorker *worker, const HbStep *step, guint number, const HbWorkerTask *task,
                      GError **error)
{
    hb_worker_notify_started(worker, task);
    hb_restore_run_step(run, worker, step, error);
    report_step_done(run, worker, step, number);
}

static gboolean work(HbWorker *worker, gpointer data, GError **error)
{
    HbRestoreRun *run = data;
    g_autoptr(GPtrArray) held = g_ptr_array_new_with_free_func(g_free);
    HbStepsTaken taken = {.held = held};
    GError *refusal = NULL;
    gboolean ok = TRUE;
    const HbStep *step;
    guint number;

    g_mutex_lock(&run->lock);
    while (ok && (step = take_any(run, worker, &taken, &number, &refusal)) != NULL) {
        GError *cause = NULL;
        const HbWorkerTask task = describe_task(run, step, number);

        g_mutex_unlock(&run->lock);
        carry_out(run, worker, step, number, &task, &cause);
        g_mutex_lock(&run->lock);
        if (cause != NULL) {
            ok = judge_failure(run, number, cause, error);
        } else {
            run->hosts.own++;
            settle(run, number, HB_STEP_DONE);
        }
    }
    if (!leave(run, worker, &taken, refusal, ok ? error : NULL))
        ok = FALSE;
    if (ok && hb_stop_is_set(run->options->stop) && hb_plan_count_open(run->plan.steps->plan) > 0)
        ok = hb_stop_set_error(error);
    g_mutex_unlock(&run->lock);
    return ok;
}

static gboolean enter(HbWorker *worker, gpointer data, GError **error)
{
    return hb_restore_run_enter(data, worker->session, worker->lost, error);
}

gboolean hb_restore_run_walk(HbRestoreRun *run, GError **error)
{
    const HbWorkers workers = {.engine = run->options->engine,
                               .address = &run->target->address,
                               .jobs = run->options->jobs,
                               .stop = run->options->stop,
                               .observers = run->observers,
                               .enter = enter,
                               .work = work,
                               .data = run};

    hb_observers_begin_phase(run->observers, "restoring", run->plan.steps->cost);
    return hb_workers_run(&workers, error);
}
