/* SPDX-License-Identifier: Apache-2.0 */
#include "work/dump/dump.h"

#include "dump/shared_folder.h"
#include "dump/writer.h"
#include "work/dump/chunk_packer.h"
#include "work/dump/dump_hosts.h"
#include "work/source/snapshot_rows.h"

/*
 * A source at one moment, its rows read by several workers, packed into chunks and written: three modules, wired here.
 * The manifest is written last, when all rows are counted and the structure has been found unchanged; only then does
 * the dump get its name.
 */

/* One dump in the making */
typedef struct {
    const HbDumpOptions *options;
    HbSnapshotSource *source;
    HbManifest *manifest; /* the source's */
    HbWriter *writer;
    GMutex lock;         /* guards chunks of rows */
    GHashTable *by_set;  /* HbRowSet * to HbStoredRows * */
    HbGroupBoard *board; /* of what several hosts read; NULL: this one reads all */
} DumpJob;

/* ---- Rows to chunks: the consumer of a reading ---- */

typedef struct {
    DumpJob *job;
    HbChunkPacker *pipe;
    const HbRowSet *set;
    HbGroupNote *note; /* of several hosts: what was written of the group so far; NULL: nothing */
} RowSetWriter;

static gpointer open_packing(gpointer data)
{
    RowSetWriter *writer = g_new0(RowSetWriter, 1);

    writer->job = data;
    writer->pipe =
        hb_chunk_packer_new(writer->job->writer, writer->job->options->level, writer->job->options->chunk_bytes);
    return writer;
}

static void close_packing(gpointer context)
{
    RowSetWriter *writer = context;

    hb_chunk_packer_free(writer->pipe);
    hb_group_note_free(writer->note);
    g_free(writer);
}

static void begin_packing(gpointer context, const HbRowSet *set, guint64 first)
{
    RowSetWriter *writer = context;

    (void)first;
    writer->set = set;
    hb_chunk_packer_begin(writer->pipe, set);
}

static gboolean take_row(gpointer context, const char *row, gsize length, GError **error)
{
    RowSetWriter *writer = context;

    return hb_chunk_packer_take(writer->pipe, row, length, error);
}

static void keep_chunks(DumpJob *job, const HbRowSet *set, GPtrArray *chunks)
{
    HbStoredRows *rows = g_hash_table_lookup(job->by_set, set);

    g_mutex_lock(&job->lock);
    g_ptr_array_extend_and_steal(rows->chunks, chunks);
    g_mutex_unlock(&job->lock);
}

/* Of several hosts the one that began gathers all chunks at the end */
static gboolean note_chunks(RowSetWriter *writer, GPtrArray *chunks, GError **error)
{
    DumpJob *job = writer->job;

    if (writer->note == NULL)
        writer->note = hb_dump_hosts_new_note(job->options->hosts);
    for (guint i = 0; i < chunks->len; i++) {
        const HbChunk *chunk = chunks->pdata[i];
        const HbFileSum *sum = hb_shared_folder_settle_file(hb_writer_get_folder(job->writer), chunk->file, error);
        if (sum == NULL)
            return FALSE;
        hb_group_note_add(writer->note, writer->set, chunk, sum);
    }
    return TRUE;
}

static gboolean end_packing(gpointer context, gboolean good, GError **error)
{
    RowSetWriter *writer = context;
    GPtrArray *chunks;

    if (!good) {
        hb_chunk_packer_give_up(writer->pipe);
        return TRUE;
    }
    chunks = hb_chunk_packer_end(writer->pipe, error);
    if (chunks == NULL)
        return FALSE;
    if (writer->job->options->hosts != NULL) {
        const gboolean ok = note_chunks(writer, chunks, error);
        g_ptr_array_unref(chunks);
        return ok;
    }
    keep_chunks(writer->job, writer->set, chunks);
    return TRUE;
}

/* In the order of their names, which is stable for one worker */
static gint compare_chunks(gconstpointer one, gconstpointer other)
{
    return strcmp((*(HbChunk *const *)one)->file, (*(HbChunk *const *)other)->file);
}

static void add_up(DumpJob *job)
{
    for (guint i = 0; i < job->manifest->rows->len; i++) {
        HbStoredRows *rows = job->manifest->rows->pdata[i];
        g_ptr_array_sort(rows->chunks, compare_chunks);
        for (guint c = 0; c < rows->chunks->len; c++) {
            const HbChunk *chunk = rows->chunks->pdata[c];
            hb_digest_add(&rows->digest, &chunk->digest);
            rows->bytes += chunk->bytes;
        }
    }
}

static HbSnapshotRows make_reading(const DumpJob *job, const HbRowConsumer *consumer)
{
    const HbSnapshotSourceOptions *options = &job->options->source;
    const HbSnapshotSource *source = job->source;

    return (HbSnapshotRows){.engine = options->engine,
                            .address = &options->from,
                            .snapshot = &source->snapshot,
                            .sets = hb_catalog_get_row_sets(job->manifest->catalog),
                            .sessions = source->readers,
                            .jobs = source->readers->len,
                            .stop = options->stop,
                            .throttle = options->throttle,
                            .observers = options->observers,
                            .phase = "reading rows",
                            .consumer = consumer,
                            .board = job->board};
}

static gboolean read_rows(DumpJob *job, GError **error)
{
    const HbRowConsumer consumer = {open_packing, close_packing, begin_packing, take_row, end_packing, job, NULL};
    const HbSnapshotRows reading = make_reading(job, &consumer);

    return reading.sets->len == 0 || hb_snapshot_rows_read(&reading, error);
}

/* ---- Several hosts ---- */

static gboolean take_group(gpointer data, HbSession *session, guint group, HbGroupState *state, GError **error)
{
    const DumpJob *job = data;

    return hb_dump_hosts_take(job->options->hosts, session, group, state, error);
}

static gboolean publish_group(gpointer data, HbSession *session, gpointer context, guint group, GError **error)
{
    const DumpJob *job = data;
    RowSetWriter *writer = context;
    g_autoptr(HbGroupNote) note = g_steal_pointer(&writer->note);

    return hb_dump_hosts_publish(job->options->hosts, session, note, group, error);
}

/* Who begins cuts the rows into pieces, for all */
static GArray *agree_on_pieces(const DumpJob *job, GError **error)
{
    HbDumpHosts *hosts = job->options->hosts;
    const HbSnapshotRows reading = make_reading(job, &(HbRowConsumer){0});
    g_autoptr(GArray) pieces = NULL;

    if (hb_dump_hosts_joins(hosts))
        return hb_dump_hosts_find_plan(hosts, job->manifest, error);
    pieces = hb_snapshot_rows_cut(&reading, MAX(job->options->source.shared->hosts, HB_DUMP_HOSTS_GUESS), error);
    if (pieces == NULL || !hb_dump_hosts_tell_plan(hosts, job->manifest, pieces, error))
        return NULL;
    return g_steal_pointer(&pieces);
}

static gboolean read_shared_rows(DumpJob *job, GError **error)
{
    const HbSharedReading shared = {take_group, publish_group, job};
    HbDumpHosts *hosts = job->options->hosts;
    GArray *pieces;
    gboolean ok;

    hb_writer_share(job->writer, hb_dump_hosts_get_tag(hosts));
    pieces = agree_on_pieces(job, error);
    if (pieces == NULL)
        return FALSE;
    job->board = hb_group_board_new(pieces, &shared, job->options->source.stop);
    hb_dump_hosts_watch(hosts, job->board);
    ok = read_rows(job, error);
    hb_dump_hosts_unwatch(hosts);
    if (ok && !hb_dump_hosts_joins(hosts))
        ok = hb_dump_hosts_collect(hosts, job->manifest, hb_group_board_count(job->board), error);
    g_clear_pointer(&job->board, hb_group_board_free);
    return ok;
}

/* ---- The whole ---- */

static void add_row_sets(DumpJob *job)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(job->manifest->catalog);

    for (guint i = 0; i < sets->len; i++)
        g_hash_table_insert(job->by_set, sets->pdata[i], hb_manifest_add_rows(job->manifest, sets->pdata[i]));
}

static HbWriter *open_writer(const DumpJob *job, GError **error)
{
    const HbDumpOptions *options = job->options;
    const char *preamble = options->source.engine->dialect->preamble;

    if (options->outer != NULL)
        return hb_writer_open_member(options->outer, options->source.from.database, job->manifest, preamble, error);
    return hb_writer_open(options->path, options->recipients, job->manifest, preamble, error);
}

/* Never TRUE; see hb_dump_hosts_await_end() */
static gboolean write_part(DumpJob *job, GError **error)
{
    HbDumpHosts *hosts = job->options->hosts;
    gboolean ok;

    if (!hb_snapshot_source_read(job->source, error))
        return FALSE;
    add_row_sets(job);
    job->writer = hb_writer_join(job->options->path, hb_dump_hosts_get_place(hosts), job->manifest, error);
    if (job->writer == NULL)
        return FALSE;
    hb_dump_hosts_set_writer(hosts, job->writer, NULL);
    ok = read_shared_rows(job, error);
    hb_dump_hosts_set_writer(hosts, NULL, NULL);
    hb_writer_leave(g_steal_pointer(&job->writer));
    return ok && hb_dump_hosts_await_end(hosts, error);
}

/* Another host has begun the dump, and finishes it */
static gboolean join(DumpJob *job, GError **error)
{
    g_autoptr(GError) ours = NULL;

    if (write_part(job, &ours) || hb_error_is(ours, HB_ERROR_ALREADY_DONE))
        return TRUE;
    g_propagate_error(error, g_steal_pointer(&ours));
    return FALSE;
}

static gboolean make(DumpJob *job, GError **error)
{
    const HbDumpOptions *options = job->options;

    if (options->hosts != NULL && hb_dump_hosts_joins(options->hosts))
        return join(job, error);
    job->writer = open_writer(job, error);
    if (job->writer == NULL)
        return FALSE;
    if (options->hosts != NULL) {
        hb_dump_hosts_set_writer(options->hosts, job->writer, job->manifest->id);
        if (!hb_dump_hosts_gather(options->hosts, error))
            return FALSE;
    }
    if (!hb_snapshot_source_read(job->source, error))
        return FALSE;
    add_row_sets(job);
    if (!hb_writer_begin_rows(job->writer, error) ||
        !(options->hosts != NULL ? read_shared_rows : read_rows)(job, error))
        return FALSE;
    add_up(job);
    if (!hb_snapshot_source_end(job->source, error))
        return FALSE;
    if (hb_stop_is_set(options->source.stop))
        return hb_stop_set_error(error);
    hb_observers_begin_phase(options->source.observers, "writing the manifest", 0);
    job->source->leaves_log = hb_writer_finish(g_steal_pointer(&job->writer), error);
    return job->source->leaves_log;
}

static gboolean make_from_source(DumpJob *job, GError **error)
{
    HbStop *stop = job->options->source.stop;
    g_autoptr(GError) ours = NULL;

    job->source = hb_snapshot_source_new(&job->options->source, error);
    if (job->source == NULL)
        return FALSE;
    job->manifest = job->source->manifest;
    if (make(job, &ours))
        return TRUE;
    if (hb_stop_is_by_user(stop))
        return hb_stop_set_error(error);
    g_propagate_error(error, g_steal_pointer(&ours));
    return FALSE;
}

static HbManifest *run(const HbDumpOptions *options, GError **error)
{
    DumpJob job = {.options = options, .by_set = g_hash_table_new(NULL, NULL)};
    gboolean ok;

    g_mutex_init(&job.lock);
    ok = make_from_source(&job, error);
    if (job.writer != NULL && options->hosts != NULL)
        hb_dump_hosts_give_up(options->hosts);
    hb_writer_discard(job.writer);
    g_hash_table_unref(job.by_set);
    g_mutex_clear(&job.lock);
    job.manifest = hb_snapshot_source_take_manifest(job.source);
    if (!ok)
        g_clear_pointer(&job.manifest, hb_manifest_free);
    return job.manifest;
}

/* A host that joined a moment which was then given up joins the next one; who begins limits how often that is */
HbManifest *hb_dump_run(const HbDumpOptions *options, GError **error)
{
    const gboolean joins = options->hosts != NULL && hb_dump_hosts_joins(options->hosts);

    for (;;) {
        g_autoptr(GError) ours = NULL;
        HbManifest *manifest = run(options, &ours);

        if (manifest != NULL)
            return manifest;
        if (!joins || !hb_error_is(ours, HB_ERROR_RETRY) || hb_stop_is_set(options->source.stop)) {
            g_propagate_error(error, g_steal_pointer(&ours));
            return NULL;
        }
    }
}
