/* SPDX-License-Identifier: Apache-2.0 */
#include "work/follow/follow_inner.h"

#include "core/rows/row_difference.h"

#include <string.h>

/* So many rows of a batch that are not what the log said are named one by one */
#define NAMED_MAX 3

struct HbBatchApplier {
    const HbFollowOptions *options;
    HbFollowResult *result;
    GThread *thread;
    GAsyncQueue *queue; /* HbBatch *, or this itself: the end */
    HbSession *session;
    gboolean is_open; /* a transaction of the copy */
    GMutex lock;      /* guards what follows */
    guint waiting;
    char *position;
    gint64 time_us;
    GError *error;
};

static const HbReplay *replay_of(const HbBatchApplier *applier)
{
    return applier->options->engine->replay;
}

/* ---- Drift ---- */

static void name_drift(const HbBatchApplier *applier, const HbRowSet *set, const HbChanges *changes,
                       const HbChangedRow *row, gboolean is_missing)
{
    const GArray *places = hb_changes_get_key(changes);
    g_autofree char *text = g_strndup(row->key, row->key_length), *key = g_strescape(text, NULL);
    g_autoptr(GString) names = g_string_new(NULL);

    for (guint i = 0; i < places->len; i++)
        g_string_append_printf(names, "%s%s", i > 0 ? ", " : "",
                               (const char *)set->columns->pdata[g_array_index(places, guint, i)]);
    hb_observers_note(applier->options->observers, HB_SEVERITY_WARNING,
                      "something else has written to the copy; the next pass compares the table",
                      "%s: the row whose %s is %s %s", set->table, names->str, key,
                      is_missing ? "changed in FROM, and is not in TO" : "came in FROM, and was in TO already");
}

/* Which rows are not what the log said? They are as they were before this part of the batch */
static gboolean find_drift(HbBatchApplier *applier, const HbRowSet *set, const HbChanges *changes, GError **error)
{
    const GPtrArray *list = hb_changes_list(changes);
    guint found = 0;

    for (guint i = 0; i < list->len; i++) {
        const HbChangedRow *row = list->pdata[i];
        gboolean has;
        if (!replay_of(applier)->has_row(applier->session, set, changes, row, &has, error))
            return FALSE;
        if (has == row->was_there)
            continue;
        if (found++ < NAMED_MAX)
            name_drift(applier, set, changes, row, row->was_there);
    }
    if (found > 0)
        hb_origin_add_unaligned(applier->options->origin, set->table);
    applier->result->drifts += found;
    return TRUE;
}

/* ---- A batch ---- */

static const HbRowSet *find_target(const HbBatchApplier *applier, const HbChanges *changes)
{
    return g_hash_table_lookup(applier->options->tables, hb_changes_get_set(changes));
}

static gboolean apply_tables(HbBatchApplier *applier, const HbBatchPart *part, gboolean all_are_loose, GError **error)
{
    for (guint i = 0; i < part->changes->len; i++) {
        const HbChanges *changes = part->changes->pdata[i];
        const HbRowSet *set = find_target(applier, changes);
        const gboolean is_loose = all_are_loose || hb_origin_is_loose(applier->options->origin, set->table);
        if (!replay_of(applier)->apply(applier->session, set, changes, is_loose, error))
            return FALSE;
        g_hash_table_add(applier->result->changed, (gpointer)set);
    }
    return TRUE;
}

static gboolean find_all_drift(HbBatchApplier *applier, const HbBatchPart *part, GError **error)
{
    for (guint i = 0; i < part->changes->len; i++) {
        const HbChanges *changes = part->changes->pdata[i];
        const HbRowSet *set = find_target(applier, changes);
        if (!hb_changes_are_all_gone(changes) && !hb_origin_is_loose(applier->options->origin, set->table) &&
            !find_drift(applier, set, changes, error))
            return FALSE;
    }
    return TRUE;
}

/* What does not meet what it should is named, and then made what the source has */
static gboolean apply_part(HbBatchApplier *applier, const HbBatchPart *part, GError **error)
{
    g_autoptr(GError) ours = NULL;

    if (!replay_of(applier)->mark(applier->session, error))
        return FALSE;
    if (apply_tables(applier, part, FALSE, &ours))
        return TRUE;
    if (!hb_error_is(ours, HB_ERROR_RETRY) && !hb_error_is(ours, HB_ERROR_EXISTS)) {
        g_propagate_error(error, g_steal_pointer(&ours));
        return FALSE;
    }
    return replay_of(applier)->undo(applier->session, error) && find_all_drift(applier, part, error) &&
           apply_tables(applier, part, TRUE, error);
}

static gboolean note_position(HbBatchApplier *applier, const HbBatch *batch, GError **error)
{
    HbOrigin *origin = applier->options->origin;
    g_autofree char *text = NULL, *before = g_steal_pointer(&origin->log_position);

    origin->log_position = g_strdup(batch->position);
    if (origin->loose_until != NULL &&
        applier->options->engine->log->compare(batch->position, origin->loose_until) >= 0)
        hb_origin_set_loose(origin, NULL, NULL);
    text = hb_origin_write(origin);
    if (replay_of(applier)->end(applier->session, text, error)) {
        applier->is_open = FALSE;
        return TRUE;
    }
    g_free(origin->log_position);
    origin->log_position = g_steal_pointer(&before);
    return FALSE;
}

static void give_up(HbBatchApplier *applier)
{
    if (applier->is_open)
        replay_of(applier)->abandon(applier->session);
    applier->is_open = FALSE;
}

static gboolean apply(HbBatchApplier *applier, const HbBatch *batch, GError **error)
{
    if (batch->gives_up)
        give_up(applier);
    if (!applier->is_open && !replay_of(applier)->begin(applier->session, applier->options->is_quiet, error))
        return FALSE;
    applier->is_open = TRUE;
    for (guint i = 0; i < batch->parts->len; i++) {
        if (!apply_part(applier, batch->parts->pdata[i], error))
            return FALSE;
    }
    return !batch->commits || note_position(applier, batch, error);
}

/* ---- The thread ---- */

static void note_done(HbBatchApplier *applier, const HbBatch *batch, GError *error)
{
    g_mutex_lock(&applier->lock);
    applier->waiting--;
    if (error != NULL && applier->error == NULL)
        applier->error = error;
    else
        g_clear_error(&error);
    if (applier->error == NULL && batch->commits) {
        g_free(applier->position);
        applier->position = g_strdup(batch->position);
        applier->time_us = batch->time_us > 0 ? batch->time_us : applier->time_us;
    }
    if (applier->error == NULL) {
        applier->result->transactions += batch->transactions;
        applier->result->rows += batch->rows;
    }
    g_mutex_unlock(&applier->lock);
}

static gpointer run(gpointer data)
{
    HbBatchApplier *applier = data;
    HbBatch *batch;

    while ((batch = g_async_queue_pop(applier->queue)) != data) {
        GError *error = NULL;
        if (!hb_batch_applier_has_failed(applier))
            apply(applier, batch, &error);
        note_done(applier, batch, error);
        hb_batch_free(batch);
    }
    give_up(applier);
    return NULL;
}

static void open_session(HbBatchApplier *applier)
{
    const HbFollowOptions *options = applier->options;

    applier->session = options->engine->connector->open(&options->to, &applier->error);
    if (applier->session != NULL)
        options->enter(options->data, applier->session, &applier->error);
}

HbBatchApplier *hb_batch_applier_start(const HbFollowOptions *options, HbFollowResult *result)
{
    HbBatchApplier *applier = g_new0(HbBatchApplier, 1);

    applier->options = options;
    applier->result = result;
    applier->queue = g_async_queue_new();
    g_mutex_init(&applier->lock);
    open_session(applier);
    applier->thread = g_thread_new("apply", run, applier);
    return applier;
}

void hb_batch_applier_push(HbBatchApplier *applier, HbBatch *batch)
{
    g_mutex_lock(&applier->lock);
    applier->waiting++;
    g_mutex_unlock(&applier->lock);
    g_async_queue_push(applier->queue, batch);
}

guint hb_batch_applier_count_waiting(HbBatchApplier *applier)
{
    guint waiting;

    g_mutex_lock(&applier->lock);
    waiting = applier->waiting;
    g_mutex_unlock(&applier->lock);
    return waiting;
}

gboolean hb_batch_applier_has_failed(HbBatchApplier *applier)
{
    gboolean failed;

    g_mutex_lock(&applier->lock);
    failed = applier->error != NULL;
    g_mutex_unlock(&applier->lock);
    return failed;
}

char *hb_batch_applier_get_position(HbBatchApplier *applier, gint64 *time_us)
{
    char *position;

    g_mutex_lock(&applier->lock);
    position = g_strdup(applier->position);
    *time_us = applier->time_us;
    g_mutex_unlock(&applier->lock);
    return position;
}

gboolean hb_batch_applier_finish(HbBatchApplier *applier, GError **error)
{
    gboolean ok;

    g_async_queue_push(applier->queue, applier);
    g_thread_join(applier->thread);
    applier->options->engine->connector->close(applier->session);
    g_async_queue_unref(applier->queue);
    g_mutex_clear(&applier->lock);
    g_free(applier->position);
    ok = applier->error == NULL;
    if (!ok)
        g_propagate_error(error, applier->error);
    g_free(applier);
    return ok;
}
