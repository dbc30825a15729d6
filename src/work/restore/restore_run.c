/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/restore_run_inner.h"

#include <string.h>

gboolean hb_restore_run_read_keys(HbRestoreRun *run, HbSession *session, GError **error)
{
    g_clear_pointer(&run->journal, g_hash_table_unref);
    run->journal = run->options->engine->journal->read(session, error);
    return run->journal != NULL;
}

/* Acts in a session of its own, outside of the workers */
gboolean hb_restore_run_with_session(HbRestoreRun *run, gboolean (*act)(HbRestoreRun *, HbSession *, GError **),
                                     GError **error)
{
    HbSession *session = run->options->engine->connector->open(&run->target->address, error);
    gboolean ok;

    if (session == NULL)
        return FALSE;
    ok = act(run, session, error);
    run->options->engine->connector->close(session);
    return ok;
}

gboolean hb_restore_run_make_steps(HbRestoreRun *run, GError **error)
{
    const HbRestoreOptions *options = run->options;
    const HbRestorePlanOptions wishes = {.cleanup = run->decision->cleanup,
                                         .analyze = options->analyze,
                                         .in_order = options->jobs == 1,
                                         .before_rows = run->plan.before_rows,
                                         .failed_rows = run->failed_rows};

    g_clear_pointer(&run->plan.steps, hb_restore_plan_free);
    run->plan.steps = hb_restore_plan_new(run->manifest, options->engine, &wishes, error);
    if (run->plan.steps != NULL && options->join)
        hb_restore_run_forget_hosts(run);
    return run->plan.steps != NULL;
}

HbRestoreRun *hb_restore_run_new(const HbRestoreOptions *options, HbManifest *manifest, const HbRestoreTarget *target,
                                 const HbRestoreDecision *decision, GError **error)
{
    HbRestoreRun *run = g_new0(HbRestoreRun, 1);

    run->options = options;
    run->manifest = manifest;
    run->target = target;
    run->decision = decision;
    run->observers = options->observers;
    run->tentative = options->tentative;
    run->journal = decision->is_resumed ? g_hash_table_ref(target->journal) : NULL;
    g_mutex_init(&run->lock);
    g_mutex_init(&run->privileges);
    g_cond_init(&run->settled);
    run->password_file = -1;
    run->hosts.elsewhere = g_array_new(FALSE, FALSE, sizeof(guint));
    run->kept = g_hash_table_new(g_str_hash, g_str_equal);
    run->blamed = g_hash_table_new(g_str_hash, g_str_equal);
    run->joined = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    run->failed_rows = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    run->complaints = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    if (!hb_restore_run_make_steps(run, error))
        g_clear_pointer(&run, hb_restore_run_free);
    return run;
}

void hb_restore_run_free(HbRestoreRun *run)
{
    if (run == NULL)
        return;
    hb_claim_release(run->claim);
    hb_restore_plan_free(run->plan.steps);
    hb_restore_plan_free(run->plan.after_rows);
    g_clear_pointer(&run->plan.ahead, g_hash_table_unref);
    g_clear_pointer(&run->done_earlier, g_hash_table_unref);
    g_clear_pointer(&run->journal, g_hash_table_unref);
    g_hash_table_unref(run->kept);
    g_hash_table_unref(run->blamed);
    g_hash_table_unref(run->joined);
    g_hash_table_unref(run->failed_rows);
    g_hash_table_unref(run->complaints);
    g_clear_pointer(&run->role_differences, g_ptr_array_unref);
    hb_restore_run_close_passwords(run);
    g_clear_error(&run->lost);
    g_array_unref(run->hosts.elsewhere);
    g_free(run->hosts.signature);
    g_free(run->hosts.told);
    g_mutex_clear(&run->lock);
    g_mutex_clear(&run->privileges);
    g_cond_clear(&run->settled);
    g_free(run);
}

const HbRestorePlan *hb_restore_run_get_plan(const HbRestoreRun *run)
{
    return run->plan.steps;
}

const HbServerInfo *hb_restore_run_get_target(const HbRestoreRun *run)
{
    return &run->target->info;
}

/* ---- The whole ---- */

/* Between the look at the target and the hold on it, another run may have ended */
static gboolean check_unfinished(HbRestoreRun *run, HbSession *session, GError **error)
{
    g_autofree char *dump_id = NULL;

    if (!run->options->engine->journal->find(session, &dump_id, error))
        return FALSE;
    return dump_id != NULL ||
           hb_error_set(error, HB_ERROR_BLOCKED, "see with verify whether all of it is there",
                        "database %s holds no unfinished restore any more: another run has ended it, or the server has "
                        "lost its beginning in a crash",
                        run->target->database);
}

/* What the journal says once nothing is left that broke off */
gboolean hb_restore_run_settle_keys(HbRestoreRun *run, HbSession *session, GError **error)
{
    const HbJournal *journal = run->options->engine->journal;

    return check_unfinished(run, session, error) &&
           (journal->empty_broken == NULL || journal->empty_broken(session, error)) &&
           hb_restore_run_read_keys(run, session, error) && hb_restore_run_mend_unlogged(run, session, error);
}

gboolean hb_restore_run_prepare_journal(HbRestoreRun *run, HbSession *session, GError **error)
{
    if ((run->options->parts & HB_PART_USERS) && !hb_restore_run_compare_roles(run, session, error))
        return FALSE;
    if (!hb_restore_run_open_passwords(run, error))
        return FALSE;
    if (run->decision->replaces_unfinished && !run->options->engine->journal->end(session, error))
        return FALSE;
    if (!run->decision->is_resumed)
        return run->options->engine->journal->begin(session, run->manifest->id, error) &&
               hb_restore_decision_note(run->decision, run->options, run->manifest, session, error) &&
               hb_restore_run_mark_origin(run, session, FALSE, error);
    if (!hb_restore_run_settle_keys(run, session, error))
        return FALSE;
    run->done_earlier = g_hash_table_ref(run->journal);
    return g_hash_table_contains(run->journal, HB_RESTORE_DECISION) ||
           hb_restore_decision_note(run->decision, run->options, run->manifest, session, error);
}

gboolean hb_restore_run_end_in_session(HbRestoreRun *run, HbSession *session, GError **error)
{
    return hb_restore_run_mark_origin(run, session, TRUE, error) && run->options->engine->journal->end(session, error);
}

static gboolean prepare_target(HbRestoreRun *run, GError **error)
{
    const HbRestoreOptions *options = run->options;
    gboolean created = FALSE;
    GHashTable *properties = hb_catalog_get_properties(run->manifest->catalog);

    if (!run->target->exists &&
        !options->engine->target->create_database(&run->target->address, properties, &created, error))
        return FALSE;
    if (options->join)
        return hb_restore_run_join_hosts(run, error);
    run->claim = hb_claim_take(options->engine, &run->target->address, options->whole_server, options->stop,
                               options->observers, error);
    return run->claim != NULL && hb_restore_run_with_session(run, hb_restore_run_prepare_journal, error);
}

void hb_restore_run_forget_exceptions(HbRestoreRun *run)
{
    g_hash_table_remove_all(run->kept);
    g_hash_table_remove_all(run->blamed);
    g_ptr_array_set_size(run->result->exceptions, 0);
    hb_restore_run_list_changes(run);
}

gboolean hb_restore_run_enter(const HbRestoreRun *run, HbSession *session, gboolean lost, GError **error)
{
    return hb_claim_enter(run->claim, session, lost, error);
}

gboolean hb_restore_run_is_broken(const HbRestoreRun *run)
{
    return g_atomic_int_get(&run->broken);
}

void hb_restore_run_note_broken(HbRestoreRun *run)
{
    g_atomic_int_set(&run->broken, TRUE);
}

/* Lost sessions may still hold on the server what we want */
static gboolean read_and_mend(HbRestoreRun *run, HbSession *session, GError **error)
{
    if (!hb_restore_run_enter(run, session, TRUE, error))
        return FALSE;
    if (run->options->join) /* others are at work: what broke off in them is not to be seen from here */
        return check_unfinished(run, session, error) && hb_restore_run_read_keys(run, session, error);
    return hb_restore_run_settle_keys(run, session, error);
}

static gboolean try_journal(gpointer run, GError **error)
{
    return hb_restore_run_with_session(run, read_and_mend, error);
}

/*
 * After a broken connection only the journal knows what is done. A step that was committed may be unknown to us, and if
 * the server crashed, the last commits that we know of may be gone: commits do not wait for the disk until the end.
 */
static gboolean start_over_from_journal(HbRestoreRun *run, GError **error)
{
    g_autoptr(GError) last = NULL;

    hb_restore_run_note_broken(run);
    if (hb_stop_retry(run->options->stop, try_journal, run, &last)) {
        g_clear_error(&run->lost);
        hb_restore_run_forget_exceptions(run);
        return hb_restore_run_make_steps(run, error);
    }
    if (hb_stop_is_set(run->options->stop))
        return hb_stop_set_error(error);
    g_propagate_error(error,
                      hb_error_is(last, HB_ERROR_BLOCKED) ? g_steal_pointer(&last) : g_steal_pointer(&run->lost));
    return FALSE;
}

/* A server that comes back must let us get on: so many lost connections without a step between them are too many */
static gboolean walk_stubbornly(HbRestoreRun *run, GError **error)
{
    guint rounds = 0, done = 0;

    for (;;) {
        if (!hb_restore_run_walk(run, error))
            return FALSE;
        if (run->lost == NULL)
            return TRUE;
        hb_observers_note(run->observers, HB_SEVERITY_NOTE, NULL, "%s; opening the connection again",
                          run->lost->message);
        if (!start_over_from_journal(run, error))
            return FALSE;
        rounds = g_hash_table_size(run->journal) > done ? 0 : rounds + 1;
        done = MAX(done, g_hash_table_size(run->journal));
        if (rounds == ATTEMPTS)
            return hb_error_set(error, HB_ERROR_LOST, "see the server's log for why it drops connections",
                                "the connection to %s breaks again and again", run->target->info.address);
    }
}

/* Rows of a provider come once: what the journal has of them must be there whatever happens to the server afterwards */
static gboolean reread_journal(HbRestoreRun *run, HbSession *session, GError **error)
{
    return run->options->engine->journal->settle(session, error) && hb_restore_run_read_keys(run, session, error);
}

static gboolean try_settled_journal(gpointer run, GError **error)
{
    return hb_restore_run_with_session(run, reread_journal, error);
}

/* As patient as a walk is: the server may just be coming back */
gboolean hb_restore_run_read_journal(HbRestoreRun *run, GError **error)
{
    return try_settled_journal(run, NULL) || hb_stop_retry(run->options->stop, try_settled_journal, run, error);
}

GPtrArray *hb_restore_run_get_rows(HbRestoreRun *run)
{
    return run->manifest->rows;
}

const HbAddress *hb_restore_run_get_address(const HbRestoreRun *run)
{
    return &run->target->address;
}

void hb_restore_run_fail_rows(HbRestoreRun *run, const HbRowSet *set, const GError *cause)
{
    g_mutex_lock(&run->lock);
    g_hash_table_insert(run->failed_rows, g_strdup(set->identity), g_strdup(cause->message));
    g_mutex_unlock(&run->lock);
}

gboolean hb_restore_run_keep_rows(HbRestoreRun *run, const HbRowSet *set, GError **error)
{
    if (!hb_error_is(*error, HB_ERROR_CONSTRAINT_VIOLATED))
        return FALSE;
    g_mutex_lock(&run->lock);
    if (!g_hash_table_contains(run->complaints, set->identity))
        g_hash_table_insert(run->complaints, g_strdup(set->identity), g_strdup((*error)->message));
    g_mutex_unlock(&run->lock);
    g_clear_error(error);
    return TRUE;
}

/* What is not done yet, as the journal has it by now */
static gboolean walk_on(HbRestoreRun *run, GError **error)
{
    hb_restore_run_forget_exceptions(run);
    return hb_restore_run_read_journal(run, error) && hb_restore_run_make_steps(run, error) &&
           walk_stubbornly(run, error);
}

/*
 * Rows that come once come between two walks: the first makes what must exist before them, and what fails there is told
 * only when the second one has tried it again. The journal knows what the first has done.
 */
static gboolean walk_around_rows(HbRestoreRun *run, GError **error)
{
    const HbRowProvider *provider = run->options->provider;
    const gboolean tentative = run->tentative;

    if (!hb_restore_run_make_steps(run, error))
        return FALSE;
    run->plan.after_rows = g_steal_pointer(&run->plan.steps);
    hb_restore_run_index_ahead(run);
    run->plan.before_rows = TRUE;
    run->tentative = TRUE;
    if (!hb_restore_run_make_steps(run, error) || !walk_stubbornly(run, error) ||
        !provider->load(provider->data, run, error))
        return FALSE;
    run->rows_came = TRUE;
    run->plan.before_rows = FALSE;
    run->tentative = tentative;
    return walk_on(run, error);
}

/* Where rows did not come, all that was to follow them is open, too, though no plan has it yet */
static void count_what_would_follow(HbRestoreRun *run, HbRestoreResult *result)
{
    guint count;

    if (!run->plan.before_rows)
        return;
    run->plan.before_rows = FALSE;
    if (!hb_restore_run_make_steps(run, NULL))
        return;
    count = hb_plan_count(run->plan.steps->plan);
    result->open = MAX(count - MIN(result->done + result->done_before, count), 1);
    result->rows = 0;
    result->bytes = 0;
}

/* Walks once more as the only host, if that is needed to finish */
static gboolean walk_with_hosts(HbRestoreRun *run, GError **error)
{
    gboolean again = FALSE;

    do {
        if (!walk_stubbornly(run, error) || (run->options->join && !hb_restore_run_mend_alone(run, &again, error)))
            return FALSE;
    } while (again);
    return TRUE;
}

static gboolean end_run(HbRestoreRun *run, gboolean ok, gint64 start, GError **error)
{
    HbRestoreResult *result = run->result;
    g_autoptr(GError) taken = NULL;

    if (!ok && !hb_claim_check(run->claim, &taken)) {
        g_clear_error(error);
        g_propagate_error(error, g_steal_pointer(&taken));
    }

    hb_restore_run_list_complaints(run);
    hb_restore_run_list_left_out(run);
    hb_restore_run_list_joined(run);
    if (g_atomic_int_get(&run->broken))
        hb_restore_run_list_unlogged(run);
    hb_restore_run_count_steps(run, result);
    count_what_would_follow(run, result);
    run->is_finished = ok && result->open == 0 && hb_restore_result_count(result, HB_OUTCOME_FAILED) == 0;
    hb_restore_run_list_gone(run);
    if (run->is_finished && run->options->join)
        ok = run->hosts.is_ended || hb_restore_run_leave_hosts(run, error);
    else if (run->is_finished && !run->options->whole_server)
        ok = hb_restore_run_with_session(run, hb_restore_run_end_in_session, error);
    result->seconds = (double)(g_get_monotonic_time() - start) / G_USEC_PER_SEC;
    return ok;
}

gboolean hb_restore_run_start(HbRestoreRun *run, HbRestoreResult *result, GError **error)
{
    const HbRowProvider *provider = run->options->provider;
    gint64 start = g_get_monotonic_time();
    gboolean ok;

    g_assert(run->options->whole_server || run->options->dump != NULL || provider != NULL);
    run->result = result;
    run->rows_came = provider == NULL;
    if (run->decision->is_done) {
        result->done_before = hb_plan_count(run->plan.steps->plan);
        run->is_finished = TRUE;
        return !run->options->remember || hb_restore_run_renew_origin(run, error);
    }
    hb_restore_run_list_changes(run);
    ok = prepare_target(run, error) && (provider != NULL ? walk_around_rows(run, error) : walk_with_hosts(run, error));
    return end_run(run, ok, start, error);
}

gboolean hb_restore_run_go_on(HbRestoreRun *run, gboolean tentative, HbObservers *observers, HbRestoreResult *result,
                              GError **error)
{
    gint64 start = g_get_monotonic_time();

    run->result = result;
    run->tentative = tentative;
    run->observers = observers;
    return end_run(run, walk_on(run, error), start, error);
}

gboolean hb_restore_run_looks_again(const HbRestoreRun *run)
{
    return run->hosts.looks_again;
}

gboolean hb_restore_run_is_finished(const HbRestoreRun *run)
{
    return run->is_finished;
}

/* ---- The journal ---- */

gboolean hb_restore_run_is_noted(const HbRestoreRun *run, const char *key)
{
    return run->journal != NULL && g_hash_table_contains(run->journal, key);
}

static gboolean write_note(HbRestoreRun *run, HbSession *session, GError **error)
{
    return run->options->engine->journal->run_step(session, NULL, run->note, NULL, error) &&
           hb_restore_run_read_keys(run, session, error);
}

gboolean hb_restore_run_note(HbRestoreRun *run, const char *key, GError **error)
{
    run->note = key;
    return hb_restore_run_with_session(run, write_note, error);
}

gboolean hb_restore_run_end_journal(HbRestoreRun *run, GError **error)
{
    return hb_restore_run_with_session(run, hb_restore_run_end_in_session, error);
}
