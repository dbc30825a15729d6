/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/restore_run_inner.h"

#include <string.h>

/*
 * Several hosts on one restore are equal processes, which know of each other only by the target. All make the same
 * plan. A worker takes a step by a lock of the server that lives as long as its session, and then looks into the
 * journal: a step that is not noted while its lock is ours is nobody else's, and was not done. What another host has
 * the lock of is set aside; from time to time the journal says what of that is done, and the rest is tried again, for
 * its host may be gone. The journal is asked so seldom that the asking takes a small part of the time.
 *
 * The first host begins the journal, alone; the last one ends it.
 */

/* The journal's key of what the hosts plan: options that differ would make plans that differ */
#define PLAN_KEY "plan of all hosts"

#define ASK_EVERY_US  (200 * G_TIME_SPAN_MILLISECOND)
#define ASK_PART      50 /* asking may take one of so many parts of the time */
#define LOOK_EVERY_US G_TIME_SPAN_SECOND
#define LEAVE_MS      200

/* How the journal's note on a step begins; the host's name follows */
#define DONE_BY "done by "

/* ---- Beginning ---- */

static char *sum_up_plan(const HbRestoreRun *run)
{
    const GPtrArray *steps = run->plan.steps->steps;
    g_autoptr(GChecksum) sum = g_checksum_new(G_CHECKSUM_SHA256);

    for (guint i = 0; i < steps->len; i++) {
        const HbStep *step = steps->pdata[i];
        if (step->key != NULL)
            g_checksum_update(sum, (const guchar *)step->key, (gssize)strlen(step->key) + 1);
    }
    return g_strdup(g_checksum_get_string(sum));
}

static gboolean set_plan_error(GError **error)
{
    return hb_error_set(error, HB_ERROR_BLOCKED, "give all hosts the same options, and the same version of Hornbeam",
                        "the hosts that restore this dump plan other steps than this one");
}

static gboolean note_plan(HbRestoreRun *run, HbSession *session, GError **error)
{
    g_autofree char *plan = sum_up_plan(run);
    const char *noted = run->journal != NULL ? g_hash_table_lookup(run->journal, PLAN_KEY) : NULL;

    if (noted != NULL)
        return strcmp(noted, plan) == 0 || set_plan_error(error);
    return run->options->engine->journal->run_step(session, NULL, PLAN_KEY, plan, error);
}

/* What was decided before the hold was had is only good if the target is still as it was looked at. FALSE: look again
 */
static gboolean is_as_it_was(HbRestoreRun *run, HbSession *session, gboolean *same, GError **error)
{
    g_autofree char *dump_id = NULL, *example = NULL;

    if (!run->options->engine->journal->find(session, &dump_id, error))
        return FALSE;
    if (dump_id == NULL && !run->options->engine->target->find_content(session, &example, error))
        return FALSE;
    *same = run->decision->is_resumed ? g_strcmp0(dump_id, run->manifest->id) == 0
                                      : run->hosts.begins && dump_id == NULL && example == NULL;
    return TRUE;
}

static gboolean begin(HbRestoreRun *run, HbSession *session, GError **error)
{
    return hb_restore_run_prepare_journal(run, session, error) && note_plan(run, session, error) &&
           hb_claim_share(run->claim, error);
}

static gboolean join(HbRestoreRun *run, HbSession *session, GError **error)
{
    return hb_restore_run_read_keys(run, session, error) && note_plan(run, session, error);
}

static gboolean prepare(HbRestoreRun *run, HbSession *session, GError **error)
{
    gboolean same;

    if (!is_as_it_was(run, session, &same, error))
        return FALSE;
    if (!same) {
        run->hosts.looks_again = TRUE;
        return hb_error_set(error, HB_ERROR_RETRY, NULL, "another host has begun or ended this restore meanwhile");
    }
    return run->hosts.begins ? begin(run, session, error) : join(run, session, error);
}

gboolean hb_restore_run_join_hosts(HbRestoreRun *run, GError **error)
{
    g_autofree char *host = hb_observers_name_host();

    run->hosts.signature = g_strconcat(DONE_BY, host, NULL);
    run->claim = hb_claim_join(run->options->engine, &run->target->address, run->options->stop, run->options->observers,
                               &run->hosts.begins, error);
    return run->claim != NULL && hb_restore_run_with_session(run, prepare, error);
}

/* ---- What the others do ---- */

void hb_restore_run_forget_hosts(HbRestoreRun *run)
{
    g_array_set_size(run->hosts.elsewhere, 0);
    g_free(run->hosts.told);
    run->hosts.told = g_new0(guint8, hb_plan_count(run->plan.steps->plan));
}

gboolean hb_restore_run_tell_host(HbRestoreRun *run, guint number)
{
    const HbStep *step = hb_plan_get_what(run->plan.steps->plan, number);
    const char *note = step->key != NULL && run->journal != NULL ? g_hash_table_lookup(run->journal, step->key) : NULL;

    if (note == NULL || !g_str_has_prefix(note, DONE_BY) || g_strcmp0(note, run->hosts.signature) == 0)
        return FALSE;
    if (!run->hosts.told[number])
        hb_observers_notify(run->observers, &(HbEvent){.type = HB_EVENT_HOST,
                                                       .what = note + strlen(DONE_BY),
                                                       .cost = hb_plan_get_cost(run->plan.steps->plan, number),
                                                       .bytes = step->chunk != NULL ? step->chunk->bytes : 0});
    run->hosts.told[number] = TRUE;
    return TRUE;
}

static gboolean ask_journal(HbRestoreRun *run, const HbWorker *worker)
{
    GHashTable *journal;
    GError *error = NULL;

    run->hosts.is_asking = TRUE;
    g_mutex_unlock(&run->lock);
    journal = run->options->engine->journal->read(worker->session, &error);
    g_mutex_lock(&run->lock);
    run->hosts.is_asking = FALSE;
    if (journal == NULL) {
        g_clear_error(&run->lost);
        run->lost = error;
        g_cond_broadcast(&run->settled);
        return FALSE;
    }
    g_clear_pointer(&run->journal, g_hash_table_unref);
    run->journal = journal;
    for (guint i = 0; i < hb_plan_count(run->plan.steps->plan); i++)
        hb_restore_run_tell_host(run, i);
    return TRUE;
}

/* While this host has steps of its own it looks all the same, so that its view is true */
static void look_at_others(HbRestoreRun *run, const HbWorker *worker)
{
    const gint64 now = g_get_monotonic_time();

    if (run->hosts.is_asking || now < run->hosts.look_at)
        return;
    ask_journal(run, worker);
    run->hosts.look_at = MAX(now + LOOK_EVERY_US, now + (g_get_monotonic_time() - now) * ASK_PART);
}

/* ---- Steps ---- */

static const char *key_of(const HbRestoreRun *run, guint number)
{
    return ((const HbStep *)hb_plan_get_what(run->plan.steps->plan, number))->key;
}

static gboolean swap_locks(HbRestoreRun *run, const HbWorker *worker, const HbStepsTaken *taken, const GPtrArray *keys,
                           HbStepClaim *states, GError **error)
{
    gboolean ok;

    g_mutex_unlock(&run->lock);
    ok = run->options->engine->journal->take_steps(worker->session, taken->held, keys, states, error);
    g_mutex_lock(&run->lock);
    g_ptr_array_set_size(taken->held, 0);
    return ok;
}

/* While a lock is ours, a step that is not noted is nobody else's, and was not done */
static void sort_out(HbRestoreRun *run, HbStepsTaken *taken, const HbStepClaim *states)
{
    const guint count = taken->count;

    taken->count = taken->next = 0;
    for (guint i = 0; i < count; i++) {
        const guint number = taken->numbers[i];
        if (states[i] != HB_CLAIM_ELSEWHERE)
            g_ptr_array_add(taken->held, g_strdup(key_of(run, number)));
        if (states[i] == HB_CLAIM_OURS)
            taken->numbers[taken->count++] = number;
        else
            g_array_append_val(run->hosts.elsewhere, number);
    }
}

gboolean hb_restore_run_claim(HbRestoreRun *run, const HbWorker *worker, HbStepsTaken *taken, GError **error)
{
    g_autoptr(GPtrArray) keys = g_ptr_array_new();
    HbStepClaim states[HB_STEPS_TOGETHER_MAX];

    for (guint i = 0; i < taken->count; i++)
        g_ptr_array_add(keys, (gpointer)key_of(run, taken->numbers[i]));
    if (!swap_locks(run, worker, taken, keys, states, error))
        return FALSE;
    sort_out(run, taken, states);
    look_at_others(run, worker);
    return TRUE;
}

/* A session that cannot give locks back has lost them */
void hb_restore_run_give_up(HbRestoreRun *run, const HbWorker *worker, HbStepsTaken *taken)
{
    g_autoptr(GPtrArray) none = g_ptr_array_new();

    if (taken->held->len > 0)
        swap_locks(run, worker, taken, none, NULL, NULL);
}

/* A worker that takes one of them again finds it in the journal, or tries for its lock */
static void take_up(HbRestoreRun *run)
{
    for (guint i = 0; i < run->hosts.elsewhere->len; i++)
        hb_plan_put_back(run->plan.steps->plan, g_array_index(run->hosts.elsewhere, guint, i));
    g_array_set_size(run->hosts.elsewhere, 0);
    g_cond_broadcast(&run->settled);
}

void hb_restore_run_ask_hosts(HbRestoreRun *run, HbWorker *worker)
{
    const gint64 now = g_get_monotonic_time();

    if (run->hosts.is_asking || now < run->hosts.ask_at) {
        g_cond_wait_until(&run->settled, &run->lock,
                          MIN(MAX(run->hosts.ask_at, now + ASK_EVERY_US / 4), now + G_TIME_SPAN_SECOND));
        return;
    }
    if (ask_journal(run, worker))
        take_up(run);
    run->hosts.ask_at = MAX(now + ASK_EVERY_US, now + (g_get_monotonic_time() - now) * ASK_PART);
}

/* ---- The end ---- */

static gboolean look_for_journal(HbRestoreRun *run, HbSession *session, GError **error)
{
    g_autofree char *dump_id = NULL;

    if (!run->options->engine->journal->find(session, &dump_id, error))
        return FALSE;
    run->hosts.is_ended = g_strcmp0(dump_id, run->manifest->id) != 0;
    return TRUE;
}

/* Waits until no other host is there, or another one has ended the journal: then run->hosts.is_ended */
static gboolean wait_for_others(HbRestoreRun *run, GError **error)
{
    for (;;) {
        gboolean is_last;

        if (!hb_claim_leave(run->claim, &is_last, error) || !hb_restore_run_with_session(run, look_for_journal, error))
            return FALSE;
        if (is_last || run->hosts.is_ended)
            return TRUE;
        if (!hb_stop_sleep(run->options->stop, LEAVE_MS))
            return hb_stop_set_error(error);
    }
}

/*
 * A killed host may have left a part of its rows in a table without transactions. Others must not see it emptied while
 * they work, for they take what is noted of it for done: so each does what else there is, and the last does the rest
 */
gboolean hb_restore_run_mend_alone(HbRestoreRun *run, gboolean *again, GError **error)
{
    *again = FALSE;
    if (!run->hosts.has_broken)
        return TRUE;
    hb_observers_note(run->observers, HB_SEVERITY_NOTE, NULL,
                      "what a host left in tables without transactions is done again by the last host");
    if (!wait_for_others(run, error))
        return FALSE;
    run->hosts.has_broken = FALSE;
    *again = !run->hosts.is_ended;
    if (run->hosts.is_ended)
        return TRUE;
    hb_claim_keep_alone(run->claim);
    hb_restore_run_forget_exceptions(run);
    return hb_restore_run_with_session(run, hb_restore_run_settle_keys, error) && hb_restore_run_make_steps(run, error);
}

/* All steps are noted, so the others are about to leave, too. The last of them ends the journal */
gboolean hb_restore_run_leave_hosts(HbRestoreRun *run, GError **error)
{
    return wait_for_others(run, error) &&
           (run->hosts.is_ended || hb_restore_run_with_session(run, hb_restore_run_end_in_session, error));
}
