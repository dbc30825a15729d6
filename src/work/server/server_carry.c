/* SPDX-License-Identifier: Apache-2.0 */
#include "work/server/server_carry.h"

#include "work/restore/carry.h"
#include "work/rows_from/stream_rows.h"
#include "work/run/database_pool.h"

/* A database on its way */
typedef struct {
    const char *name;
    HbSnapshotSourceOptions from;
    HbSnapshotSource *source; /* of a carry */
    HbCarry *carry;
    HbStream *stream; /* within that of the whole server */
    HbStreamRows *stream_rows;
    HbRestore *restore;
    HbRestoreResult result;
} DatabaseCarry;

typedef struct {
    const HbSnapshotSourceOptions *from;
    const HbRestoreOptions *to;
    const HbServerCallbacks *callbacks;
    const HbManifest *manifest; /* of the server */
    GArray *databases;          /* HbDatabase: those that are taken */
    gboolean tentative;         /* what fails in a database gets another turn */
    HbFailures failures;
    GMutex lock;     /* guards the teller and what follows */
    GPtrArray *open; /* DatabaseCarry *: something failed that may only have come too early */

    HbDatabasePool *pool; /* outlives those that are open: their threads tell its observers. NULL: none was needed */
} ServerCarry;

/* ---- A database ---- */

static void database_carry_free(gpointer data)
{
    DatabaseCarry *database_carry = data;

    hb_restore_result_clear(&database_carry->result);
    hb_restore_free(database_carry->restore);
    hb_carry_free(database_carry->carry);
    hb_snapshot_source_free(database_carry->source);
    hb_stream_rows_free(database_carry->stream_rows);
    hb_stream_close(database_carry->stream);
    g_free(database_carry);
}

static HbRestore *open_restore(const ServerCarry *job, DatabaseCarry *database_carry, const HbDatabaseWorker *worker,
                               gboolean with_users, GError **error)
{
    HbRestoreOptions options = *job->to;

    if (database_carry->source != NULL) {
        options.manifest = database_carry->source->manifest;
        options.source = database_carry->source->identity;
        options.pulled_in = database_carry->source->pulled_in;
        options.provider = hb_carry_get_provider(database_carry->carry);
    } else {
        options.manifest = hb_stream_get_manifest(database_carry->stream);
        options.provider = hb_stream_rows_get_provider(database_carry->stream_rows);
    }
    options.part_of_server = TRUE;
    options.wishes.lenient = TRUE;
    options.parts &= with_users ? HB_PART_ALL : ~(guint)HB_PART_USERS;
    options.to.database = hb_adapt_database(&options.wishes, database_carry->name);
    options.jobs = worker->jobs;
    options.observers = worker->observers;
    options.tentative = job->tentative;
    return hb_restore_open(&options, error);
}

/* NULL on error. Users are the server's: a database's own list of them is needed only before those are there */
static DatabaseCarry *database_carry_new(const ServerCarry *job, const char *name, const HbDatabaseWorker *worker,
                                         gboolean with_users, GError **error)
{
    DatabaseCarry *database_carry = g_new0(DatabaseCarry, 1);

    database_carry->name = name;
    database_carry->from = *job->from;
    database_carry->from.from.database = name;
    database_carry->from.jobs = worker->jobs;
    database_carry->from.observers = worker->observers;
    database_carry->source = hb_snapshot_source_new(&database_carry->from, error);
    if (database_carry->source != NULL && hb_snapshot_source_read(database_carry->source, error)) {
        database_carry->carry = hb_carry_new(database_carry->source);
        database_carry->restore = open_restore(job, database_carry, worker, with_users, error);
    }
    if (database_carry->restore == NULL) {
        g_prefix_error(error, "database %s: ", name);
        g_clear_pointer(&database_carry, database_carry_free);
    }
    return database_carry;
}

/* ---- Looking ---- */

static gboolean check_database(const ServerCarry *job, const char *name, GError **blocked, GError **error)
{
    const HbDatabaseWorker worker = {job->to->jobs, job->to->observers};
    DatabaseCarry *database_carry = database_carry_new(job, name, &worker, TRUE, error);

    if (database_carry == NULL)
        return FALSE;
    job->callbacks->inspected(job->callbacks->data, database_carry->restore);
    if (hb_restore_is_blocked(database_carry->restore) && *blocked == NULL)
        hb_restore_set_blocked_error(database_carry->restore, blocked);
    database_carry_free(database_carry);
    return TRUE;
}

static gboolean inspect_and_refuse(const ServerCarry *job, const HbRestore *server, GError **error)
{
    GError *blocked = NULL;

    job->callbacks->inspected(job->callbacks->data, server);
    if (hb_restore_is_blocked(server))
        hb_restore_set_blocked_error(server, &blocked);
    for (guint i = 0; i < job->databases->len; i++) {
        if (!check_database(job, g_array_index(job->databases, HbDatabase, i).name, &blocked, error)) {
            g_clear_error(&blocked);
            return FALSE;
        }
    }
    if (blocked != NULL)
        g_propagate_error(error, blocked);
    return blocked == NULL && job->callbacks->agree(job->callbacks->data, error);
}

/* ---- Carrying ---- */

static gboolean run(ServerCarry *job, HbRestore *restore, HbRestoreResult *result, GError **error)
{
    g_mutex_lock(&job->lock);
    job->callbacks->about_to_restore(job->callbacks->data, restore, NULL);
    g_mutex_unlock(&job->lock);
    return hb_restore_run(restore, result, error);
}

static void tell(ServerCarry *job, const HbRestore *restore, const HbRestoreResult *result)
{
    g_mutex_lock(&job->lock);
    job->callbacks->restored(job->callbacks->data, restore, result);
    g_mutex_unlock(&job->lock);
}

/* The server's journal knows nothing that a carry could go on from */
static gboolean carry_users(ServerCarry *job, HbRestore *server, GError **error)
{
    HbRestoreResult result = {0};
    gboolean ok = run(job, server, &result, error);

    tell(job, server, &result);
    hb_restore_result_clear(&result);
    return ok && hb_restore_close_journal(server, error);
}

/* What is left of a database in a stream goes by, so that the next one can be read; unless all ends anyway */
static void pass_by(const ServerCarry *job, DatabaseCarry *database_carry, GError **error)
{
    g_autoptr(GError) broken = NULL;

    if (database_carry->stream == NULL || hb_stop_is_set(job->to->stop) ||
        hb_stream_skip(database_carry->stream, &broken))
        return;
    g_clear_error(error);
    g_propagate_error(error, g_steal_pointer(&broken));
}

/* Takes the database carry */
static gboolean bring(ServerCarry *job, DatabaseCarry *database_carry, GError **error)
{
    gboolean ok =
        !hb_restore_is_blocked(database_carry->restore) || hb_restore_set_blocked_error(database_carry->restore, error);
    if (ok && !run(job, database_carry->restore, &database_carry->result, error)) {
        g_prefix_error(error, "database %s: ", database_carry->name);
        tell(job, database_carry->restore, &database_carry->result);
        ok = FALSE;
    }
    if (!ok) {
        pass_by(job, database_carry, error);
    } else if (hb_restore_is_finished(database_carry->restore) || !job->tentative) {
        tell(job, database_carry->restore, &database_carry->result);
    } else {
        g_mutex_lock(&job->lock);
        g_ptr_array_add(job->open, g_steal_pointer(&database_carry));
        g_mutex_unlock(&job->lock);
    }
    if (database_carry != NULL)
        database_carry_free(database_carry);
    return ok;
}

static gboolean carry_database(gpointer data, guint item, const HbDatabaseWorker *worker, GError **error)
{
    ServerCarry *job = data;
    GError *failure = NULL;
    DatabaseCarry *database_carry =
        database_carry_new(job, g_array_index(job->databases, HbDatabase, item).name, worker, FALSE, &failure);

    return (database_carry != NULL && bring(job, database_carry, &failure)) ||
           hb_failures_add(&job->failures, failure, error);
}

static gboolean carry_databases(ServerCarry *job, GError **error)
{
    g_autofree guint64 *bytes = g_new(guint64, job->databases->len);

    for (guint i = 0; i < job->databases->len; i++)
        bytes[i] = g_array_index(job->databases, HbDatabase, i).bytes;
    job->pool = hb_database_pool_new(job->to->jobs, job->to->observers);
    return hb_database_pool_run(job->pool, bytes, job->databases->len, carry_database, job, error);
}

/* Another turn for one database; in the last one, what still fails is told */
static gboolean go_on(ServerCarry *job, DatabaseCarry *database_carry, gboolean last, GError **error)
{
    gboolean ok;

    hb_restore_result_clear(&database_carry->result);
    ok = hb_restore_go_on(database_carry->restore, !last, job->to->observers, &database_carry->result, error);
    if (!ok)
        g_prefix_error(error, "database %s: ", database_carry->name);
    if (last || !ok || hb_restore_is_finished(database_carry->restore))
        tell(job, database_carry->restore, &database_carry->result);
    return ok;
}

/*
 * Where databases refer to each other, what fails in the first turn may only come too early. There are further turns
 * as long as each of them finishes a database.
 */
static gboolean take_turns(ServerCarry *job, GError **error)
{
    guint before = G_MAXUINT;

    while (job->open->len > 0) {
        const gboolean last = job->open->len == before;
        before = job->open->len;
        for (guint i = job->open->len; i-- > 0;) {
            DatabaseCarry *database_carry = job->open->pdata[i];
            GError *failure = NULL;
            const gboolean ok = go_on(job, database_carry, last, &failure);
            if (!ok && !hb_failures_add(&job->failures, failure, error))
                return FALSE;
            if (!ok || last || hb_restore_is_finished(database_carry->restore))
                g_ptr_array_remove_index(job->open, i);
        }
    }
    return hb_failures_report(&job->failures, error);
}

/* ---- Out of a stream ---- */

/* Takes the stream */
static gboolean take_database(ServerCarry *job, HbStream *stream, GError **error)
{
    const HbDatabaseWorker worker = {job->to->jobs, job->to->observers};
    DatabaseCarry *database_carry = g_new0(DatabaseCarry, 1);

    database_carry->name = hb_stream_get_manifest(stream)->database;
    database_carry->stream = stream;
    if (!hb_selection_takes_database(job->to->selection, database_carry->name)) {
        gboolean skipped = hb_stream_skip(stream, error);
        database_carry_free(database_carry);
        return skipped;
    }
    database_carry->stream_rows = hb_stream_rows_new(stream, job->to);
    database_carry->restore = open_restore(job, database_carry, &worker, FALSE, error);
    if (database_carry->restore != NULL) {
        job->callbacks->inspected(job->callbacks->data, database_carry->restore);
        if (hb_restore_is_blocked(database_carry->restore) || job->callbacks->agree(job->callbacks->data, error))
            return bring(job, database_carry, error);
    }
    g_prefix_error(error, "database %s: ", database_carry->name);
    pass_by(job, database_carry, error);
    database_carry_free(database_carry);
    return FALSE;
}

static gboolean take_databases(ServerCarry *job, HbStream *stream, GError **error)
{
    HbStream *inner;

    for (;;) {
        GError *failure = NULL;
        if (!hb_stream_open_next(stream, &inner, error))
            return FALSE;
        if (inner == NULL)
            return TRUE;
        if (take_database(job, inner, &failure))
            continue;
        if (hb_stop_is_set(job->to->stop)) {
            g_propagate_error(error, failure);
            return FALSE;
        }
        if (!hb_failures_add(&job->failures, failure, error))
            return FALSE;
    }
}

/* ---- The whole ---- */

static HbRestore *open_server(const ServerCarry *job, GError **error)
{
    HbRestoreOptions options = *job->to;

    options.manifest = job->manifest;
    options.whole_server = TRUE;
    options.wishes.lenient = TRUE;
    options.analyze = FALSE;
    return hb_restore_open(&options, error);
}

static gboolean carry(ServerCarry *job, GError **error)
{
    HbRestore *server = NULL;
    HbManifest *manifest = hb_manifest_new();
    gboolean ok;

    hb_manifest_hold_members(manifest);
    job->manifest = manifest;
    ok = hb_whole_server_read(job->from, manifest, &job->databases, error) &&
         (server = open_server(job, error)) != NULL && inspect_and_refuse(job, server, error) &&
         carry_users(job, server, error) && carry_databases(job, error) && take_turns(job, error);

    hb_restore_free(server);
    hb_manifest_free(manifest);
    return ok;
}

static gboolean take(ServerCarry *job, HbStream *stream, GError **error)
{
    HbRestore *server;
    gboolean ok;

    job->manifest = hb_stream_get_manifest(stream);
    server = open_server(job, error);
    if (server == NULL)
        return FALSE;
    job->callbacks->inspected(job->callbacks->data, server);
    ok = !hb_restore_is_blocked(server) || hb_restore_set_blocked_error(server, error);
    ok = ok && carry_users(job, server, error) && take_databases(job, stream, error) && take_turns(job, error);
    hb_restore_free(server);
    return ok;
}

static void job_init(ServerCarry *job, const HbRestoreOptions *to, const HbServerCallbacks *callbacks)
{
    *job = (ServerCarry){.to = to,
                         .callbacks = callbacks,
                         .tentative = to->engine->traits.cross_database_needs,
                         .open = g_ptr_array_new_with_free_func(database_carry_free)};
    g_mutex_init(&job->lock);
    hb_failures_init(&job->failures);
}

static void job_clear(ServerCarry *job)
{
    g_ptr_array_unref(job->open);
    hb_database_pool_free(job->pool);
    g_clear_pointer(&job->databases, g_array_unref);
    hb_failures_clear(&job->failures);
    g_mutex_clear(&job->lock);
}

gboolean hb_whole_server_carry(const HbSnapshotSourceOptions *from, const HbRestoreOptions *to,
                               const HbServerCallbacks *callbacks, GError **error)
{
    ServerCarry job;
    gboolean ok;

    job_init(&job, to, callbacks);
    job.from = from;
    ok = carry(&job, error);
    job_clear(&job);
    return ok;
}

gboolean hb_whole_server_take(HbStream *stream, const HbRestoreOptions *to, const HbServerCallbacks *callbacks,
                              GError **error)
{
    ServerCarry job;
    gboolean ok;

    job_init(&job, to, callbacks);
    ok = take(&job, stream, error);
    job_clear(&job);
    return ok;
}
