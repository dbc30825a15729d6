/* SPDX-License-Identifier: Apache-2.0 */
#include "work/follow/follow_inner.h"

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
    gint waiting;     /* atomic, and so is the next one */
    gint has_failed;
    GError *error; /* the thread's until it has ended */
    GMutex lock;   /* guards what follows, and the result's counts */
    char *position;
    gint64 time_us;
};

static const HbReplay *replay_of(const HbBatchApplier *applier)
{
    return applier->options->engine->replay;
}

/* ---- Drift ---- */

/* "code is A and n is 5" */
static char *describe_key(const HbRowSet *set, const HbChanges *changes, const HbChangedRow *row)
{
    const GArray *places = hb_changes_get_key(changes);
    g_autofree char *key = g_strndup(row->key, row->key_length);
    g_auto(GStrv) values = g_strsplit(key, "\t", (gint)places->len);
    GString *text = g_string_new(NULL);

    for (guint i = 0; i < places->len && values[i] != NULL; i++)
        g_string_append_printf(text, "%s%s is %s", i > 0 ? " and " : "",
                               (const char *)set->columns->pdata[g_array_index(places, guint, i)], values[i]);
    return g_string_free(text, FALSE);
}

static void name_drift(const HbBatchApplier *applier, const HbRowSet *set, const HbChanges *changes,
                       const HbChangedRow *row, gboolean is_missing)
{
    g_autofree char *key = describe_key(set, changes, row);

    hb_observers_note(applier->options->observers, HB_SEVERITY_WARNING,
                      "something else has written to the copy; the next pass compares the table",
                      "%s: the row whose %s %s", set->table, key,
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
        hb_origin_add_changed(applier->options->origin, set->table);
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

/* Where this fails, only the copy knows whether it is noted */
static gboolean note_position(HbBatchApplier *applier, const HbBatch *batch, GError **error)
{
    HbOrigin *origin = applier->options->origin;
    g_autofree char *text = NULL;

    g_free(origin->log_position);
    origin->log_position = g_strdup(batch->position);
    if (origin->loose_until != NULL &&
        applier->options->engine->log->compare(batch->position, origin->loose_until) >= 0)
        hb_origin_set_loose(origin, NULL, NULL);
    text = hb_origin_write(origin);
    applier->is_open = !replay_of(applier)->end(applier->session, text, error);
    return !applier->is_open;
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

static void note_done(HbBatchApplier *applier, const HbBatch *batch)
{
    g_mutex_lock(&applier->lock);
    applier->result->transactions += batch->transactions;
    applier->result->rows += batch->rows;
    if (batch->commits) {
        g_free(applier->position);
        applier->position = g_strdup(batch->position);
        applier->time_us = batch->time_us > 0 ? batch->time_us : applier->time_us;
    }
    g_mutex_unlock(&applier->lock);
}

static void take_batch(HbBatchApplier *applier, HbBatch *batch)
{
    if (applier->error == NULL && apply(applier, batch, &applier->error))
        note_done(applier, batch);
    if (applier->error != NULL)
        g_atomic_int_set(&applier->has_failed, TRUE);
    g_atomic_int_add(&applier->waiting, -1);
    hb_batch_free(batch);
}

static gpointer run(gpointer data)
{
    HbBatchApplier *applier = data;
    HbBatch *batch;

    while ((batch = g_async_queue_pop(applier->queue)) != data)
        take_batch(applier, batch);
    give_up(applier);
    return NULL;
}

static void open_session(HbBatchApplier *applier)
{
    const HbFollowOptions *options = applier->options;

    applier->session = options->engine->connector->open(&options->to, &applier->error);
    if (applier->session != NULL)
        options->enter(options->data, applier->session, &applier->error);
    applier->has_failed = applier->error != NULL;
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
    g_atomic_int_inc(&applier->waiting);
    g_async_queue_push(applier->queue, batch);
}

guint hb_batch_applier_count_waiting(HbBatchApplier *applier)
{
    return (guint)g_atomic_int_get(&applier->waiting);
}

gboolean hb_batch_applier_has_failed(HbBatchApplier *applier)
{
    return g_atomic_int_get(&applier->has_failed);
}

void hb_batch_applier_get_counts(HbBatchApplier *applier, guint64 *rows, guint64 *transactions)
{
    g_mutex_lock(&applier->lock);
    *rows = applier->result->rows;
    *transactions = applier->result->transactions;
    g_mutex_unlock(&applier->lock);
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
