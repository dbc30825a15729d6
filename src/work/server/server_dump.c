/* SPDX-License-Identifier: Apache-2.0 */
#include "core/graph/order.h"
#include "dump/writer.h"
#include "work/run/database_pool.h"
#include "work/server/whole_server.h"
#include <string.h>

/*
 * All databases of a server into one dump: what belongs to none first, then each database as a member with a writer of
 * its own, several at a time as long as sessions are left. A database that cannot be dumped is an omission of the
 * whole, and does not keep the others from it; a stream holds one member at a time.
 */

gboolean hb_whole_server_select(const HbSelection *selection, const HbEngine *engine, HbCatalog *catalog,
                                GError **error)
{
    g_autoptr(HbSelection) for_server = hb_selection_new_for_server(selection);

    return hb_selection_apply(for_server, catalog, engine->dialect, FALSE, NULL, error);
}

typedef struct {
    const HbDumpOptions *options;
    const HbServerCallbacks *callbacks;
    HbManifest *manifest;
    HbWriter *writer;
    GArray *databases; /* HbDatabase: those that are taken */
    GMutex lock;       /* guards manifest, writer's members and teller */
    GHashTable *bytes; /* name of a database that is done, borrowed, to guint64 *: of its rows */
} ServerDump;

static gboolean read_databases(const HbSnapshotSourceOptions *options, HbSession *session, const char *address,
                               GArray **databases, GError **error)
{
    *databases = options->engine->source->list_databases(session, &options->from, error);
    if (*databases == NULL)
        return FALSE;
    for (guint i = (*databases)->len; i-- > 0;) {
        if (!hb_selection_takes_database(options->selection, g_array_index(*databases, HbDatabase, i).name))
            g_array_remove_index(*databases, i);
    }
    return (*databases)->len > 0 || hb_error_set(error, HB_ERROR_USAGE, "`hornbeam survey SERVER` lists the databases",
                                                 "no database of %s is taken", address);
}

static gboolean read_server(const HbSnapshotSourceOptions *options, HbSession *session, HbManifest *manifest,
                            GArray **databases, GError **error)
{
    GPtrArray *survey = options->engine->source->survey(session, TRUE, error);

    if (survey == NULL)
        return FALSE;
    g_ptr_array_unref(manifest->survey);
    manifest->survey = survey;
    manifest->snapshot_time = g_strdup(manifest->created);
    manifest->catalog = options->engine->source->read_server(session, options->parts, error);
    return manifest->catalog != NULL && hb_order_arrange(manifest->catalog, error) &&
           hb_whole_server_select(options->selection, options->engine, manifest->catalog, error) &&
           read_databases(options, session, manifest->address, databases, error);
}

gboolean hb_whole_server_read(const HbSnapshotSourceOptions *options, HbManifest *manifest, GArray **databases,
                              GError **error)
{
    HbSession *session = options->engine->connector->open(&options->from, error);
    gboolean ok;

    if (session == NULL)
        return FALSE;
    ok = hb_snapshot_source_describe(options, manifest, session, NULL, error) &&
         read_server(options, session, manifest, databases, error);
    options->engine->connector->close(session);
    return ok;
}

/* A database that does not let us in is named; the others go on */
static gboolean leave_out(ServerDump *job, const char *database, GError *cause, GError **error)
{
    g_autofree char *what = NULL;

    if (!hb_error_is(cause, HB_ERROR_CONNECT)) {
        g_propagate_prefixed_error(error, cause, "database %s: ", database);
        return FALSE;
    }
    what = g_strdup_printf("database %s", database);
    g_mutex_lock(&job->lock);
    hb_catalog_add_omission(job->manifest->catalog, what, cause->message);
    g_mutex_unlock(&job->lock);
    g_error_free(cause);
    return TRUE;
}

static void note_dumped(ServerDump *job, const char *database, const HbManifest *manifest, gint64 start)
{
    guint64 bytes = hb_manifest_count_bytes(manifest);

    g_mutex_lock(&job->lock);
    g_hash_table_insert(job->bytes, (gpointer)database, g_memdup2(&bytes, sizeof bytes));
    job->callbacks->dumped(job->callbacks->data, manifest, job->options->path,
                           (double)(g_get_monotonic_time() - start) / G_USEC_PER_SEC);
    g_mutex_unlock(&job->lock);
}

static gboolean dump_database(gpointer data, guint item, const HbDatabaseWorker *worker, GError **error)
{
    ServerDump *job = data;
    const char *database = g_array_index(job->databases, HbDatabase, item).name;
    gint64 start = g_get_monotonic_time();
    HbDumpOptions options = *job->options;
    g_autoptr(HbManifest) manifest = NULL;
    GError *cause = NULL;

    hb_observers_note(job->options->source.observers, HB_SEVERITY_NOTE, NULL, "database %s (%u of %u)", database,
                      item + 1, job->databases->len);
    options.source.from.database = database;
    options.outer = job->writer;
    options.source.jobs = worker->jobs;
    options.source.observers = worker->observers;
    manifest = hb_dump_run(&options, &cause);
    if (manifest == NULL)
        return leave_out(job, database, cause, error);
    note_dumped(job, database, manifest, start);
    return TRUE;
}

static gboolean dump_side_by_side(ServerDump *job, GError **error)
{
    g_autofree guint64 *bytes = g_new(guint64, job->databases->len);
    HbDatabasePool *pool;
    gboolean ok;

    for (guint i = 0; i < job->databases->len; i++)
        bytes[i] = g_array_index(job->databases, HbDatabase, i).bytes;
    pool = hb_database_pool_new(job->options->source.jobs, job->options->source.observers);
    ok = hb_database_pool_run(pool, bytes, job->databases->len, dump_database, job, error);
    hb_database_pool_free(pool);
    return ok;
}

static gboolean dump_one_by_one(ServerDump *job, GError **error)
{
    const HbDatabaseWorker worker = {job->options->source.jobs, job->options->source.observers};

    for (guint i = 0; i < job->databases->len; i++) {
        if (!dump_database(job, i, &worker, error))
            return FALSE;
    }
    return TRUE;
}

/* A reader of a stream reads one database after the other */
static gboolean dump_databases(ServerDump *job, GError **error)
{
    if (!(hb_folder_is_stream(job->options->path) ? dump_one_by_one(job, error) : dump_side_by_side(job, error)))
        return FALSE;
    for (guint i = 0; i < job->databases->len; i++) {
        const char *name = g_array_index(job->databases, HbDatabase, i).name;
        const guint64 *text = g_hash_table_lookup(job->bytes, name);
        if (text != NULL)
            hb_writer_add_member(job->writer, name, *text);
    }
    return TRUE;
}

static gboolean make(ServerDump *job, GError **error)
{
    const HbDumpOptions *options = job->options;

    if (!hb_whole_server_read(&options->source, job->manifest, &job->databases, error))
        return FALSE;
    job->writer = hb_writer_open(options->path, options->recipients, job->manifest,
                                 options->source.engine->dialect->preamble, error);
    return job->writer != NULL && hb_writer_begin_rows(job->writer, error) && dump_databases(job, error) &&
           hb_writer_finish(g_steal_pointer(&job->writer), error);
}

HbManifest *hb_whole_server_dump(const HbDumpOptions *options, const HbServerCallbacks *callbacks, GError **error)
{
    ServerDump job = {.options = options, .callbacks = callbacks, .manifest = hb_manifest_new()};
    gboolean ok;

    g_mutex_init(&job.lock);
    job.bytes = g_hash_table_new_full(g_str_hash, g_str_equal, NULL, g_free);
    hb_manifest_hold_members(job.manifest);
    ok = make(&job, error);
    hb_writer_discard(job.writer);
    g_hash_table_unref(job.bytes);
    g_clear_pointer(&job.databases, g_array_unref);
    g_mutex_clear(&job.lock);
    if (!ok)
        g_clear_pointer(&job.manifest, hb_manifest_free);
    return job.manifest;
}
