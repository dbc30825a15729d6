/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/restore_inner.h"

#include <string.h>

/* ---- Shared ---- */

gboolean hb_restore_read_keys(HbRestore *restore, HbSession *session, GError **error)
{
    g_clear_pointer(&restore->run.journal, g_hash_table_unref);
    restore->run.journal = restore->options.engine->journal->read(session, error);
    return restore->run.journal != NULL;
}

/* Acts in a session of its own, outside of the workers */
gboolean hb_restore_with_session(HbRestore *restore, gboolean (*act)(HbRestore *, HbSession *, GError **),
                                 GError **error)
{
    HbSession *session = restore->options.engine->connector->open(&restore->target.address, error);
    gboolean ok;

    if (session == NULL)
        return FALSE;
    ok = act(restore, session, error);
    restore->options.engine->connector->close(session);
    return ok;
}

/* ---- Life ---- */

static gboolean make_steps(HbRestore *restore, GError **error)
{
    const HbRestoreOptions *options = &restore->options;
    const HbRestorePlanOptions wishes = {.cleanup = restore->decision.cleanup,
                                         .analyze = options->analyze,
                                         .in_order = options->jobs == 1,
                                         .before_rows = restore->plan.before_rows,
                                         .failed_rows = restore->run.failed_rows};

    g_clear_pointer(&restore->plan.steps, hb_restore_plan_free);
    restore->plan.steps = hb_restore_plan_new(restore->manifest, options->engine, &wishes, error);
    return restore->plan.steps != NULL;
}

HbRestore *hb_restore_open(const HbRestoreOptions *options, GError **error)
{
    HbRestore *restore = g_new0(HbRestore, 1);

    restore->options = *options;
    restore->manifest = hb_manifest_copy(options->manifest);
    restore->decision.findings = hb_findings_new();
    restore->decision.pulled_in = g_ptr_array_new_with_free_func(g_free);
    for (guint i = 0; options->pulled_in != NULL && i < options->pulled_in->len; i++)
        g_ptr_array_add(restore->decision.pulled_in, g_strdup(options->pulled_in->pdata[i]));
    restore->options.parts &= restore->manifest->parts;
    restore->target.address = options->to;
    g_mutex_init(&restore->run.lock);
    g_mutex_init(&restore->run.privileges);
    g_cond_init(&restore->run.settled);
    restore->run.password_file = -1;
    restore->run.kept = g_hash_table_new(g_str_hash, g_str_equal);
    restore->run.joined = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    restore->run.failed_rows = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    hb_restore_pick_database(restore);
    if (!hb_restore_check_dump(restore, error) || !hb_restore_inspect_target(restore, error) ||
        !hb_restore_adapt(restore, error) || !make_steps(restore, error))
        g_clear_pointer(&restore, hb_restore_free);
    return restore;
}

void hb_restore_free(HbRestore *restore)
{
    if (restore == NULL)
        return;
    hb_claim_release(restore->run.claim);
    hb_restore_plan_free(restore->plan.steps);
    hb_restore_plan_free(restore->plan.after_rows);
    g_clear_pointer(&restore->plan.ahead, g_hash_table_unref);
    hb_server_info_clear(&restore->target.info);
    g_clear_pointer(&restore->run.done_earlier, g_hash_table_unref);
    g_clear_pointer(&restore->run.journal, g_hash_table_unref);
    g_hash_table_unref(restore->run.kept);
    g_hash_table_unref(restore->run.joined);
    g_hash_table_unref(restore->run.failed_rows);
    g_clear_pointer(&restore->run.role_differences, g_ptr_array_unref);
    hb_roles_close_passwords(restore);
    g_clear_error(&restore->run.lost);
    hb_manifest_free(restore->manifest);
    g_ptr_array_unref(restore->decision.findings);
    g_ptr_array_unref(restore->decision.pulled_in);
    g_clear_pointer(&restore->decision.definitions, g_hash_table_unref);
    hb_target_cleanup_free(restore->decision.cleanup);
    g_free(restore->target.database);
    g_mutex_clear(&restore->run.lock);
    g_mutex_clear(&restore->run.privileges);
    g_cond_clear(&restore->run.settled);
    g_free(restore);
}

const HbServerInfo *hb_restore_get_target(const HbRestore *restore)
{
    return &restore->target.info;
}

const char *hb_restore_get_database(const HbRestore *restore)
{
    return restore->target.database;
}

gboolean hb_restore_is_new_database(const HbRestore *restore)
{
    return !restore->target.exists;
}

gboolean hb_restore_is_carried(const HbRestore *restore)
{
    return restore->options.provider != NULL;
}

gboolean hb_restore_is_resumed(const HbRestore *restore)
{
    return restore->target.is_ours;
}

gboolean hb_restore_is_done_before(const HbRestore *restore)
{
    return restore->target.is_done;
}

const GPtrArray *hb_restore_get_findings(const HbRestore *restore)
{
    return restore->decision.findings;
}

const HbManifest *hb_restore_get_manifest(const HbRestore *restore)
{
    return restore->manifest;
}

const HbRestorePlan *hb_restore_get_steps(const HbRestore *restore)
{
    return restore->plan.steps;
}

gboolean hb_restore_is_blocked(const HbRestore *restore)
{
    return hb_findings_count_open(restore->decision.findings) > 0;
}

gboolean hb_restore_set_blocked_error(const HbRestore *restore, GError **error)
{
    guint count = hb_findings_count_open(restore->decision.findings);
    const HbFinding *first = restore->decision.findings->pdata[0];

    for (guint i = 0; first->accepted; i++)
        first = restore->decision.findings->pdata[i];
    return hb_error_set(error, HB_ERROR_BLOCKED, first->todo, "%s %s; %snothing was written", first->object,
                        first->what, count > 1 ? "there are more blockers; " : "");
}

/* ---- The whole ---- */

/* Between the look at the target and the hold on it, another run may have ended */
static gboolean check_unfinished(HbRestore *restore, HbSession *session, GError **error)
{
    g_autofree char *dump_id = NULL;

    if (!restore->options.engine->journal->find(session, &dump_id, error))
        return FALSE;
    return dump_id != NULL ||
           hb_error_set(error, HB_ERROR_BLOCKED, "see with verify whether all of it is there",
                        "database %s holds no unfinished restore any more: another run has ended it, or the server has "
                        "lost its beginning in a crash",
                        restore->target.database);
}

static gboolean prepare_journal(HbRestore *restore, HbSession *session, GError **error)
{
    if ((restore->options.parts & HB_PART_USERS) && !hb_roles_look(restore, session, error))
        return FALSE;
    if (!hb_roles_open_passwords(restore, error))
        return FALSE;
    if (restore->decision.replaces_unfinished && !restore->options.engine->journal->end(session, error))
        return FALSE;
    if (!restore->target.is_ours)
        return restore->options.engine->journal->begin(session, restore->manifest->id, error) &&
               hb_restore_note_decision(restore, session, error);
    if (!check_unfinished(restore, session, error) || !hb_restore_read_keys(restore, session, error) ||
        !hb_restore_mend_unlogged(restore, session, error))
        return FALSE;
    restore->run.done_earlier = g_hash_table_ref(restore->run.journal);
    return g_hash_table_contains(restore->run.journal, HB_RESTORE_DECISION) ||
           hb_restore_note_decision(restore, session, error);
}

static gboolean end_journal(HbRestore *restore, HbSession *session, GError **error)
{
    return restore->options.engine->journal->end(session, error);
}

static gboolean prepare_target(HbRestore *restore, GError **error)
{
    const HbRestoreOptions *options = &restore->options;
    gboolean created = FALSE;
    GHashTable *properties = hb_catalog_get_properties(restore->manifest->catalog);

    if (!restore->target.exists &&
        !options->engine->target->create_database(&restore->target.address, properties, &created, error))
        return FALSE;
    restore->run.claim = hb_claim_take(options->engine, &restore->target.address, options->whole_server, options->stop,
                                       options->observers, error);
    return restore->run.claim != NULL && hb_restore_with_session(restore, prepare_journal, error);
}

static void forget_exceptions(HbRestore *restore)
{
    g_hash_table_remove_all(restore->run.kept);
    g_ptr_array_set_size(restore->run.result->exceptions, 0);
    hb_restore_list_changes(restore);
}

gboolean hb_restore_enter(const HbRestore *restore, HbSession *session, gboolean lost, GError **error)
{
    return hb_claim_enter(restore->run.claim, session, lost, error);
}

gboolean hb_restore_is_broken(const HbRestore *restore)
{
    return g_atomic_int_get(&restore->run.broken);
}

void hb_restore_note_broken(HbRestore *restore)
{
    g_atomic_int_set(&restore->run.broken, TRUE);
}

/* Lost sessions may still hold on the server what we want */
static gboolean read_and_mend(HbRestore *restore, HbSession *session, GError **error)
{
    return hb_restore_enter(restore, session, TRUE, error) && check_unfinished(restore, session, error) &&
           hb_restore_read_keys(restore, session, error) && hb_restore_mend_unlogged(restore, session, error);
}

static gboolean try_journal(gpointer restore, GError **error)
{
    return hb_restore_with_session(restore, read_and_mend, error);
}

/*
 * After a broken connection only the journal knows what is done. A step that was committed may be unknown to us, and if
 * the server crashed, the last commits that we know of may be gone: commits do not wait for the disk until the end.
 */
static gboolean start_over_from_journal(HbRestore *restore, GError **error)
{
    g_autoptr(GError) last = NULL;

    hb_restore_note_broken(restore);
    if (hb_stop_retry(restore->options.stop, try_journal, restore, &last)) {
        g_clear_error(&restore->run.lost);
        forget_exceptions(restore);
        return make_steps(restore, error);
    }
    if (hb_stop_is_set(restore->options.stop))
        return hb_stop_set_error(error);
    g_propagate_error(error, hb_error_is(last, HB_ERROR_BLOCKED) ? g_steal_pointer(&last)
                                                                 : g_steal_pointer(&restore->run.lost));
    return FALSE;
}

/* A server that comes back must let us get on: so many lost connections without a step between them are too many */
static gboolean walk_stubbornly(HbRestore *restore, GError **error)
{
    guint rounds = 0, done = 0;

    for (;;) {
        if (!hb_restore_walk(restore, error))
            return FALSE;
        if (restore->run.lost == NULL)
            return TRUE;
        hb_observers_note(restore->options.observers, HB_SEVERITY_NOTE, NULL, "%s; opening the connection again",
                          restore->run.lost->message);
        if (!start_over_from_journal(restore, error))
            return FALSE;
        rounds = g_hash_table_size(restore->run.journal) > done ? 0 : rounds + 1;
        done = MAX(done, g_hash_table_size(restore->run.journal));
        if (rounds == ATTEMPTS)
            return hb_error_set(error, HB_ERROR_LOST, "see the server's log for why it drops connections",
                                "the connection to %s breaks again and again", restore->target.info.address);
    }
}

/* Rows of a provider come once: what the journal has of them must be there whatever happens to the server afterwards */
static gboolean reread_journal(HbRestore *restore, HbSession *session, GError **error)
{
    return restore->options.engine->journal->settle(session, error) && hb_restore_read_keys(restore, session, error);
}

static gboolean try_settled_journal(gpointer restore, GError **error)
{
    return hb_restore_with_session(restore, reread_journal, error);
}

/* As patient as a walk is: the server may just be coming back */
gboolean hb_restore_read_journal(HbRestore *restore, GError **error)
{
    return try_settled_journal(restore, NULL) ||
           hb_stop_retry(restore->options.stop, try_settled_journal, restore, error);
}

GPtrArray *hb_restore_get_rows(HbRestore *restore)
{
    return restore->manifest->rows;
}

const HbAddress *hb_restore_get_address(const HbRestore *restore)
{
    return &restore->target.address;
}

void hb_restore_fail_rows(HbRestore *restore, const HbRowSet *set, const GError *cause)
{
    g_mutex_lock(&restore->run.lock);
    g_hash_table_insert(restore->run.failed_rows, g_strdup(set->identity), g_strdup(cause->message));
    g_mutex_unlock(&restore->run.lock);
}

/*
 * Rows that come once come between two walks: the first makes what must exist before them, and what fails there is told
 * only when the second one has tried it again. The journal knows what the first has done.
 */
static gboolean walk_around_rows(HbRestore *restore, GError **error)
{
    const HbRowProvider *provider = restore->options.provider;
    const gboolean tentative = restore->options.tentative;

    if (!make_steps(restore, error))
        return FALSE;
    restore->plan.after_rows = g_steal_pointer(&restore->plan.steps);
    hb_restore_index_ahead(restore);
    restore->plan.before_rows = TRUE;
    restore->options.tentative = TRUE;
    if (!make_steps(restore, error) || !walk_stubbornly(restore, error) ||
        !provider->load(provider->data, restore, error))
        return FALSE;
    restore->run.rows_came = TRUE;
    restore->plan.before_rows = FALSE;
    restore->options.tentative = tentative;
    forget_exceptions(restore);
    return hb_restore_read_journal(restore, error) && make_steps(restore, error) && walk_stubbornly(restore, error);
}

/* Where rows did not come, all that was to follow them is open, too, though no plan has it yet */
static void count_what_would_follow(HbRestore *restore, HbRestoreResult *result)
{
    guint count;

    if (!restore->plan.before_rows)
        return;
    restore->plan.before_rows = FALSE;
    if (!make_steps(restore, NULL))
        return;
    count = hb_plan_count(restore->plan.steps->plan);
    result->open = MAX(count - MIN(result->done + result->done_before, count), 1);
    result->rows = 0;
    result->bytes = 0;
}

static gboolean end_run(HbRestore *restore, gboolean ok, gint64 start, GError **error)
{
    HbRestoreResult *result = restore->run.result;
    g_autoptr(GError) taken = NULL;

    if (!ok && !hb_claim_check(restore->run.claim, &taken)) {
        g_clear_error(error);
        g_propagate_error(error, g_steal_pointer(&taken));
    }

    hb_restore_list_left_out(restore);
    hb_roles_list_joined(restore);
    if (g_atomic_int_get(&restore->run.broken))
        hb_restore_list_unlogged(restore);
    hb_restore_count_steps(restore, result);
    count_what_would_follow(restore, result);
    restore->run.is_finished = ok && result->open == 0 && hb_restore_count_exceptions(result, HB_OUTCOME_FAILED) == 0;
    hb_restore_list_gone(restore);
    if (restore->run.is_finished && !restore->options.whole_server)
        ok = hb_restore_with_session(restore, end_journal, error);
    result->seconds = (double)(g_get_monotonic_time() - start) / G_USEC_PER_SEC;
    return ok;
}

gboolean hb_restore_run(HbRestore *restore, HbRestoreResult *result, GError **error)
{
    gint64 start = g_get_monotonic_time();
    gboolean ok;

    g_assert(restore->options.whole_server || restore->options.dump != NULL || restore->options.provider != NULL);
    result->exceptions = hb_restore_new_exceptions();
    if (hb_restore_is_blocked(restore))
        return hb_restore_set_blocked_error(restore, error);
    restore->run.result = result;
    restore->run.rows_came = restore->options.provider == NULL;
    if (restore->target.is_done) {
        result->done_before = hb_plan_count(restore->plan.steps->plan);
        restore->run.is_finished = TRUE;
        return TRUE;
    }
    hb_restore_list_changes(restore);
    ok = prepare_target(restore, error) &&
         (restore->options.provider != NULL ? walk_around_rows(restore, error) : walk_stubbornly(restore, error));
    return end_run(restore, ok, start, error);
}

gboolean hb_restore_go_on(HbRestore *restore, gboolean tentative, HbObservers *observers, HbRestoreResult *result,
                          GError **error)
{
    gint64 start = g_get_monotonic_time();
    gboolean ok;

    result->exceptions = hb_restore_new_exceptions();
    restore->run.result = result;
    restore->options.tentative = tentative;
    restore->options.observers = observers;
    forget_exceptions(restore);
    ok = hb_restore_read_journal(restore, error) && make_steps(restore, error) && walk_stubbornly(restore, error);
    return end_run(restore, ok, start, error);
}

/* ---- For a whole server ---- */

gboolean hb_restore_is_finished(const HbRestore *restore)
{
    return restore->run.is_finished;
}

gboolean hb_restore_is_whole_server(const HbRestore *restore)
{
    return restore->options.whole_server;
}

gboolean hb_restore_is_noted(const HbRestore *restore, const char *key)
{
    return restore->run.journal != NULL && g_hash_table_contains(restore->run.journal, key);
}

static gboolean write_note(HbRestore *restore, HbSession *session, GError **error)
{
    return restore->options.engine->journal->run_step(session, NULL, restore->run.note, NULL, error) &&
           hb_restore_read_keys(restore, session, error);
}

gboolean hb_restore_note(HbRestore *restore, const char *key, GError **error)
{
    restore->run.note = key;
    return hb_restore_with_session(restore, write_note, error);
}

gboolean hb_restore_close_journal(HbRestore *restore, GError **error)
{
    return hb_restore_with_session(restore, end_journal, error);
}
