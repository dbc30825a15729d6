/* SPDX-License-Identifier: Apache-2.0 */
#include "work/dump/dump.h"

#include "dump/writer.h"
#include "work/dump/chunk_packer.h"
#include "work/source/snapshot_rows.h"

/* One dump in the making */
typedef struct {
    const HbDumpOptions *options;
    HbSnapshotSource *source;
    HbManifest *manifest; /* the source's */
    HbWriter *writer;
    GMutex lock;        /* guards chunks of rows */
    GHashTable *by_set; /* HbRowSet * to HbStoredRows * */
} Making;

/* ---- Rows to chunks: the consumer of a reading ---- */

typedef struct {
    Making *making;
    HbChunkPacker *pipe;
    const HbRowSet *set;
} Packing;

static gpointer open_packing(gpointer data)
{
    Packing *packing = g_new0(Packing, 1);

    packing->making = data;
    packing->pipe = hb_chunk_packer_new(packing->making->writer, packing->making->options->level,
                                        packing->making->options->chunk_bytes);
    return packing;
}

static void close_packing(gpointer context)
{
    Packing *packing = context;

    hb_chunk_packer_free(packing->pipe);
    g_free(packing);
}

static void begin_packing(gpointer context, const HbRowSet *set, guint64 first)
{
    Packing *packing = context;

    (void)first;
    packing->set = set;
    hb_chunk_packer_begin(packing->pipe, set);
}

static gboolean take_row(gpointer context, const char *row, gsize length, GError **error)
{
    Packing *packing = context;

    return hb_chunk_packer_take(packing->pipe, row, length, error);
}

static void keep_chunks(Making *making, const HbRowSet *set, GPtrArray *chunks)
{
    HbStoredRows *rows = g_hash_table_lookup(making->by_set, set);

    g_mutex_lock(&making->lock);
    g_ptr_array_extend_and_steal(rows->chunks, chunks);
    g_mutex_unlock(&making->lock);
}

static gboolean end_packing(gpointer context, gboolean good, GError **error)
{
    Packing *packing = context;
    GPtrArray *chunks;

    if (!good) {
        hb_chunk_packer_give_up(packing->pipe);
        return TRUE;
    }
    chunks = hb_chunk_packer_end(packing->pipe, error);
    if (chunks == NULL)
        return FALSE;
    keep_chunks(packing->making, packing->set, chunks);
    return TRUE;
}

/* In the order of their names, which is stable for one worker */
static gint compare_chunks(gconstpointer one, gconstpointer other)
{
    return strcmp((*(HbChunk *const *)one)->file, (*(HbChunk *const *)other)->file);
}

static void add_up(Making *making)
{
    for (guint i = 0; i < making->manifest->rows->len; i++) {
        HbStoredRows *rows = making->manifest->rows->pdata[i];
        g_ptr_array_sort(rows->chunks, compare_chunks);
        for (guint c = 0; c < rows->chunks->len; c++) {
            const HbChunk *chunk = rows->chunks->pdata[c];
            hb_digest_add(&rows->digest, &chunk->digest);
            rows->bytes += chunk->bytes;
        }
    }
}

static gboolean read_rows(Making *making, GError **error)
{
    const HbSnapshotSourceOptions *options = &making->options->source;
    HbSnapshotSource *source = making->source;
    const HbRowConsumer consumer = {open_packing, close_packing, begin_packing, take_row, end_packing, making, NULL};
    const HbSnapshotRows reading = {.engine = options->engine,
                                    .address = &options->from,
                                    .snapshot = &source->snapshot,
                                    .sets = hb_catalog_get_row_sets(making->manifest->catalog),
                                    .sessions = source->readers,
                                    .jobs = source->readers->len,
                                    .stop = options->stop,
                                    .observers = options->observers,
                                    .phase = "reading rows",
                                    .consumer = &consumer};

    if (reading.sets->len > 0 && !hb_snapshot_rows_read(&reading, error))
        return FALSE;
    add_up(making);
    return TRUE;
}

/* ---- The whole ---- */

static void add_row_sets(Making *making)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(making->manifest->catalog);

    for (guint i = 0; i < sets->len; i++)
        g_hash_table_insert(making->by_set, sets->pdata[i], hb_manifest_add_rows(making->manifest, sets->pdata[i]));
}

static HbWriter *open_writer(const Making *making, GError **error)
{
    const HbDumpOptions *options = making->options;
    const char *preamble = options->source.engine->dialect->preamble;

    if (options->outer != NULL)
        return hb_writer_open_member(options->outer, options->source.from.database, making->manifest, preamble, error);
    return hb_writer_open(options->path, making->manifest, preamble, error);
}

static gboolean make(Making *making, GError **error)
{
    const HbDumpOptions *options = making->options;

    making->writer = open_writer(making, error);
    if (making->writer == NULL || !hb_snapshot_source_read(making->source, error))
        return FALSE;
    add_row_sets(making);
    if (!hb_writer_begin_rows(making->writer, error) || !read_rows(making, error) ||
        !hb_snapshot_source_end(making->source, error))
        return FALSE;
    if (hb_stop_is_set(options->source.stop))
        return hb_stop_set_error(error);
    hb_observers_begin_phase(options->source.observers, "writing the manifest", 0);
    return hb_writer_finish(g_steal_pointer(&making->writer), error);
}

static gboolean make_from_source(Making *making, GError **error)
{
    HbStop *stop = making->options->source.stop;
    g_autoptr(GError) ours = NULL;

    making->source = hb_snapshot_source_new(&making->options->source, error);
    if (making->source == NULL)
        return FALSE;
    making->manifest = making->source->manifest;
    if (make(making, &ours))
        return TRUE;
    if (hb_stop_is_by_user(stop))
        return hb_stop_set_error(error);
    g_propagate_error(error, g_steal_pointer(&ours));
    return FALSE;
}

HbManifest *hb_dump_run(const HbDumpOptions *options, GError **error)
{
    Making making = {.options = options, .by_set = g_hash_table_new(NULL, NULL)};
    gboolean ok;

    g_mutex_init(&making.lock);
    ok = make_from_source(&making, error);
    hb_writer_discard(making.writer);
    g_hash_table_unref(making.by_set);
    g_mutex_clear(&making.lock);
    making.manifest = hb_snapshot_source_take_manifest(making.source);
    if (!ok)
        g_clear_pointer(&making.manifest, hb_manifest_free);
    return making.manifest;
}
