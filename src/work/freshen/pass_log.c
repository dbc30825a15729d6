/* SPDX-License-Identifier: Apache-2.0 */
#include "work/freshen/pass_inner.h"

#include "work/follow/silence.h"

#include <string.h>

/*
 * Where the source keeps its log for the copy, the tables that the log tells about are not compared: their changes are
 * read. Up to the source's moment if the pass is one; until somebody says so if it keeps up. Tables that are not
 * aligned with the log are compared first, in a pass that does not read it; the changes that the log has of them up to
 * that moment may then be in already.
 */

/* ---- Can it be read? ---- */

/* As TO has it by now: one that is being kept up gets on while we look, and FROM forgets what TO has. The caller's */
static char *find_position(const HbPass *pass)
{
    const HbOrigin *before = pass->options.origin;
    g_autoptr(HbOrigin) origin = NULL;

    hb_origin_recall(pass->options.to.engine, &pass->options.to.to, &origin, NULL);
    return g_strdup(origin != NULL && g_strcmp0(origin->log_name, before->log_name) == 0 ? origin->log_position
                                                                                         : before->log_position);
}

static gboolean find_logged(const HbPass *pass, HbSession *session, GHashTable *logged, GPtrArray *unlogged,
                            GError **error)
{
    const HbLog *log = pass->options.from.engine->log;
    const HbOrigin *origin = pass->options.origin;
    g_autoptr(GArray) kept = log->list(session, origin->log_name, error);
    g_autofree char *position = kept != NULL ? find_position(pass) : NULL;

    return kept != NULL && hb_kept_logs_check(kept, origin->log_name, position, log->compare, error) &&
           log->find_tables(session, origin->log_name, pass->manifest->catalog, logged, unlogged, error);
}

/* In a session of its own: those of the source are in its snapshot */
static gboolean look_at_log(const HbPass *pass, GHashTable *logged, GPtrArray *unlogged, GError **error)
{
    const HbConnector *connector = pass->options.from.engine->connector;
    HbSession *session = connector->open(&pass->options.from.from, error);
    const gboolean ok = session != NULL && find_logged(pass, session, logged, unlogged, error);

    connector->close(session);
    return ok;
}

/* ---- Which tables follow it ---- */

static gboolean is_unaligned(const HbPass *pass, const char *table)
{
    return g_ptr_array_find_with_equal_func(pass->options.origin->unaligned, table, g_str_equal, NULL);
}

/* Is there any that the log tells about? */
static gboolean are_some_unaligned(const HbPass *pass)
{
    const GPtrArray *from = hb_catalog_get_row_sets(pass->manifest->catalog),
                    *wanted = hb_catalog_get_row_sets(pass->wanted);

    for (guint i = 0; i < from->len; i++) {
        if (g_hash_table_contains(pass->logged, from->pdata[i]) &&
            is_unaligned(pass, ((const HbRowSet *)wanted->pdata[i])->table))
            return TRUE;
    }
    return FALSE;
}

static gboolean has_log(const HbPass *pass)
{
    const HbOrigin *origin = pass->options.origin;

    return origin != NULL && origin->log_name != NULL && pass->source != NULL && pass->options.from.engine->log != NULL;
}

static gboolean refuse_without_log(const HbPass *pass, GError **error)
{
    if (pass->options.by != HB_PASS_BY_LOG)
        return TRUE;
    return hb_error_set(error, HB_ERROR_BLOCKED,
                        "make the copy with dump or carry --keep-log; or freshen it once with --keep-log",
                        "FROM keeps no log for this copy");
}

static void tell_unlogged(const HbPass *pass, const GPtrArray *unlogged)
{
    for (guint i = 0; i < unlogged->len; i++) {
        const HbOmission *one = unlogged->pdata[i];
        hb_observers_note(pass->options.from.observers, HB_SEVERITY_DETAIL, NULL,
                          "%s is compared: the log cannot tell its changes (%s)", one->what, one->why);
    }
    if (unlogged->len > 0)
        hb_observers_note(pass->options.from.observers, HB_SEVERITY_NOTE, "--verbose says which, and why",
                          "tables that are compared, because the log cannot tell their changes: %u", unlogged->len);
}

/* What the log cannot be read for is compared, unless the log was asked for */
static gboolean fall_back(const HbPass *pass, GError *cause, GError **error)
{
    if (pass->options.by == HB_PASS_BY_LOG ||
        !(hb_error_is(cause, HB_ERROR_BLOCKED) || hb_error_is(cause, HB_ERROR_RIGHTS))) {
        g_propagate_error(error, cause);
        return FALSE;
    }
    hb_observers_note(pass->options.from.observers, HB_SEVERITY_WARNING, hb_error_hint(cause),
                      "%s; all tables are compared", cause->message);
    g_error_free(cause);
    return TRUE;
}

gboolean hb_pass_choose_logged(HbPass *pass, GError **error)
{
    g_autoptr(GPtrArray) unlogged = g_ptr_array_new_with_free_func(hb_omission_free);
    GError *cause = NULL;

    if (!has_log(pass))
        return refuse_without_log(pass, error);
    pass->logged = g_hash_table_new(NULL, NULL);
    pass->compares_logged = TRUE;
    if (!look_at_log(pass, pass->logged, unlogged, &cause)) {
        g_hash_table_remove_all(pass->logged);
        return fall_back(pass, cause, error);
    }
    pass->follows = pass->options.by != HB_PASS_BY_ROWS && !are_some_unaligned(pass);
    pass->compares_logged = !pass->follows;
    pass->leaves_log = !pass->follows && pass->options.by != HB_PASS_BY_ROWS;
    if (pass->follows)
        tell_unlogged(pass, unlogged);
    return TRUE;
}

gboolean hb_pass_takes_from_log(HbPass *pass, const HbRowSet *from, const HbRowSet *to)
{
    if (pass->logged == NULL || !g_hash_table_contains(pass->logged, from))
        return FALSE;
    if (!pass->follows)
        return pass->leaves_log && !is_unaligned(pass, to->table);
    g_hash_table_insert(pass->followed, (gpointer)from, (gpointer)to);
    return TRUE;
}

/* ---- Following ---- */

typedef struct {
    const HbPass *pass;
    HbRestoreRun *run;
} Entering;

static gboolean enter(gpointer data, HbSession *session, GError **error)
{
    const Entering *entering = data;

    return hb_restore_run_enter(entering->run, session, FALSE, error);
}

/* What the run has written by now. Tables that are not followed will not be as they were at the log's position */
static HbOrigin *recall(const HbPass *pass, HbRestoreRun *run, GError **error)
{
    const HbEngine *engine = pass->options.to.engine;
    HbSession *session = engine->connector->open(hb_restore_run_get_address(run), error);
    HbOrigin *origin = NULL;

    if (session != NULL && hb_origin_recall_in(engine, session, &origin, error) && origin == NULL)
        hb_error_set(error, HB_ERROR_BLOCKED, NULL, "TO has lost what it remembers of its source");
    engine->connector->close(session);
    for (guint i = 0; origin != NULL && i < pass->unfollowed->len; i++)
        hb_origin_add_unaligned(origin, pass->unfollowed->pdata[i]);
    return origin;
}

/* Triggers that act whatever a session says would change what the source has made already */
static gboolean check_tables(const HbPass *pass, HbRestoreRun *run, GError **error)
{
    const HbEngine *engine = pass->options.to.engine;
    HbSession *session = engine->connector->open(hb_restore_run_get_address(run), error);
    gboolean ok = session != NULL;
    GHashTableIter iter;
    gpointer set;

    g_hash_table_iter_init(&iter, pass->followed);
    while (ok && !pass->is_quiet && g_hash_table_iter_next(&iter, NULL, &set))
        ok = engine->replay->check(session, set, error);
    engine->connector->close(session);
    return ok;
}

/* The log is to come to the source's moment, also if nobody writes any more */
static gboolean see_to_end(const HbPass *pass, GError **error)
{
    const HbEngine *engine = pass->options.from.engine;
    HbSession *session = engine->connector->open(&pass->options.from.from, error);
    g_autofree char *end = session != NULL ? engine->log->find_end(session, error) : NULL;

    engine->connector->close(session);
    return end != NULL;
}

static void tell_followed(const HbPass *pass)
{
    hb_observers_note(pass->options.to.observers, HB_SEVERITY_NOTE, NULL,
                      "followed the log for %.0f s: %" G_GUINT64_FORMAT " changes, %" G_GUINT64_FORMAT " transactions",
                      pass->follow.seconds, pass->follow.rows, pass->follow.transactions);
}

gboolean hb_pass_follow(HbPass *pass, HbRestoreRun *run, gboolean keeps_up, GError **error)
{
    const Entering entering = {pass, run};
    const gint64 start_us = g_get_monotonic_time();
    g_autoptr(HbOrigin) origin = NULL;
    gboolean ok;
    HbFollowOptions options = {.engine = pass->options.from.engine,
                               .from = pass->options.from.from,
                               .to = *hb_restore_run_get_address(run),
                               .tables = pass->followed,
                               .until = keeps_up ? NULL : pass->manifest->snapshot_position,
                               .until_lag_s = keeps_up ? pass->options.until_lag_s : 0,
                               .is_quiet = pass->is_quiet,
                               .enter = enter,
                               .data = (gpointer)&entering,
                               .stop = pass->options.to.stop,
                               .observers = pass->options.to.observers};

    if (!pass->follows)
        return TRUE;
    origin = recall(pass, run, error);
    if (origin == NULL || !check_tables(pass, run, error) || !see_to_end(pass, error))
        return FALSE;
    options.origin = origin;
    hb_observers_begin_phase(options.observers, "following the log", 0);
    ok = hb_follow_run(&options, &pass->follow, error);
    pass->follow.seconds = (double)(g_get_monotonic_time() - start_us) / G_USEC_PER_SEC;
    if (keeps_up)
        tell_followed(pass);
    return ok;
}

gboolean hb_pass_find_unread(const HbPass *pass, char **table, GError **error)
{
    const HbEngine *engine = pass->options.from.engine;
    g_autoptr(GPtrArray) sets = g_ptr_array_new();
    g_autoptr(HbOrigin) origin = NULL;
    GHashTableIter iter;
    gpointer set;

    *table = NULL;
    if (!pass->follows)
        return TRUE;
    if (!hb_origin_recall(engine, &pass->options.to.to, &origin, error))
        return FALSE;
    if (origin == NULL || origin->log_name == NULL)
        return hb_error_set(error, HB_ERROR_BLOCKED, NULL, "TO has lost what it remembers of FROM's log");
    g_hash_table_iter_init(&iter, pass->followed);
    while (g_hash_table_iter_next(&iter, &set, NULL))
        g_ptr_array_add(sets, set);
    return hb_log_find_unread(engine, &pass->options.from.from, origin->log_name, origin->log_position, sets,
                              pass->options.from.stop, table, error);
}
