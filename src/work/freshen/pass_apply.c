/* SPDX-License-Identifier: Apache-2.0 */
#include "work/freshen/pass_inner.h"

#include "core/rows/key_condition.h"
#include "work/run/block_queue.h"
#include "work/source/fetch_rows.h"
#include "work/source/snapshot_rows.h"

#include <string.h>

/* ---- From one session to another: a thread fetches, the caller's changes ---- */

typedef struct {
    HbRowFetch fetch;
    HbBlockQueue *queue;
    GError *error; /* of fetching */
    GThread *thread;
    HbThrottle *throttle;
    guint64 untold; /* bytes that the throttle does not know of */
    const HbWorker *worker;
    guint64 coming; /* bytes that were told to come, and have not */
    guint64 passed; /* bytes that the observers do not know of */
} Fetcher;

#define TOLD_EVERY_BYTES (1024 * 1024)

static void tell_progress(Fetcher *fetcher, guint64 bytes)
{
    const guint64 cost = MIN(bytes, fetcher->coming);

    hb_worker_notify_advanced(fetcher->worker, cost, bytes);
    fetcher->coming -= cost;
    fetcher->passed = 0;
}

static gboolean pass_on(gpointer data, const char *row, gsize length, GError **error)
{
    Fetcher *fetcher = data;

    (void)error;
    hb_throttle_meter(fetcher->throttle, &fetcher->untold, length, fetcher->fetch.stop);
    hb_block_queue_add(fetcher->queue, row, length, NULL);
    fetcher->passed += length;
    if (fetcher->passed >= TOLD_EVERY_BYTES)
        tell_progress(fetcher, fetcher->passed);
    return TRUE;
}

static gpointer run_fetcher(gpointer data)
{
    Fetcher *fetcher = data;
    const gboolean ok = hb_fetch_rows(&fetcher->fetch, &fetcher->error);

    hb_block_queue_mark(fetcher->queue, ok ? HB_BLOCK_ENDS : HB_BLOCK_BREAKS_OFF, NULL);
    return NULL;
}

/* What broke it off on the source says more than that it broke off */
static gboolean judge(Fetcher *fetcher, gboolean ok, GError **error)
{
    if (fetcher->error == NULL)
        return ok;
    g_clear_error(error);
    g_propagate_error(error, g_steal_pointer(&fetcher->error));
    return FALSE;
}

/* One of those that bring rows: a session on each side */
typedef struct {
    const HbPass *pass;
    HbSession *source; /* in its snapshot */
    const HbWorker *worker;
} Lane;

static gboolean change(const Lane *lane, const HbRowSet *into, const HbPassTable *table, GError **error)
{
    const HbSnapshotSourceOptions *from = &lane->pass->options.from;
    Fetcher fetcher = {.fetch = {.engine = from->engine,
                                 .session = lane->source,
                                 .dump = lane->pass->options.dump,
                                 .stored = hb_pass_find_stored(lane->pass, table->from),
                                 .set = table->from,
                                 .wanted = table->coming,
                                 .stop = from->stop,
                                 .take = pass_on,
                                 .data = &fetcher},
                       .queue = hb_block_queue_new(),
                       .throttle = from->throttle,
                       .worker = lane->worker,
                       .coming = table->bytes};

    fetcher.thread = g_thread_new("fetch", run_fetcher, &fetcher);
    HbBlockReader reader = {.queue = fetcher.queue, .block = hb_block_queue_take(fetcher.queue)};
    const HbRowChange wanted = {table->going == NULL, table->going, hb_block_reader_give, &reader,
                                lane->pass->is_quiet};
    gboolean ok = from->engine->target->change_rows(lane->worker->session, into, &wanted, error);

    hb_block_reader_drain(&reader);
    g_thread_join(fetcher.thread);
    hb_worker_notify_advanced(lane->worker, fetcher.coming, fetcher.passed);
    ok = judge(&fetcher, ok, error);
    hb_block_queue_free(fetcher.queue);
    return ok;
}

/* ---- Steps ---- */

gboolean hb_pass_run_step(const HbPass *pass, HbSession *session, const char *sql, const char *what,
                          const char *identity, GError **error)
{
    g_autofree char *key = g_strdup_printf("%s %s", what, identity);
    g_autoptr(GError) ours = NULL;

    /* noted already: before the connection broke, for which the table is tried again */
    if (pass->options.to.engine->journal->run_step(session, sql, key, NULL, &ours) ||
        hb_error_is(ours, HB_ERROR_ALREADY_DONE))
        return TRUE;
    g_propagate_prefixed_error(error, g_steal_pointer(&ours), "%s: ", identity);
    return FALSE;
}

/* ---- Tables ---- */

static gboolean is_keyless(const HbPassTable *table)
{
    return table->going != NULL && table->going->len > 0 && !hb_key_condition_is_possible(table->to, table->going);
}

/* Rows that cannot be told from others after all come anew, all of them */
static gboolean apply_table(const Lane *lane, const HbRowSet *into, HbPassTable *table, GError **error)
{
    g_autoptr(GError) ours = NULL;

    table->is_done = change(lane, into, table, &ours);
    if (!table->is_done && is_keyless(table) && hb_error_is(ours, HB_ERROR_RETRY)) {
        g_clear_error(&ours);
        g_clear_pointer(&table->going, g_array_unref);
        g_clear_pointer(&table->coming, g_array_unref);
        table->all_anew = TRUE;
        table->is_done = change(lane, into, table, &ours);
    }
    if (ours != NULL)
        g_propagate_error(error, g_steal_pointer(&ours));
    return table->is_done;
}

/* What a table's rows fail for is that table's matter; a lost connection or a stop is everybody's */
static gboolean is_grave(const GError *error)
{
    return hb_error_is(error, HB_ERROR_LOST) || hb_error_is(error, HB_ERROR_CONNECT) ||
           hb_error_is(error, HB_ERROR_CANCELLED);
}

/* Shared by the workers */
typedef struct {
    HbPass *pass;
    HbRestoreRun *run;
    GHashTable *made; /* identities of the source's sets to HbRowSet * of tables that were made by now */
    gint next;        /* atomic: of tables */
} Applying;

/* One of the sessions in the source's snapshot, of which there are as many as workers. NULL: a dump */
static HbSession *find_reader(const HbPass *pass, const HbWorker *worker)
{
    return pass->source != NULL ? pass->source->readers->pdata[worker->number] : NULL;
}

#define ATTEMPTS 3

/* A broken connection is opened again, and the table tried once more: what it had changed was rolled back */
static gboolean apply_stubbornly(const Applying *applying, HbWorker *worker, const HbRowSet *into, HbPassTable *table,
                                 GError **error)
{
    const HbPass *pass = applying->pass;

    for (int attempt = 1;; attempt++) {
        const Lane lane = {pass, find_reader(pass, worker), worker};
        g_autoptr(GError) ours = NULL;

        if (apply_table(&lane, into, table, &ours))
            return TRUE;
        if (!hb_error_is(ours, HB_ERROR_LOST) || attempt == ATTEMPTS || hb_stop_is_set(pass->options.to.stop) ||
            !hb_worker_reopen(worker, NULL)) {
            g_propagate_error(error, g_steal_pointer(&ours));
            return FALSE;
        }
        hb_restore_run_note_broken(applying->run);
    }
}

static gboolean work_on(const Applying *applying, HbWorker *worker, HbPassTable *table, GError **error)
{
    const HbRowSet *into = table->to != NULL ? table->to : g_hash_table_lookup(applying->made, table->from->identity);
    g_autoptr(GError) ours = NULL;

    if (table->refusal != NULL || table->failure != NULL || into == NULL)
        return TRUE;
    hb_worker_notify_started(worker, &(HbWorkerTask){.what = table->table});
    if (!apply_stubbornly(applying, worker, into, table, &ours) && is_grave(ours)) {
        g_propagate_prefixed_error(error, g_steal_pointer(&ours), "%s: ", table->table);
        return FALSE;
    }
    if (ours != NULL && hb_restore_run_keep_rows(applying->run, into, &ours))
        table->is_done = TRUE;
    if (ours != NULL && table->to == NULL) /* whatever hangs on a new table waits for its rows */
        hb_restore_run_fail_rows(applying->run, into, ours);
    else if (ours != NULL)
        table->failure = g_steal_pointer(&ours);
    hb_worker_notify_finished(worker);
    return TRUE;
}

static gboolean work(HbWorker *worker, gpointer data, GError **error)
{
    Applying *applying = data;
    guint at;

    while ((at = (guint)g_atomic_int_add(&applying->next, 1)) < applying->pass->tables->len) {
        if (hb_stop_is_set(applying->pass->options.to.stop))
            return hb_stop_set_error(error);
        if (!work_on(applying, worker, applying->pass->tables->pdata[at], error))
            return FALSE;
    }
    return TRUE;
}

static gboolean enter(HbWorker *worker, gpointer data, GError **error)
{
    return hb_restore_run_enter(((const Applying *)data)->run, worker->session, worker->lost, error);
}

static gboolean apply_all(HbPass *pass, HbRestoreRun *run, GError **error)
{
    const guint readers = pass->source != NULL ? pass->source->readers->len : pass->options.from.jobs;
    const GPtrArray *rows = hb_restore_run_get_rows(run);
    g_autoptr(GHashTable) made = g_hash_table_new(g_str_hash, g_str_equal);
    Applying applying = {pass, run, made, 0};
    const HbWorkers workers = {.engine = pass->options.to.engine,
                               .address = hb_restore_run_get_address(run),
                               .jobs = CLAMP(readers, 1, MAX(pass->tables->len, 1)),
                               .stop = pass->options.to.stop,
                               .observers = pass->options.to.observers,
                               .enter = enter,
                               .work = work,
                               .data = &applying};

    for (guint i = 0; i < rows->len; i++) {
        const HbStoredRows *one = rows->pdata[i];
        g_hash_table_insert(made, one->original->set->identity, (gpointer)one->set);
    }
    return pass->tables->len == 0 || hb_workers_run(&workers, error);
}

/* ---- What follows rows ---- */

/* Identities of the tables that were brought; the caller's */
static GHashTable *list_changed(const HbPass *pass)
{
    GHashTable *changed = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    GHashTableIter iter;
    gpointer set;

    for (guint i = 0; i < pass->tables->len; i++) {
        const HbPassTable *table = pass->tables->pdata[i];
        if (table->is_done)
            g_hash_table_add(changed, hb_identity_new(HB_KIND_TABLE, table->table));
    }
    if (pass->follow.changed != NULL)
        g_hash_table_iter_init(&iter, pass->follow.changed);
    while (pass->follow.changed != NULL && g_hash_table_iter_next(&iter, &set, NULL))
        g_hash_table_add(changed, hb_identity_new(HB_KIND_TABLE, ((const HbRowSet *)set)->table));
    return changed;
}

/* Does it read, by whatever detour, a table that changed? seen: identities, borrowed */
static gboolean reads_changed(const HbPass *pass, const char *identity, GHashTable *changed, GHashTable *seen)
{
    const HbObject *object = hb_catalog_find(pass->wanted, identity);

    if (g_hash_table_contains(changed, identity))
        return TRUE;
    for (guint i = 0; object != NULL && i < object->needs->len; i++) {
        const char *need = object->needs->pdata[i];
        if (g_hash_table_add(seen, (gpointer)need) && reads_changed(pass, need, changed, seen))
            return TRUE;
    }
    return FALSE;
}

static gboolean is_behind(const HbPass *pass, const HbObject *object, GHashTable *changed)
{
    const HbObject *there = hb_catalog_find(pass->target->manifest->catalog, object->identity);
    g_autoptr(GHashTable) seen = NULL;

    if (object->kind == HB_KIND_LARGE_OBJECTS)
        return pass->has_large_objects && (there == NULL || strcmp(there->definition, object->definition) != 0);
    if (object->kind == HB_KIND_SEQUENCE_VALUE)
        return there == NULL || strcmp(there->definition, object->definition) != 0;
    if (object->kind != HB_KIND_REFRESH || there == NULL)
        return FALSE;
    if (hb_restore_replaces_unfinished(pass->restore)) /* it may have changed any table, and have refreshed nothing */
        return TRUE;
    seen = g_hash_table_new(g_str_hash, g_str_equal);
    return reads_changed(pass, object->identity, changed, seen);
}

gboolean hb_pass_has_followers(const HbPass *pass)
{
    g_autoptr(GHashTable) changed = list_changed(pass);

    for (guint i = 0; i < hb_catalog_count(pass->wanted); i++) {
        if (is_behind(pass, hb_catalog_get(pass->wanted, i), changed))
            return TRUE;
    }
    return FALSE;
}

static gboolean follow_one(const HbPass *pass, HbSession *session, const HbObject *object, GError **error)
{
    const HbDialect *dialect = pass->options.to.engine->dialect;
    const HbObject *there = hb_catalog_find(pass->target->manifest->catalog, object->identity);
    g_autofree char *sql = dialect->make_align_sql != NULL ? dialect->make_align_sql(object, there) : NULL;

    return hb_pass_run_step(pass, session, sql != NULL ? sql : object->definition, "follow", object->identity, error);
}

/* In the order of the catalog, in which a view comes after those that it reads */
static gboolean follow(const HbPass *pass, HbSession *session, GError **error)
{
    g_autoptr(GHashTable) changed = list_changed(pass);
    gboolean ok = TRUE;

    for (guint i = 0; i < hb_catalog_count(pass->wanted) && ok; i++) {
        const HbObject *object = hb_catalog_get(pass->wanted, i);
        if (object->kind != HB_KIND_LARGE_OBJECTS && is_behind(pass, object, changed))
            ok = follow_one(pass, session, object, error);
    }
    return ok;
}

/* ---- The whole ---- */

static guint64 count_bytes(const HbPass *pass)
{
    guint64 bytes = 0;

    for (guint i = 0; i < pass->tables->len; i++)
        bytes += ((const HbPassTable *)pass->tables->pdata[i])->bytes;
    return bytes;
}

/* In a session of its own on the target */
static gboolean with_session(HbPass *pass, HbRestoreRun *run, gboolean (*act)(HbPass *, HbSession *, GError **),
                             GError **error)
{
    HbSession *session = pass->options.to.engine->connector->open(hb_restore_run_get_address(run), error);
    const gboolean ok =
        session != NULL && hb_restore_run_enter(run, session, FALSE, error) && act(pass, session, error);

    pass->options.to.engine->connector->close(session);
    return ok;
}

/* Large objects that the target has not are made, and others unlinked, before their bytes come */
static gboolean align_one(HbPass *pass, HbSession *session, const HbObject *wanted, const HbObject *there,
                          GError **error)
{
    const HbDialect *dialect = pass->options.to.engine->dialect;
    g_autofree char *sql = dialect->make_align_sql != NULL ? dialect->make_align_sql(wanted, there) : NULL;

    if (sql == NULL)
        return TRUE;
    pass->is_aligned = TRUE;
    return hb_pass_run_step(pass, session, sql, "align", (wanted != NULL ? wanted : there)->identity, error);
}

/* Only where the target had some before: otherwise the restore makes all of them */
static gboolean align(HbPass *pass, HbSession *session, GError **error)
{
    const HbCatalog *there = pass->target->manifest->catalog;
    gboolean ok = TRUE;

    for (guint i = 0; i < hb_catalog_count(pass->wanted) && ok; i++) {
        const HbObject *object = hb_catalog_get(pass->wanted, i);
        if (object->kind == HB_KIND_LARGE_OBJECTS && pass->has_large_objects)
            ok = align_one(pass, session, object, hb_catalog_find(there, object->identity), error);
    }
    for (guint i = 0; i < hb_catalog_count(there) && ok; i++) {
        const HbObject *object = hb_catalog_get(there, i);
        if (object->kind == HB_KIND_LARGE_OBJECTS && pass->has_large_objects &&
            hb_catalog_find(pass->wanted, object->identity) == NULL)
            ok = align_one(pass, session, NULL, object, error);
    }
    return ok;
}

static gboolean quiet_and_align(HbPass *pass, HbSession *session, GError **error)
{
    return hb_pass_quiet(pass, session, error) && align(pass, session, error);
}

static gboolean unquiet_and_follow(HbPass *pass, HbSession *session, GError **error)
{
    hb_pass_unquiet(pass, session);
    return follow(pass, session, error);
}

/* What was taken off comes back, whatever broke off, if the server lets us */
static gboolean unquiet(HbPass *pass, HbSession *session, GError **error)
{
    (void)error;
    hb_pass_unquiet(pass, session);
    return TRUE;
}

/* The source's snapshot must not stay while the log is followed for hours: it keeps the server from tidying up */
static gboolean keep_up(HbPass *pass, HbRestoreRun *run, GError **error)
{
    if (!hb_pass_end_source(pass, error))
        return FALSE;
    if (pass->source != NULL)
        hb_snapshot_sessions_close(pass->options.from.engine, pass->source->readers);
    return hb_pass_follow(pass, run, TRUE, error);
}

gboolean hb_pass_apply(gpointer data, HbRestoreRun *run, GError **error)
{
    HbPass *pass = data;

    hb_observers_begin_phase(pass->options.to.observers, "bringing rows over", count_bytes(pass));
    if (with_session(pass, run, quiet_and_align, error) &&
        (pass->options.keeps_up || hb_pass_follow(pass, run, FALSE, error)) && apply_all(pass, run, error) &&
        (!pass->options.keeps_up || keep_up(pass, run, error)))
        return with_session(pass, run, unquiet_and_follow, error) &&
               (pass->options.keeps_up || hb_pass_end_source(pass, error));
    if (pass->off->len > 0)
        with_session(pass, run, unquiet, NULL);
    return FALSE;
}
