/* SPDX-License-Identifier: Apache-2.0 */
#include "work/verify/verify_inner.h"

#include "core/graph/order.h"
#include "work/run/lookout.h"
#include "work/source/adapt.h"
#include "work/source/snapshot_rows.h"

#include <string.h>

/*
 * One side of a comparison: a dump, whose digests are known, or a server, which is read at one moment by sessions of
 * its own. What a worker reads it sums up by itself; only the sum of a finished piece is added to the row set's, under
 * the lock. A piece that is read again after a lost connection starts its sum anew, so no row counts twice.
 */

/* ---- Rows to digests: the consumer of a reading ---- */

typedef struct {
    HbSideContents *contents;
    const HbRowSet *set;
    HbRowSketch *sketch; /* of the piece; as large as the set's */
    HbRowScan scan;
    HbDigest digest;
    guint64 bytes;
} Summing;

static gpointer open_summing(gpointer data)
{
    Summing *summing = g_new0(Summing, 1);

    summing->contents = data;
    return summing;
}

static void close_summing(gpointer context)
{
    Summing *summing = context;

    hb_row_scan_clear(&summing->scan);
    hb_row_sketch_free(summing->sketch);
    g_free(summing);
}

static HbRowSum *sum_of(const Summing *summing)
{
    return g_hash_table_lookup(summing->contents->sums, summing->set->identity);
}

static void begin_summing(gpointer context, const HbRowSet *set, guint64 first)
{
    Summing *summing = context;
    guint cells;

    (void)first;
    summing->set = set;
    summing->digest = (HbDigest){0};
    summing->bytes = 0;
    cells = hb_row_sketch_get_cells(sum_of(summing)->sketch);
    if (summing->sketch != NULL && hb_row_sketch_get_cells(summing->sketch) == cells) {
        hb_row_sketch_clear(summing->sketch);
    } else {
        hb_row_sketch_free(summing->sketch);
        summing->sketch = hb_row_sketch_new(cells);
    }
    hb_row_scan_clear(&summing->scan);
    hb_row_scan_init(&summing->scan, (const guint *)(void *)set->key->data, set->key->len);
}

static gboolean take_row(gpointer context, const char *row, gsize length, GError **error)
{
    Summing *summing = context;

    (void)error;
    summing->bytes += length;
    if (!hb_row_scan_add(&summing->scan, row, length))
        return TRUE;
    hb_digest_add_hash(&summing->digest, summing->scan.mark.low, summing->scan.mark.high);
    hb_row_sketch_add(summing->sketch, &summing->scan.mark);
    return TRUE;
}

static gboolean end_summing(gpointer context, gboolean good, GError **error)
{
    Summing *summing = context;
    HbSideContents *contents = summing->contents;

    (void)error;
    if (!good)
        return TRUE;
    g_mutex_lock(&contents->lock);
    hb_digest_add(&sum_of(summing)->digest, &summing->digest);
    hb_row_sketch_add_all(sum_of(summing)->sketch, summing->sketch);
    contents->bytes += summing->bytes;
    g_mutex_unlock(&contents->lock);
    return TRUE;
}

/* ---- One side ---- */

void hb_row_sum_free(gpointer data)
{
    HbRowSum *sum = data;

    if (sum == NULL)
        return;
    hb_row_sketch_free(sum->sketch);
    g_free(sum);
}

void hb_side_contents_init(HbSideContents *contents, const HbVerifyOptions *options, const HbSide *side,
                           guint first_worker)
{
    *contents = (HbSideContents){.options = options, .side = side, .first_worker = first_worker};
    g_mutex_init(&contents->lock);
    contents->readers = g_ptr_array_new();
    contents->sums = g_hash_table_new_full(g_str_hash, g_str_equal, NULL, hb_row_sum_free);
    contents->other_users = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
}

/* What was chosen when a dump was made, and what is chosen now. What FROM has must be there to be chosen */
static gboolean choose(HbSideContents *contents, GError **error)
{
    const HbVerifyOptions *options = contents->options;
    gboolean is_from = contents->side == &options->from;

    if (!is_from && options->from.dump != NULL &&
        !hb_selection_apply(hb_reader_get_manifest(options->from.dump)->selection, contents->catalog,
                            options->to.engine->dialect, FALSE, NULL, error))
        return FALSE;
    return hb_selection_apply(options->selection, contents->catalog, options->to.engine->dialect, is_from, NULL,
                              error) &&
           (!is_from || hb_adapt_check_names(contents->catalog, options->to.engine, &options->wishes, error));
}

gboolean hb_side_contents_read_dump(HbSideContents *contents, GError **error)
{
    const HbManifest *manifest = hb_reader_get_manifest(contents->side->dump);

    contents->catalog = hb_catalog_copy(manifest->catalog);
    contents->version = manifest->version_number;
    contents->database = g_strdup(manifest->database);
    if (!choose(contents, error))
        return FALSE;
    for (guint i = 0; i < manifest->rows->len; i++) {
        HbStoredRows *rows = manifest->rows->pdata[i];
        if (hb_catalog_find(contents->catalog, rows->set->identity) == NULL)
            continue;
        HbRowSum *sum = g_new0(HbRowSum, 1);
        *sum = (HbRowSum){.digest = rows->digest, .stored = rows};
        g_hash_table_insert(contents->sums, rows->set->identity, sum);
    }
    return TRUE;
}

static void pass_remark(gpointer data, const char *what, const char *hint)
{
    hb_observers_note(((HbSideContents *)data)->options->observers, HB_SEVERITY_NOTE, hint, "%s", what);
}

static gboolean read_catalog(HbSideContents *contents, GError **error)
{
    const HbVerifyOptions *options = contents->options;

    contents->catalog = contents->side->engine->source->read_catalog(
        contents->readers, hb_selection_list_parts(options->selection, options->parts), error);
    if (contents->catalog == NULL || !hb_order_arrange(contents->catalog, error) || !choose(contents, error))
        return FALSE;
    hb_catalog_keep_parts(contents->catalog, options->parts);
    return hb_catalog_check_rows(contents->catalog, error);
}

/* One cell for each so many bytes of rows: for tables of usual rows one for each few hundred rows */
#define BYTES_A_CELL 16384

/* All tables of a side together may have so many cells (80 bytes each) beyond the least */
#define CELLS_OF_TABLE_MAX 16384
#define CELLS_OF_SIDE_MAX  (512 * 1024)

static guint want_cells(const HbRowSet *set, guint shrink)
{
    return (guint)CLAMP(set->bytes / BYTES_A_CELL / shrink, HB_SKETCH_CELLS_MIN, CELLS_OF_TABLE_MAX / shrink);
}

static void prepare_sums(HbSideContents *contents, const GPtrArray *sets)
{
    guint64 cells = 0;

    for (guint i = 0; i < sets->len; i++)
        cells += want_cells(sets->pdata[i], 1);
    const guint shrink = (guint)CLAMP(cells / CELLS_OF_SIDE_MAX, 1, CELLS_OF_TABLE_MAX / HB_SKETCH_CELLS_MIN);
    for (guint i = 0; i < sets->len; i++) {
        HbRowSum *sum = g_new0(HbRowSum, 1);
        *sum = (HbRowSum){.set = sets->pdata[i], .sketch = hb_row_sketch_new(want_cells(sets->pdata[i], shrink))};
        g_hash_table_insert(contents->sums, sum->set->identity, sum);
    }
}

static gboolean read_rows(HbSideContents *contents, GError **error)
{
    const HbVerifyOptions *options = contents->options;
    const HbRowConsumer consumer = {open_summing, close_summing, begin_summing, take_row, end_summing, contents, NULL};
    const HbSnapshotRows reading = {.engine = contents->side->engine,
                                    .address = &contents->side->address,
                                    .snapshot = &contents->snapshot,
                                    .sets = hb_catalog_get_row_sets(contents->catalog),
                                    .sessions = contents->readers,
                                    .jobs = contents->readers->len,
                                    .first_worker = contents->first_worker,
                                    .stop = options->stop,
                                    .observers = options->observers,
                                    .phase = "reading rows",
                                    .consumer = &consumer};

    prepare_sums(contents, reading.sets);
    return reading.sets->len == 0 || hb_snapshot_rows_read(&reading, error);
}

static gboolean describe(HbSideContents *contents, HbSession *keeper, GError **error)
{
    HbServerInfo info = {0};

    if (!contents->side->engine->connector->describe(keeper, &info, error))
        return FALSE;
    contents->database = g_steal_pointer(&info.database);
    contents->version = info.version_number;
    hb_server_info_clear(&info);
    return TRUE;
}

static gboolean read_in_snapshot(HbSideContents *contents, HbSession *keeper, GError **error)
{
    const HbEngine *engine = contents->side->engine;
    const HbSnapshotSessions readers = {engine, &contents->side->address, &contents->snapshot, contents->options->jobs,
                                        contents->options->stop};

    contents->snapshot.sessions = contents->options->jobs;
    if (!describe(contents, keeper, error) ||
        !engine->source->begin_snapshot(keeper, contents->options->lock_wait_ms, &contents->snapshot, pass_remark,
                                        contents, error))
        return FALSE;
    return hb_snapshot_sessions_open(&readers, keeper, contents->readers, error) && read_catalog(contents, error) &&
           read_rows(contents, error);
}

static void close_keeper(HbSideContents *contents)
{
    if (contents->keeper == NULL)
        return;
    hb_snapshot_sessions_close(contents->side->engine, contents->readers);
    contents->side->engine->connector->close(contents->keeper);
    contents->keeper = NULL;
    hb_lookout_end(contents->lookout);
    contents->lookout = NULL;
}

void hb_side_contents_clear(HbSideContents *contents)
{
    close_keeper(contents);
    g_hash_table_unref(contents->sums);
    g_hash_table_unref(contents->other_users);
    g_ptr_array_unref(contents->readers);
    g_mutex_clear(&contents->lock);
    hb_catalog_free(contents->catalog);
    hb_snapshot_clear(&contents->snapshot);
    g_free(contents->database);
    g_clear_error(&contents->error);
}

gboolean hb_side_contents_end(HbSideContents *contents, GError **error)
{
    const gboolean ok =
        contents->keeper == NULL || contents->side->engine->source->end_snapshot(contents->keeper, error);

    close_keeper(contents);
    return ok;
}

void hb_side_contents_read_server(HbSideContents *contents)
{
    const HbEngine *engine = contents->side->engine;
    const HbVerifyOptions *options = contents->options;
    const char *whose = contents->side == &options->from ? "FROM" : "TO";

    contents->lookout = hb_lookout_start(engine, &contents->side->address, whose, options->stop, options->observers);
    contents->keeper = engine->connector->open(&contents->side->address, &contents->error);
    if (contents->keeper != NULL && read_in_snapshot(contents, contents->keeper, &contents->error)) {
        hb_snapshot_sessions_close(engine, contents->readers);
        return;
    }
    close_keeper(contents);
    hb_lookout_end(contents->lookout);
    contents->lookout = NULL;
    hb_stop_trigger(options->stop);
}
