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

#define ASK_EVERY_US (200 * G_TIME_SPAN_MILLISECOND)
#define ASK_PART     50 /* asking may take one of so many parts of the time */
#define LEAVE_MS     200

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
    run->claim = hb_claim_join(run->options->engine, &run->target->address, run->options->stop, run->options->observers,
                               &run->hosts.begins, error);
    return run->claim != NULL && hb_restore_run_with_session(run, prepare, error);
}

/* ---- Steps ---- */

gboolean hb_restore_run_hold_step(HbRestoreRun *run, HbSession *session, const HbStep *step, gboolean *ours,
                                  GError **error)
{
    const HbEngine *engine = run->options->engine;
    gboolean noted;

    *ours = TRUE;
    if (!run->options->join)
        return TRUE;
    if (!engine->connector->lock_name(session, step->key, ours, error))
        return FALSE;
    if (!*ours)
        return TRUE;
    if (!engine->journal->has_step(session, step->key, &noted, error))
        return FALSE;
    *ours = !noted;
    if (noted)
        hb_restore_run_give_step(run, session, step);
    return TRUE;
}

/* A session that cannot give the lock back has lost it */
void hb_restore_run_give_step(HbRestoreRun *run, HbSession *session, const HbStep *step)
{
    if (run->options->join)
        run->options->engine->connector->unlock_name(session, step->key, NULL);
}

/* A worker that takes one of them again finds it in the journal, or tries for its lock */
static void take_up(HbRestoreRun *run)
{
    for (guint i = 0; i < run->hosts.elsewhere->len; i++)
        hb_plan_put_back(run->plan.steps->plan, g_array_index(run->hosts.elsewhere, guint, i));
    g_array_set_size(run->hosts.elsewhere, 0);
    g_cond_broadcast(&run->settled);
}

static gboolean ask_journal(HbRestoreRun *run, HbWorker *worker)
{
    GHashTable *journal;
    GError *error = NULL;

    g_mutex_unlock(&run->lock);
    journal = run->options->engine->journal->read(worker->session, &error);
    g_mutex_lock(&run->lock);
    if (journal == NULL) {
        g_clear_error(&run->lost);
        run->lost = error;
        g_cond_broadcast(&run->settled);
        return FALSE;
    }
    g_clear_pointer(&run->journal, g_hash_table_unref);
    run->journal = journal;
    return TRUE;
}

void hb_restore_run_ask_hosts(HbRestoreRun *run, HbWorker *worker)
{
    const gint64 now = g_get_monotonic_time();

    if (run->hosts.is_asking || now < run->hosts.ask_at) {
        g_cond_wait_until(&run->settled, &run->lock,
                          MIN(MAX(run->hosts.ask_at, now + ASK_EVERY_US / 4), now + G_TIME_SPAN_SECOND));
        return;
    }
    run->hosts.is_asking = TRUE;
    if (ask_journal(run, worker))
        take_up(run);
    run->hosts.is_asking = FALSE;
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
