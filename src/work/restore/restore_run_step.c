/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/restore_run_inner.h"

#include "core/sql/lexer.h"
#include "work/restore/load_chunk.h"

#include <string.h>

/*
 * One step, in a worker's session, with the attempts that a passing error deserves. A step of an object is its
 * definition, its owner and perhaps a new password, in one transaction where the server can. Where the role may not
 * give an object away, it first joins the owner, then lends a privilege, and at last keeps the object, and says so:
 * what hangs on it can still be made.
 */

/* Rows of a provider are in the target already; a server that crashed may have lost what it said it had */
static gboolean load_chunk(HbRestoreRun *run, HbWorker *worker, const HbStep *step, GError **error)
{
    if (run->options->dump == NULL)
        return hb_error_set(error, HB_ERROR_STATEMENT, "send the dump again, into a new database",
                            "its rows came, and are not there any more");
    return hb_load_chunk(worker, run->options->dump, step->rows->set, step->chunk,
                         &(HbJournalEntry){step->key, run->hosts.signature}, error) ||
           hb_restore_run_keep_rows(run, step->rows->set, error);
}

#define STATEMENT_LIMIT 400

char *hb_restore_run_hint_statement(const HbDialect *dialect, const char *sql)
{
    g_autofree char *hidden = dialect->hide_secrets(sql);

    if (strlen(hidden) > STATEMENT_LIMIT)
        return g_strdup("a role with the rights can run its statement from the dump's SQL files");
    return g_strdup_printf("a role with the rights can run: %s", hidden);
}

static char *join_definition(const HbStep *step)
{
    const HbObject *object = step->object;

    return g_strconcat(step->sql != NULL ? step->sql : object->definition, object->owner_sql != NULL ? "\n" : NULL,
                       object->owner_sql, NULL);
}

/* One at a time: two sessions cannot change the rights on one schema at once */
static gboolean run_with_lending(HbRestoreRun *run, HbWorker *worker, const HbStep *step)
{
    const HbEngine *engine = run->options->engine;
    g_autofree char *lending =
        engine->dialect->make_lending != NULL ? engine->dialect->make_lending(step->object) : NULL;
    g_autofree char *sql = lending != NULL ? g_strconcat(step->object->definition, "\n", lending, NULL) : NULL;
    gboolean ok = FALSE;

    if (sql == NULL)
        return FALSE;
    g_mutex_lock(&run->privileges);
    ok = engine->journal->run_step(worker->session, sql, step->key, run->hosts.signature, NULL);
    g_mutex_unlock(&run->privileges);
    return ok;
}

/* A role that may not give an object away keeps it, so that what hangs on it can be made */
static gboolean run_without_owner(HbRestoreRun *run, HbWorker *worker, const HbStep *step, GError *cause,
                                  GError **error)
{
    g_autoptr(GError) refusal = cause;
    g_autofree char *message = NULL, *hint = NULL;

    if (!run->options->engine->journal->run_step(worker->session, step->object->definition, step->key,
                                                 run->hosts.signature, error))
        return FALSE;
    message = g_strdup_printf("belongs to %s for now: %s", run->target->info.user, refusal->message);
    hint = hb_restore_run_hint_statement(run->options->engine->dialect, step->object->owner_sql);
    g_mutex_lock(&run->lock);
    hb_restore_result_add(run->result, HB_OUTCOME_REFUSED, step->key, message, hint);
    g_mutex_unlock(&run->lock);
    return TRUE;
}

/* ---- Several objects in one statement ---- */

static void blame(HbRestoreRun *run, const HbStep *step, const HbObject *object, const GError *cause)
{
    const gboolean is_made = hb_error_is(cause, HB_ERROR_CONSTRAINT_VIOLATED);

    g_mutex_lock(&run->lock);
    g_hash_table_add(run->blamed, step->key);
    hb_restore_result_add(run->result, is_made ? HB_OUTCOME_CHANGED : HB_OUTCOME_FAILED, object->identity,
                          cause->message, hb_error_hint(cause));
    g_mutex_unlock(&run->lock);
    if (!run->tentative && !is_made)
        hb_observers_note(run->observers, HB_SEVERITY_ERROR, hb_error_hint(cause), "%s: %s", object->identity,
                          cause->message);
}

/* Did the server refuse what the statement says? Then some of its objects may do without the others */
static gboolean is_refusal(const GError *cause)
{
    return hb_error_is(cause, HB_ERROR_STATEMENT) || hb_error_is(cause, HB_ERROR_EXISTS) ||
           hb_error_is(cause, HB_ERROR_ABSENT);
}

/* Noted under a key of its own, since the step's says that all of them are made. FALSE: *error says why, or, if it is a
 * refusal, it is told, and *refused counts it */
static gboolean run_part(HbRestoreRun *run, HbWorker *worker, const HbStep *step, const HbObject *object,
                         guint *refused, GError **error)
{
    g_autofree char *key = g_strdup_printf("%s by itself", object->identity);
    g_autoptr(GError) cause = NULL;

    if (run->options->engine->journal->run_step(worker->session, object->definition, key, run->hosts.signature,
                                                &cause) ||
        hb_error_is(cause, HB_ERROR_ALREADY_DONE))
        return TRUE;
    if (!is_refusal(cause) && !hb_error_is(cause, HB_ERROR_CONSTRAINT_VIOLATED)) {
        g_propagate_error(error, g_steal_pointer(&cause));
        return FALSE;
    }
    *refused += is_refusal(cause);
    blame(run, step, object, cause);
    return TRUE;
}

/* One that cannot be made must not keep the others from being made: takes the refusal of all of them, and blames who is
 * to blame */
static gboolean run_one_by_one(HbRestoreRun *run, HbWorker *worker, const HbStep *step, GError *refusal, GError **error)
{
    guint refused = 0;
    gboolean ok = run_part(run, worker, step, step->object, &refused, error);

    for (guint i = 0; ok && i < step->joined->len; i++)
        ok = run_part(run, worker, step, step->joined->pdata[i], &refused, error);
    if (!ok || refused == 0) {
        g_error_free(refusal);
        return ok &&
               run->options->engine->journal->run_step(worker->session, NULL, step->key, run->hosts.signature, error);
    }
    g_propagate_error(error, refusal);
    return FALSE;
}

/* ---- One object ---- */

static gboolean run_object(HbRestoreRun *run, HbWorker *worker, const HbStep *step, GError **error)
{
    g_autoptr(GError) refusal = NULL;
    g_autofree char *password_sql = hb_restore_run_renew_password(run, worker->session, step->object, &refusal);
    g_autofree char *definition = join_definition(step);
    g_autofree char *sql = g_strconcat(definition, password_sql != NULL ? "\n" : NULL, password_sql, NULL);
    GError *cause = NULL;

    if (refusal != NULL) {
        g_propagate_error(error, g_steal_pointer(&refusal));
        return FALSE;
    }

    if (run->options->engine->journal->run_step(worker->session, sql, step->key, run->hosts.signature, &cause))
        return TRUE;
    if (hb_error_is(cause, HB_ERROR_RIGHTS) && hb_restore_run_join_owner(run, worker, step)) {
        g_clear_error(&cause);
        if (run->options->engine->journal->run_step(worker->session, sql, step->key, run->hosts.signature, &cause) ||
            run_with_lending(run, worker, step)) {
            g_clear_error(&cause);
            return TRUE;
        }
    }
    if (step->joined != NULL && is_refusal(cause))
        return run_one_by_one(run, worker, step, cause, error);
    if (step->object->owner_sql != NULL && !run->target->info.is_superuser &&
        (hb_error_is(cause, HB_ERROR_RIGHTS) || hb_error_is(cause, HB_ERROR_STATEMENT)))
        return run_without_owner(run, worker, step, cause, error);
    g_propagate_error(error, cause);
    return FALSE;
}

static gboolean run_analyze(HbRestoreRun *run, HbWorker *worker, const HbStep *step, GError **error)
{
    g_autofree char *sql = run->options->engine->dialect->make_analyze_sql(step->table);

    return run->options->engine->journal->run_step(worker->session, sql, step->key, run->hosts.signature, error);
}

static gboolean run_cleanup(HbRestoreRun *run, HbWorker *worker, const HbStep *step, GError **error)
{
    const char *preamble = run->options->engine->dialect->cleanup_preamble;
    g_autofree char *sql = g_strconcat(preamble != NULL ? preamble : "", step->sql, NULL);

    return run->options->engine->journal->run_step(worker->session, sql, step->key, run->hosts.signature, error);
}

static gboolean run_once(HbRestoreRun *run, HbWorker *worker, const HbStep *step, GError **error)
{
    switch (step->type) {
    case HB_STEP_TYPE_CHUNK:
        return load_chunk(run, worker, step, error);
    case HB_STEP_TYPE_LOST_ROWS:
        return hb_error_set(error, HB_ERROR_STATEMENT, NULL, "%s",
                            (const char *)g_hash_table_lookup(run->failed_rows, step->object->identity));
    case HB_STEP_TYPE_CLEANUP:
        return run_cleanup(run, worker, step, error);
    case HB_STEP_TYPE_ANALYZE:
        return run_analyze(run, worker, step, error);
    default:
        return run_object(run, worker, step, error);
    }
}

/* Tries again what failed for a passing reason */
static gboolean run_stubbornly(HbRestoreRun *run, HbWorker *worker, const HbStep *step, GError **error)
{
    for (int attempt = 1;; attempt++) {
        g_autoptr(GError) ours = NULL;

        if (run_once(run, worker, step, &ours))
            return TRUE;
        if (attempt == ATTEMPTS || !hb_error_is(ours, HB_ERROR_RETRY) || hb_stop_is_set(run->options->stop)) {
            g_propagate_error(error, g_steal_pointer(&ours));
            return FALSE;
        }
    }
}

gboolean hb_restore_run_step(HbRestoreRun *run, HbWorker *worker, const HbStep *step, GError **error)
{
    GError *cause = NULL;
    gboolean kept;

    if (!hb_restore_run_is_role_kept(run, worker, step, &kept, error))
        return FALSE;
    if (kept ? hb_restore_run_keep_role(run, worker, step, &cause) : run_stubbornly(run, worker, step, &cause))
        return TRUE;
    if (hb_error_is(cause, HB_ERROR_ALREADY_DONE)) {
        g_error_free(cause);
        return TRUE;
    }
    g_propagate_error(error, cause);
    return FALSE;
}
