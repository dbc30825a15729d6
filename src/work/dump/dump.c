/* SPDX-License-Identifier: Apache-2.0 */
#include "work/dump/dump.h"

#include "dump/writer.h"
#include "work/dump/chunk_packer.h"
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
    GMutex lock;        /* guards chunks of rows */
    GHashTable *by_set; /* HbRowSet * to HbStoredRows * */
} DumpJob;

/* ---- Rows to chunks: the consumer of a reading ---- */

typedef struct {
    DumpJob *job;
    HbChunkPacker *pipe;
    const HbRowSet *set;
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

static gboolean read_rows(DumpJob *job, GError **error)
{
    const HbSnapshotSourceOptions *options = &job->options->source;
    HbSnapshotSource *source = job->source;
    const HbRowConsumer consumer = {open_packing, close_packing, begin_packing, take_row, end_packing, job, NULL};
    const HbSnapshotRows reading = {.engine = options->engine,
                                    .address = &options->from,
                                    .snapshot = &source->snapshot,
                                    .sets = hb_catalog_get_row_sets(job->manifest->catalog),
                                    .sessions = source->readers,
                                    .jobs = source->readers->len,
                                    .stop = options->stop,
                                    .throttle = options->throttle,
                                    .observers = options->observers,
                                    .phase = "reading rows",
                                    .consumer = &consumer};

    if (reading.sets->len > 0 && !hb_snapshot_rows_read(&reading, error))
        return FALSE;
    add_up(job);
    return TRUE;
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

static gboolean make(DumpJob *job, GError **error)
{
    const HbDumpOptions *options = job->options;

    job->writer = open_writer(job, error);
    if (job->writer == NULL || !hb_snapshot_source_read(job->source, error))
        return FALSE;
    add_row_sets(job);
    if (!hb_writer_begin_rows(job->writer, error) || !read_rows(job, error) ||
        !hb_snapshot_source_end(job->source, error))
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

HbManifest *hb_dump_run(const HbDumpOptions *options, GError **error)
{
    DumpJob job = {.options = options, .by_set = g_hash_table_new(NULL, NULL)};
    gboolean ok;

    g_mutex_init(&job.lock);
    ok = make_from_source(&job, error);
    hb_writer_discard(job.writer);
    g_hash_table_unref(job.by_set);
    g_mutex_clear(&job.lock);
    job.manifest = hb_snapshot_source_take_manifest(job.source);
    if (!ok)
        g_clear_pointer(&job.manifest, hb_manifest_free);
    return job.manifest;
}
