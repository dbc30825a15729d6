/* SPDX-License-Identifier: Apache-2.0 */
#include "work/source/row_sums.h"

/* ---- The consumer of a reading ---- */

typedef struct {
    HbRowSums *sums;
    const HbRowSet *set;
    HbRowSketch *sketch; /* of the piece; as large as the set's; NULL: not wanted */
    HbRowScan scan;
    HbDigest digest;
    guint64 bytes;
} Summing;

static gpointer open_summing(gpointer data)
{
    Summing *summing = g_new0(Summing, 1);

    summing->sums = data;
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
    return g_hash_table_lookup(summing->sums->table, summing->set->identity);
}

static void begin_sketch(Summing *summing, guint cells)
{
    if (summing->sketch != NULL && hb_row_sketch_get_cells(summing->sketch) == cells) {
        hb_row_sketch_clear(summing->sketch);
        return;
    }
    hb_row_sketch_free(summing->sketch);
    summing->sketch = hb_row_sketch_new(cells);
}

/* The key is the sketch's: a digest needs none */
static void begin_summing(gpointer context, const HbRowSet *set, guint64 first)
{
    Summing *summing = context;
    const HbRowSketch *wanted;

    (void)first;
    summing->set = set;
    summing->digest = (HbDigest){0};
    summing->bytes = 0;
    wanted = sum_of(summing)->sketch;
    hb_row_scan_clear(&summing->scan);
    hb_row_scan_init(&summing->scan, (const guint *)(void *)set->key->data, wanted != NULL ? set->key->len : 0);
    if (wanted != NULL)
        begin_sketch(summing, hb_row_sketch_get_cells(wanted));
}

static gboolean take_row(gpointer context, const char *row, gsize length, GError **error)
{
    Summing *summing = context;

    (void)error;
    summing->bytes += length;
    if (!hb_row_scan_add(&summing->scan, row, length))
        return TRUE;
    hb_digest_add_hash(&summing->digest, summing->scan.mark.low, summing->scan.mark.high);
    if (summing->sketch != NULL)
        hb_row_sketch_add(summing->sketch, &summing->scan.mark);
    return TRUE;
}

static gboolean end_summing(gpointer context, gboolean good, GError **error)
{
    Summing *summing = context;
    HbRowSums *sums = summing->sums;

    (void)error;
    if (!good)
        return TRUE;
    g_mutex_lock(&sums->lock);
    hb_digest_add(&sum_of(summing)->digest, &summing->digest);
    if (summing->sketch != NULL)
        hb_row_sketch_add_all(sum_of(summing)->sketch, summing->sketch);
    sums->bytes += summing->bytes;
    g_mutex_unlock(&sums->lock);
    return TRUE;
}

/* ---- Life ---- */

void hb_row_sum_free(gpointer data)
{
    HbRowSum *sum = data;

    if (sum == NULL)
        return;
    hb_row_sketch_free(sum->sketch);
    if (sum->set != NULL)
        hb_row_set_free(sum->set);
    g_free(sum);
}

void hb_row_sums_init(HbRowSums *sums)
{
    *sums = (HbRowSums){.table = g_hash_table_new_full(g_str_hash, g_str_equal, NULL, hb_row_sum_free)};
    g_mutex_init(&sums->lock);
}

void hb_row_sums_clear(HbRowSums *sums)
{
    g_hash_table_unref(sums->table);
    g_mutex_clear(&sums->lock);
}

/* ---- Reading ---- */

/* One cell for each so many bytes of rows: for tables of usual rows one for each few hundred rows. More would not stay
 * in a processor's cache, where each row goes to some cells anywhere */
#define BYTES_A_CELL       32768
#define CELLS_OF_TABLE_MIN 64
#define CELLS_OF_TABLE_MAX 8192

/* All tables of a side together may have so many cells, of 128 bytes each; then all get less, down to the least that a
 * sketch can have. What that cannot tell is read a second time */
#define CELLS_OF_SIDE_MAX (512 * 1024)

static guint want_cells(const HbRowSet *set)
{
    return (guint)CLAMP(set->bytes / BYTES_A_CELL, CELLS_OF_TABLE_MIN, CELLS_OF_TABLE_MAX);
}

static guint find_shrink(const GPtrArray *sets)
{
    guint64 cells = 0;

    for (guint i = 0; i < sets->len; i++)
        cells += want_cells(sets->pdata[i]);
    return (guint)(cells / CELLS_OF_SIDE_MAX + 1);
}

/* The catalog's sets may get other names while the sums are of use */
static void prepare(HbRowSums *sums, const GPtrArray *sets, gboolean sketches)
{
    const guint shrink = find_shrink(sets);

    for (guint i = 0; i < sets->len; i++) {
        HbRowSum *sum = g_new0(HbRowSum, 1);
        sum->set = hb_row_set_copy(sets->pdata[i]);
        if (sketches)
            sum->sketch = hb_row_sketch_new(want_cells(sum->set) / shrink);
        g_hash_table_replace(sums->table, sum->set->identity, sum);
    }
}

gboolean hb_row_sums_read(HbRowSums *sums, const HbSnapshotRows *reading, gboolean sketches, GError **error)
{
    const HbRowConsumer consumer = {open_summing, close_summing, begin_summing, take_row, end_summing, sums, NULL};
    HbSnapshotRows own = *reading;

    own.consumer = &consumer;
    prepare(sums, reading->sets, sketches);
    return reading->sets->len == 0 || hb_snapshot_rows_read(&own, error);
}

static void take_sketches(HbRowSums *sums, const HbRowSums *sketched)
{
    GHashTableIter iter;
    gpointer data;

    g_hash_table_iter_init(&iter, sums->table);
    while (g_hash_table_iter_next(&iter, NULL, &data)) {
        HbRowSum *sum = data, *again = g_hash_table_lookup(sketched->table, sum->set->identity);
        if (again != NULL)
            sum->sketch = g_steal_pointer(&again->sketch);
    }
}

gboolean hb_row_sums_add_sketches(HbRowSums *sums, const HbSnapshotRows *reading, GError **error)
{
    HbRowSums sketched;
    gboolean ok;

    hb_row_sums_init(&sketched);
    ok = hb_row_sums_read(&sketched, reading, TRUE, error);
    if (ok)
        take_sketches(sums, &sketched);
    hb_row_sums_clear(&sketched);
    return ok;
}
