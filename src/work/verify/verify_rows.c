/* SPDX-License-Identifier: Apache-2.0 */
#include "work/verify/verify_inner.h"

#include <string.h>

/* ---- Sketches of a dump's rows, which are made when they are wanted ---- */

/* Rows of a chunk come in blocks, which are cut at the line ends */
static void scan_block(HbRowScan *scan, HbRowSketch *sketch, const char *bytes, gsize length)
{
    while (length > 0) {
        const char *end = memchr(bytes, '\n', length);
        const gsize piece = end != NULL ? (gsize)(end + 1 - bytes) : length;
        if (hb_row_scan_add(scan, bytes, piece))
            hb_row_sketch_add(sketch, &scan->mark);
        bytes += piece;
        length -= piece;
    }
}

static gboolean scan_chunk(HbUnpacker *unpacker, HbRowScan *scan, HbRowSketch *sketch, HbStop *stop, GError **error)
{
    const char *bytes;
    gsize length;

    for (;;) {
        if (hb_stop_is_set(stop))
            return hb_stop_set_error(error);
        if (!hb_unpacker_read(unpacker, &bytes, &length, error))
            return FALSE;
        if (length == 0)
            return TRUE;
        scan_block(scan, sketch, bytes, length);
    }
}

/* As large as TO's, and with TO's key: a dump says nothing of keys. NULL on failure; the caller's */
static HbRowSketch *sketch_dump(const HbSideContents *from, const HbStoredRows *rows, const HbRowSum *to,
                                GError **error)
{
    HbRowSketch *sketch = hb_row_sketch_new(hb_row_sketch_get_cells(to->sketch));
    HbRowScan scan;
    gboolean ok = TRUE;

    hb_row_scan_init(&scan, (const guint *)(void *)to->set->key->data, to->set->key->len);
    for (guint i = 0; i < rows->chunks->len && ok; i++) {
        HbUnpacker *unpacker = hb_reader_open_chunk(from->side->dump, rows->chunks->pdata[i], error);
        ok = unpacker != NULL && scan_chunk(unpacker, &scan, sketch, from->options->stop, error);
        hb_unpacker_close(unpacker);
    }
    hb_row_scan_clear(&scan);
    if (!ok)
        g_clear_pointer(&sketch, hb_row_sketch_free);
    return sketch;
}

/* ---- Differences ---- */

/* Do both sides take their keys from the same columns? Otherwise those of one mean nothing on the other */
static gboolean has_same_key(const HbRowSet *one, const HbRowSet *other)
{
    if (one->key->len != other->key->len)
        return FALSE;
    for (guint i = 0; i < one->key->len; i++) {
        if (g_array_index(one->key, guint, i) != g_array_index(other->key, guint, i))
            return FALSE;
    }
    return TRUE;
}

static void forget_keys(GArray *sketched)
{
    for (guint i = 0; i < sketched->len; i++)
        g_array_index(sketched, HbSketchedRow, i).key_length = HB_ROW_KEY_NONE;
}

static gboolean name_rows(const HbSideContents *from, HbDifference *difference, const HbRowSum *one,
                          const HbRowSum *other, GError **error)
{
    HbRowSketch *made = one->sketch == NULL ? sketch_dump(from, one->stored, other, error) : NULL;
    g_autoptr(GArray) sketched = NULL;

    if (one->sketch == NULL && made == NULL)
        return FALSE;
    sketched = hb_row_sketch_list_different(made != NULL ? made : one->sketch, other->sketch);
    hb_row_sketch_free(made);
    if (sketched == NULL)
        return TRUE;
    if (one->set != NULL && !has_same_key(one->set, other->set))
        forget_keys(sketched);
    difference->rows = hb_row_difference_new(sketched, other->set);
    return TRUE;
}

gboolean hb_verify_name_rows(const HbSideContents *from, const HbSideContents *to, GPtrArray *differences,
                             GError **error)
{
    for (guint i = 0; i < differences->len; i++) {
        HbDifference *difference = differences->pdata[i];
        const HbRowSum *one = g_hash_table_lookup(from->sums, difference->identity),
                       *other = g_hash_table_lookup(to->sums, difference->identity);
        if (difference->type == HB_DIFFERENCE_ROWS && !name_rows(from, difference, one, other, error))
            return FALSE;
    }
    return TRUE;
}
