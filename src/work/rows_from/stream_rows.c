/* SPDX-License-Identifier: Apache-2.0 */
#include "work/rows_from/stream_rows.h"

#include "core/rows/row_counter.h"
#include "work/run/workers.h"

#include <string.h>

#define CHUNKS_A_SESSION 2
#define ATTEMPTS         4
#define WAIT_US          (200 * 1000)

struct HbStreamRows {
    HbRowProvider provider;
    HbStream *stream;
    HbRestoreOptions options; /* as far as it needs them */
    HbRestoreRun *run;
    GHashTable *targets; /* HbStoredRows * of the stream to those of the run; not: it does not take them */
    GAsyncQueue *chunks; /* HbStreamChunk *, whose rows are the restore's; or &stream_rows->end */
    GAsyncQueue *places; /* something for each chunk that may still be put there */
    HbStreamChunk end;
    GMutex lock;        /* guards what follows */
    GHashTable *loaded; /* file to HbDigest * of what was loaded */
};

/* ---- A worker: loads chunks ---- */

static gboolean enter(HbWorker *worker, gpointer data, GError **error)
{
    return hb_restore_run_enter(((HbStreamRows *)data)->run, worker->session, worker->lost, error);
}

typedef struct {
    HbWorker *worker;
    HbUnpacker *unpacker;
    HbRowCounter counter;
} ChunkLoad;

static gboolean give_rows(gpointer data, const char **bytes, gsize *length, GError **error)
{
    ChunkLoad *chunk_load = data;

    if (hb_stop_is_set(chunk_load->worker->workers->stop))
        return hb_stop_set_error(error);
    if (!hb_unpacker_read(chunk_load->unpacker, bytes, length, error))
        return FALSE;
    hb_row_counter_add(&chunk_load->counter, *bytes, *length);
    hb_worker_notify_advanced(chunk_load->worker, *length, *length);
    return *length > 0 || hb_row_counter_is_whole(&chunk_load->counter) ||
           hb_error_set(error, HB_ERROR_DAMAGED, NULL, "a chunk of the stream ends within a row");
}

static void note_loaded(HbStreamRows *stream_rows, const char *file, const HbDigest *digest)
{
    g_mutex_lock(&stream_rows->lock);
    g_hash_table_replace(stream_rows->loaded, g_strdup(file), g_memdup2(digest, sizeof *digest));
    g_mutex_unlock(&stream_rows->lock);
}

static char *key_of(const HbStreamChunk *chunk)
{
    return g_strdup_printf("%s %s", chunk->rows->set->identity, chunk->file);
}

static gboolean load_once(HbStreamRows *stream_rows, HbWorker *worker, const HbStreamChunk *chunk, GError **error)
{
    ChunkLoad chunk_load = {.worker = worker, .unpacker = hb_unpacker_open_bytes(chunk->bytes, chunk->file)};
    g_autofree char *key = key_of(chunk);
    gboolean ok;

    hb_row_counter_init(&chunk_load.counter, 0);
    ok = worker->workers->engine->journal->write_rows(worker->session, chunk->rows->set, give_rows, &chunk_load,
                                                      &(HbJournalEntry){key, NULL}, error) ||
         hb_restore_run_keep_rows(stream_rows->run, chunk->rows->set, error);
    if (ok)
        note_loaded(stream_rows, chunk->file, &chunk_load.counter.sum.digest);
    hb_row_counter_clear(&chunk_load.counter);
    hb_unpacker_close(chunk_load.unpacker);
    return ok;
}

/* What was committed although the answer got lost is found in the journal */
static gboolean is_there_after_all(HbStreamRows *stream_rows, const HbStreamChunk *chunk)
{
    g_autofree char *key = key_of(chunk);
    gboolean there;

    g_mutex_lock(&stream_rows->lock);
    there = hb_restore_run_read_journal(stream_rows->run, NULL) && hb_restore_run_is_noted(stream_rows->run, key);
    g_mutex_unlock(&stream_rows->lock);
    return there;
}

static gboolean load_stubbornly(HbStreamRows *stream_rows, HbWorker *worker, const HbStreamChunk *chunk, GError **error)
{
    for (int attempt = 1;; attempt++) {
        g_autoptr(GError) cause = NULL;

        if (load_once(stream_rows, worker, chunk, &cause) || hb_error_is(cause, HB_ERROR_ALREADY_DONE))
            return TRUE;
        if (hb_error_is(cause, HB_ERROR_LOST) && attempt < ATTEMPTS && hb_worker_reopen(worker, NULL)) {
            hb_restore_run_note_broken(stream_rows->run);
            if (is_there_after_all(stream_rows, chunk))
                return TRUE;
            continue;
        }
        if (hb_error_is(cause, HB_ERROR_RETRY) && attempt < ATTEMPTS)
            continue;
        if (hb_error_is(cause, HB_ERROR_STATEMENT) || hb_error_is(cause, HB_ERROR_RIGHTS) ||
            hb_error_is(cause, HB_ERROR_ABSENT) || hb_error_is(cause, HB_ERROR_LOCKED)) {
            hb_restore_run_fail_rows(stream_rows->run, chunk->rows->set, cause);
            return TRUE; /* that table's matter; the others go on */
        }
        g_propagate_prefixed_error(error, g_steal_pointer(&cause), "%s: ", chunk->file);
        return FALSE;
    }
}

static void chunk_free(gpointer data)
{
    hb_stream_chunk_clear(data);
    g_free(data);
}

static gboolean work(HbWorker *worker, gpointer data, GError **error)
{
    HbStreamRows *stream_rows = data;
    gboolean ok = TRUE;
    HbStreamChunk *chunk;

    while (ok && (chunk = g_async_queue_pop(stream_rows->chunks)) != &stream_rows->end) {
        hb_worker_notify_started(worker, &(HbWorkerTask){.what = chunk->rows->set->table});
        ok = load_stubbornly(stream_rows, worker, chunk, error);
        hb_worker_notify_finished(worker);
        chunk_free(chunk);
        g_async_queue_push(stream_rows->places, stream_rows);
    }
    g_async_queue_push(stream_rows->chunks, &stream_rows->end); /* for the next worker */
    return ok;
}

/* ---- This thread: reads the stream ---- */

/* FALSE if the workers have ended before the stream did */
static gboolean wait_for_place(HbStreamRows *stream_rows)
{
    while (!hb_stop_is_set(stream_rows->options.stop)) {
        if (g_async_queue_timeout_pop(stream_rows->places, WAIT_US) != NULL)
            return TRUE;
    }
    return FALSE;
}

static gboolean is_missing(HbStreamRows *stream_rows, const HbStreamChunk *chunk)
{
    g_autofree char *key = key_of(chunk);
    gboolean noted;

    /* A worker whose connection broke reads the journal anew */
    g_mutex_lock(&stream_rows->lock);
    noted = hb_restore_run_is_noted(stream_rows->run, key);
    g_mutex_unlock(&stream_rows->lock);
    return !noted;
}

static gboolean read_stream(HbStreamRows *stream_rows, GError **error)
{
    for (;;) {
        HbStreamChunk chunk = {0};
        if (!hb_stream_next(stream_rows->stream, &chunk, error)) {
            hb_stream_chunk_clear(&chunk);
            return FALSE;
        }
        if (chunk.file == NULL)
            return TRUE;
        chunk.rows = g_hash_table_lookup(stream_rows->targets, chunk.rows);
        if (chunk.rows == NULL || !is_missing(stream_rows, &chunk)) {
            hb_stream_chunk_clear(&chunk);
        } else if (wait_for_place(stream_rows)) {
            g_async_queue_push(stream_rows->chunks, g_memdup2(&chunk, sizeof chunk));
        } else {
            hb_stream_chunk_clear(&chunk);
            return hb_stop_set_error(error);
        }
    }
}

typedef struct {
    HbStreamRows *stream_rows;
    GThread *thread;
    GError *error;
    gboolean ok;
} Reading;

static gpointer run_reading(gpointer data)
{
    Reading *reading = data;

    reading->ok = read_stream(reading->stream_rows, &reading->error);
    if (!reading->ok)
        hb_stop_trigger(reading->stream_rows->options.stop);
    g_async_queue_push(reading->stream_rows->chunks, &reading->stream_rows->end);
    return NULL;
}

/* ---- The end: is what was loaded what was dumped? ---- */

static gboolean take_chunks(HbStreamRows *stream_rows, HbStoredRows *rows, const HbStoredRows *last, GError **error)
{
    for (guint c = 0; c < last->chunks->len; c++) {
        const HbChunk *chunk = last->chunks->pdata[c];
        const HbDigest *loaded = g_hash_table_lookup(stream_rows->loaded, chunk->file);
        if (loaded != NULL && !hb_digest_is_equal(loaded, &chunk->digest))
            return hb_error_set(error, HB_ERROR_DAMAGED, "drop what was restored, and send the dump again",
                                "%s: the rows that came are not those that were dumped", chunk->file);
        g_ptr_array_add(rows->chunks, hb_chunk_copy(chunk));
    }
    rows->digest = last->digest;
    rows->bytes = last->bytes;
    return TRUE;
}

/* Names may have changed on the way; folders have not */
static GHashTable *index_folders(const HbManifest *manifest)
{
    GHashTable *folders = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < manifest->rows->len; i++) {
        HbStoredRows *rows = manifest->rows->pdata[i];
        if (rows->folder != NULL)
            g_hash_table_insert(folders, rows->folder, rows);
    }
    return folders;
}

static gboolean take_last_manifest(HbStreamRows *stream_rows, GError **error)
{
    const GPtrArray *taken = hb_restore_run_get_rows(stream_rows->run);
    g_autoptr(GHashTable) last = index_folders(hb_stream_get_last_manifest(stream_rows->stream));

    for (guint i = 0; i < taken->len; i++) {
        HbStoredRows *rows = taken->pdata[i];
        const HbStoredRows *whole = rows->folder != NULL ? g_hash_table_lookup(last, rows->folder) : NULL;
        if (whole == NULL)
            return hb_error_set(error, HB_ERROR_DAMAGED, NULL, "%s: the end of the stream does not know it",
                                rows->set->identity);
        if (!take_chunks(stream_rows, rows, whole, error))
            return FALSE;
    }
    return TRUE;
}

/* The cause rather than its echo: a stream that broke off stops the workers, and the other way round */
static gboolean run_both(HbStreamRows *stream_rows, GError **error)
{
    const HbWorkers workers = {.engine = stream_rows->options.engine,
                               .address = hb_restore_run_get_address(stream_rows->run),
                               .jobs = stream_rows->options.jobs,
                               .stop = stream_rows->options.stop,
                               .observers = stream_rows->options.observers,
                               .enter = enter,
                               .work = work,
                               .data = stream_rows};
    Reading reading = {.stream_rows = stream_rows};
    g_autoptr(GError) cause = NULL;
    gboolean ok;

    reading.thread = g_thread_new("stream", run_reading, &reading);
    ok = hb_workers_run(&workers, &cause);
    g_thread_join(reading.thread);
    ok = ok && reading.ok;
    if (reading.error != NULL && (cause == NULL || hb_error_is(cause, HB_ERROR_CANCELLED))) {
        g_clear_error(&cause);
        cause = g_steal_pointer(&reading.error);
    }
    g_clear_error(&reading.error);
    if (!ok)
        g_propagate_error(error, g_steal_pointer(&cause));
    return ok;
}

static void index_targets(HbStreamRows *stream_rows)
{
    const GPtrArray *rows = hb_restore_run_get_rows(stream_rows->run);

    for (guint i = 0; i < rows->len; i++) {
        HbStoredRows *one = rows->pdata[i];
        g_hash_table_insert(stream_rows->targets, (gpointer)one->original, one);
    }
}

static gboolean load(gpointer data, HbRestoreRun *run, GError **error)
{
    HbStreamRows *stream_rows = data;

    stream_rows->run = run;
    index_targets(stream_rows);
    if (!hb_restore_run_read_journal(run, error))
        return FALSE;
    hb_observers_begin_phase(stream_rows->options.observers, "loading rows as they come",
                             hb_catalog_count_bytes(hb_stream_get_manifest(stream_rows->stream)->catalog));
    for (guint i = 0; i < stream_rows->options.jobs * CHUNKS_A_SESSION; i++)
        g_async_queue_push(stream_rows->places, stream_rows);
    return run_both(stream_rows, error) && take_last_manifest(stream_rows, error);
}

/* ---- Life ---- */

HbStreamRows *hb_stream_rows_new(HbStream *stream, const HbRestoreOptions *options)
{
    HbStreamRows *stream_rows = g_new0(HbStreamRows, 1);

    stream_rows->provider = (HbRowProvider){.load = load, .data = stream_rows};
    stream_rows->stream = stream;
    stream_rows->options = *options;
    stream_rows->targets = g_hash_table_new(NULL, NULL);
    stream_rows->chunks = g_async_queue_new();
    stream_rows->places = g_async_queue_new();
    stream_rows->loaded = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    g_mutex_init(&stream_rows->lock);
    return stream_rows;
}

void hb_stream_rows_free(HbStreamRows *stream_rows)
{
    HbStreamChunk *left;

    if (stream_rows == NULL)
        return;
    while ((left = g_async_queue_try_pop(stream_rows->chunks)) != NULL) {
        if (left != &stream_rows->end)
            chunk_free(left);
    }
    g_hash_table_unref(stream_rows->targets);
    g_async_queue_unref(stream_rows->chunks);
    g_async_queue_unref(stream_rows->places);
    g_hash_table_unref(stream_rows->loaded);
    g_mutex_clear(&stream_rows->lock);
    g_free(stream_rows);
}

const HbRowProvider *hb_stream_rows_get_provider(const HbStreamRows *stream_rows)
{
    return &stream_rows->provider;
}
