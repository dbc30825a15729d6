/* SPDX-License-Identifier: Apache-2.0 */
#include "work/dump.h"

#include "core/order.h"
#include "dump/writer.h"
#include "work/adapt.h"
#include "work/reading.h"
#include "work/rowpipe.h"

#include "version.h"

/* How often the structure is read before a dump gives up because it keeps changing */
#define STRUCTURE_ATTEMPTS 6
#define RETRY_WAIT_MS      300

/* One dump in the making */
typedef struct {
    const HbDumpOptions *options;
    HbManifest *manifest;
    HbWriter *writer;
    HbSnapshot snapshot;
    GPtrArray *readers; /* HbSession *: joined, and not yet taken by a worker */
    GPtrArray *along;   /* char *: what comes along, because it is needed */
    gboolean again;     /* the structure had to be read another time */
    GMutex lock;        /* guards chunks of rows */
    GHashTable *by_set; /* HbRowSet * to HbStoredRows * */
} Making;

/* ---- Rows to chunks: the consumer of a reading ---- */

typedef struct {
    Making *making;
    HbRowPipe *pipe;
    const HbRowSet *set;
} Packing;

static gpointer open_packing(gpointer data)
{
    Packing *packing = g_new0(Packing, 1);

    packing->making = data;
    packing->pipe = hb_row_pipe_new(packing->making->writer, packing->making->options->level,
                                    packing->making->options->chunk_bytes);
    return packing;
}

static void close_packing(gpointer context)
{
    Packing *packing = context;

    hb_row_pipe_free(packing->pipe);
    g_free(packing);
}

static void begin_packing(gpointer context, const HbRowSet *set, guint64 first)
{
    Packing *packing = context;

    (void)first;
    packing->set = set;
    hb_row_pipe_begin(packing->pipe, set);
}

static gboolean take_row(gpointer context, const char *row, gsize length, GError **error)
{
    Packing *packing = context;

    return hb_row_pipe_take(packing->pipe, row, length, error);
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
        hb_row_pipe_give_up(packing->pipe);
        return TRUE;
    }
    chunks = hb_row_pipe_end(packing->pipe, error);
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
    const HbDumpOptions *options = making->options;
    const HbRowConsumer consumer = {open_packing, close_packing, begin_packing, take_row, end_packing, making};
    const HbReading reading = {.engine = options->engine,
                               .address = &options->from,
                               .snapshot = &making->snapshot,
                               .sets = hb_catalog_get_row_sets(making->manifest->catalog),
                               .sessions = making->readers,
                               .jobs = making->readers->len,
                               .stop = options->stop,
                               .observers = options->observers,
                               .phase = "reading rows",
                               .consumer = &consumer};

    if (reading.sets->len > 0 && !hb_reading_run(&reading, error))
        return FALSE;
    add_up(making);
    return TRUE;
}

/* ---- Catalog ---- */

static void fit_version(Making *making)
{
    HbManifest *manifest = making->manifest;
    guint version = making->options->for_version;
    g_autofree char *product = NULL;

    if (version == 0)
        return;
    product = g_strdup_printf("%s %s", manifest->product, making->options->for_version_text);
    hb_catalog_fit(manifest->catalog, version, product);
    manifest->written_for = version;
}

static void add_row_sets(Making *making)
{
    HbManifest *manifest = making->manifest;
    const GPtrArray *sets;

    fit_version(making);
    sets = hb_catalog_get_row_sets(manifest->catalog);
    for (guint i = 0; i < sets->len; i++)
        g_hash_table_insert(making->by_set, sets->pdata[i], hb_manifest_add_rows(manifest, sets->pdata[i]));
}

static gboolean read_catalog(Making *making, GError **error)
{
    HbManifest *manifest = making->manifest;
    GPtrArray *survey;

    survey = making->options->engine->survey(making->readers->pdata[0], FALSE, error);
    if (survey == NULL)
        return FALSE;
    g_ptr_array_unref(manifest->survey);
    manifest->survey = survey;
    manifest->catalog = making->options->engine->read_catalog(making->readers, making->options->parts, error);
    g_ptr_array_set_size(making->along, 0);
    return manifest->catalog != NULL && hb_order_arrange(manifest->catalog, error) &&
           hb_choice_apply(making->options->choice, manifest->catalog, TRUE, making->along, error);
}

static void pass_remark(gpointer data, const char *what, const char *hint)
{
    hb_observers_note(((Making *)data)->options->observers, HB_SEVERITY_WARNING, hint, "%s", what);
}

/* ---- The whole ---- */

gboolean hb_dump_describe_source(const HbDumpOptions *options, HbManifest *manifest, HbSession *session, GError **error)
{
    HbServerInfo info = {0};
    g_autoptr(GDateTime) now = g_date_time_new_now_utc();

    if (!options->engine->describe(session, &info, error))
        return FALSE;
    manifest->id = g_uuid_string_random();
    manifest->created = g_date_time_format(now, "%Y-%m-%dT%H:%M:%SZ");
    manifest->tool = g_strdup(HB_VERSION);
    manifest->engine = g_strdup(options->engine->name);
    manifest->parts = options->parts;
    manifest->choice = hb_choice_is_partial(options->choice) ? hb_choice_copy(options->choice) : NULL;
    manifest->product = g_steal_pointer(&info.product);
    manifest->server_version = g_steal_pointer(&info.version);
    manifest->version_number = info.version_number;
    manifest->written_for = info.version_number;
    manifest->address = g_steal_pointer(&info.address);
    manifest->database = g_steal_pointer(&info.database);
    manifest->database_quoted = g_steal_pointer(&info.database_quoted);
    hb_server_info_clear(&info);
    return TRUE;
}

/* All readers join before the catalog is read, so that their locks stand before anybody can ask for stronger ones */
static gboolean read_structure(Making *making, HbSession *keeper, GError **error)
{
    const HbDumpOptions *options = making->options;
    const HbReaders readers = {options->engine, &options->from, &making->snapshot, options->jobs, options->stop};

    hb_observers_begin_phase(options->observers, "locking tables", 0);
    making->snapshot.sessions = options->jobs;
    making->snapshot.hold_tables = options->hold_tables;
    if (!options->engine->begin_snapshot(keeper, options->lock_wait_ms, &making->snapshot, pass_remark, making, error))
        return FALSE;
    hb_observers_begin_phase(options->observers, "reading the catalog", 0);
    return hb_readers_open(&readers, keeper, making->readers, error) && read_catalog(making, error) &&
           options->engine->check_structure(keeper, error);
}

/* Gives others time to finish what they do before the structure is read again */
static gboolean let_go(Making *making, HbSession *keeper, int attempt, GError **error)
{
    const HbDumpOptions *options = making->options;

    hb_readers_close(options->engine, options->stop, making->readers);
    options->engine->drop_snapshot(keeper);
    hb_snapshot_clear(&making->snapshot);
    g_clear_pointer(&making->manifest->catalog, hb_catalog_free);
    making->again = TRUE;
    return hb_stop_sleep(options->stop, RETRY_WAIT_MS * (guint)attempt) || hb_stop_set_error(error);
}

/* Locked out while reading: to let go of everything lets the other one finish. The first locks have waited already */
static gboolean is_held_up(const Making *making, const GError *error)
{
    return hb_error_is(error, HB_ERROR_LOCKED) && (making->snapshot.token != NULL || making->again);
}

/*
 * Tables are locked, but views, functions and types can be changed while they are read, and the server prints some
 * definitions as they are now rather than as they were in the snapshot: then all of it is read again.
 */
static gboolean read_structure_stubbornly(Making *making, HbSession *keeper, GError **error)
{
    for (int attempt = 1;; attempt++) {
        g_autoptr(GError) ours = NULL;

        if (read_structure(making, keeper, &ours))
            return TRUE;
        if (attempt == STRUCTURE_ATTEMPTS || !(hb_error_is(ours, HB_ERROR_RETRY) || is_held_up(making, ours))) {
            g_propagate_error(error, g_steal_pointer(&ours));
            return FALSE;
        }
        hb_observers_note(making->options->observers, HB_SEVERITY_NOTE, NULL, "%s; reading it again", ours->message);
        if (!let_go(making, keeper, attempt, error))
            return FALSE;
    }
}

static gboolean read_source(Making *making, HbSession *keeper, GError **error)
{
    const HbDumpOptions *options = making->options;

    if (!read_structure_stubbornly(making, keeper, error))
        return FALSE;
    making->manifest->snapshot_time = g_strdup(making->snapshot.time);
    making->manifest->snapshot_position = g_strdup(making->snapshot.position);
    hb_adapt_tell_along(options->observers, options->choice, making->along);
    add_row_sets(making);
    return read_rows(making, error) && options->engine->end_snapshot(keeper, error);
}

static gboolean make(Making *making, HbSession *keeper, GError **error)
{
    const HbDumpOptions *options = making->options;

    if (!hb_dump_describe_source(options, making->manifest, keeper, error))
        return FALSE;
    making->writer = hb_writer_open(options->path, making->manifest, options->engine->preamble, error);
    if (making->writer == NULL || !read_source(making, keeper, error))
        return FALSE;
    if (hb_stop_is_set(options->stop))
        return hb_stop_set_error(error);
    hb_observers_begin_phase(options->observers, "writing the manifest", 0);
    return hb_writer_finish(g_steal_pointer(&making->writer), error);
}

static gboolean make_with_keeper(Making *making, GError **error)
{
    const HbDumpOptions *options = making->options;
    HbSession *keeper = options->engine->open(&options->from, error);
    g_autoptr(GError) ours = NULL;
    gboolean ok;

    if (keeper == NULL)
        return FALSE;
    hb_stop_add(options->stop, options->engine, keeper);
    ok = make(making, keeper, &ours);
    hb_stop_remove(options->stop, keeper);
    options->engine->close(keeper);
    if (!ok && hb_stop_is_by_user(options->stop))
        return hb_stop_set_error(error);
    if (!ok)
        g_propagate_error(error, g_steal_pointer(&ours));
    return ok;
}

HbManifest *hb_dump_run(const HbDumpOptions *options, GError **error)
{
    Making making = {.options = options, .manifest = hb_manifest_new(), .by_set = g_hash_table_new(NULL, NULL)};
    gboolean ok;

    g_mutex_init(&making.lock);
    making.readers = g_ptr_array_new();
    making.along = g_ptr_array_new_with_free_func(g_free);
    ok = make_with_keeper(&making, error);
    hb_readers_close(options->engine, options->stop, making.readers);
    g_ptr_array_unref(making.readers);
    g_ptr_array_unref(making.along);
    hb_writer_discard(making.writer);
    hb_snapshot_clear(&making.snapshot);
    g_hash_table_unref(making.by_set);
    g_mutex_clear(&making.lock);
    if (!ok)
        g_clear_pointer(&making.manifest, hb_manifest_free);
    return making.manifest;
}
