/* SPDX-License-Identifier: Apache-2.0 */
#include "work/source/differing_rows.h"

#include <string.h>

/* ---- A dump's rows ---- */

/* Rows of a chunk come in blocks, which are cut at the line ends */
static gboolean pass_block(const char *bytes, gsize length, HbRowSink take, gpointer data, GError **error)
{
    while (length > 0) {
        const char *end = memchr(bytes, '\n', length);
        const gsize piece = end != NULL ? (gsize)(end + 1 - bytes) : length;
        if (!take(data, bytes, piece, error))
            return FALSE;
        bytes += piece;
        length -= piece;
    }
    return TRUE;
}

static gboolean scan_chunk(HbUnpacker *unpacker, HbStop *stop, HbRowSink take, gpointer data, GError **error)
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
        if (!pass_block(bytes, length, take, data, error))
            return FALSE;
    }
}

/* The taker gets rows, or pieces of them */
static gboolean scan_dump(const HbRowPlace *place, const HbStoredRows *rows, HbRowSink take, gpointer data,
                          GError **error)
{
    gboolean ok = TRUE;

    for (guint i = 0; i < rows->chunks->len && ok; i++) {
        HbUnpacker *unpacker = hb_reader_open_chunk(place->dump, rows->chunks->pdata[i], error);
        ok = unpacker != NULL && scan_chunk(unpacker, place->stop, take, data, error);
        hb_unpacker_close(unpacker);
    }
    return ok;
}

typedef struct {
    GString *row; /* that has begun */
    HbRowSink take;
    gpointer data;
} WholeRows;

static gboolean join_row(gpointer data, const char *piece, gsize length, GError **error)
{
    WholeRows *rows = data;
    gboolean ok = TRUE;

    g_string_append_len(rows->row, piece, (gssize)length);
    if (piece[length - 1] != '\n')
        return TRUE;
    ok = rows->take(rows->data, rows->row->str, rows->row->len, error);
    g_string_truncate(rows->row, 0);
    return ok;
}

gboolean hb_read_dumped_rows(const HbRowPlace *place, const HbStoredRows *stored, HbRowSink take, gpointer data,
                             GError **error)
{
    WholeRows rows = {g_string_new(NULL), take, data};
    const gboolean ok = scan_dump(place, stored, join_row, &rows, error);

    g_string_free(rows.row, TRUE);
    return ok;
}

typedef struct {
    HbRowScan scan;
    HbRowSketch *sketch;
} Sketching;

static gboolean sketch_piece(gpointer data, const char *piece, gsize length, GError **error)
{
    Sketching *sketching = data;

    (void)error;
    if (hb_row_scan_add(&sketching->scan, piece, length))
        hb_row_sketch_add(sketching->sketch, &sketching->scan.mark);
    return TRUE;
}

/* As large as TO's, and with TO's key: a dump says nothing of keys. NULL on failure; the caller's */
static HbRowSketch *sketch_dump(const HbRowPlace *place, const HbStoredRows *rows, const HbRowSum *to, GError **error)
{
    Sketching sketching = {.sketch = hb_row_sketch_new(hb_row_sketch_get_cells(to->sketch))};

    hb_row_scan_init(&sketching.scan, (const guint *)(void *)to->set->key->data, to->set->key->len);
    if (!scan_dump(place, rows, sketch_piece, &sketching, error))
        g_clear_pointer(&sketching.sketch, hb_row_sketch_free);
    hb_row_scan_clear(&sketching.scan);
    return sketching.sketch;
}

/* ---- A second look, at what differs too much for the first one ---- */

#define CELLS_OF_SECOND_LOOK (512 * 1024) /* 64 MiB, twice */
#define ROWS_OF_CELLS(cells) ((cells) / 10 * 7)

typedef struct {
    HbRowSketch *all;
    HbRowSketch *sample; /* of one key in so many, which always fits */
    guint one_in;        /* a power of two */
    gboolean is_to;
    HbRowScan scan;
    const HbRowPlace *place; /* that is read now */
    guint64 untold;          /* bytes that its throttle does not know of */
    guint64 passed;          /* bytes that the observers do not know of */
} SecondLook;

#define TOLD_EVERY_BYTES (1024 * 1024)

static void tell_progress(SecondLook *look, gsize length)
{
    look->passed += length;
    if (look->passed < TOLD_EVERY_BYTES)
        return;
    hb_observers_notify(look->place->observers,
                        &(HbEvent){.type = HB_EVENT_ADVANCED, .cost = look->passed, .bytes = look->passed});
    look->passed = 0;
}

static void look_at(SecondLook *look, HbRowSketch *sketch)
{
    if (look->is_to)
        hb_row_sketch_take_away(sketch, &look->scan.mark);
    else
        hb_row_sketch_add(sketch, &look->scan.mark);
}

static gboolean look_at_piece(gpointer data, const char *piece, gsize length, GError **error)
{
    SecondLook *look = data;

    hb_throttle_meter(look->place->throttle, &look->untold, length, look->place->stop);
    tell_progress(look, length);
    if (!hb_row_scan_add(&look->scan, piece, length))
        return TRUE;
    look_at(look, look->all);
    if ((hb_row_mark_spread(&look->scan.mark) & (look->one_in - 1)) == 0)
        look_at(look, look->sample);
    return !hb_stop_is_set(look->place->stop) || hb_stop_set_error(error);
}

static gboolean read_side(const HbRowPlace *place, const HbRowSum *sum, SecondLook *look, GError **error)
{
    const HbRange all = {.first = 0, .end = G_MAXUINT64};

    look->place = place;
    look->untold = 0;
    if (sum->stored != NULL)
        return scan_dump(place, sum->stored, look_at_piece, look, error);
    return place->engine->source->read_rows(place->session, sum->set, &all, look_at_piece, look, error);
}

static gboolean read_both(const HbRowPlace *from, const HbRowPlace *to, const HbRowSum *one, const HbRowSum *other,
                          SecondLook *look, GError **error)
{
    if (!read_side(from, one, look, error))
        return FALSE;
    look->is_to = TRUE;
    return read_side(to, other, look, error);
}

static guint64 count_bytes(const HbRowSum *sum)
{
    return sum->stored != NULL ? sum->stored->bytes : sum->set->bytes;
}

/* NULL on failure; the caller's */
static GArray *look_again(const HbRowPlace *from, const HbRowPlace *to, const HbRowSum *one, const HbRowSum *other,
                          guint *one_in, GError **error)
{
    const guint64 rows = one->digest.rows + other->digest.rows;
    const guint cells = (guint)MIN(rows * 2, CELLS_OF_SECOND_LOOK);
    SecondLook look = {.all = hb_row_sketch_new(cells), .sample = hb_row_sketch_new(cells), .one_in = 1};
    GArray *sketched = NULL;

    while (rows / look.one_in > ROWS_OF_CELLS(hb_row_sketch_get_cells(look.sample)))
        look.one_in *= 2;
    hb_row_scan_init(&look.scan, (const guint *)(void *)other->set->key->data, other->set->key->len);
    hb_observers_note(from->observers, HB_SEVERITY_NOTE, NULL,
                      "%s: many rows differ; both sides are read once more to name them", other->set->table);
    hb_observers_begin_phase(from->observers, "reading rows once more", count_bytes(one) + count_bytes(other));
    if (read_both(from, to, one, other, &look, error)) {
        *one_in = 1;
        sketched = hb_row_sketch_list_left(look.all);
        if (sketched == NULL) {
            *one_in = look.one_in;
            sketched = hb_row_sketch_list_left(look.sample);
        }
    }
    hb_row_scan_clear(&look.scan);
    hb_row_sketch_free(look.all);
    hb_row_sketch_free(look.sample);
    return sketched;
}

/* ---- The whole ---- */

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

gboolean hb_find_differing_rows(const HbRowPlace *from, const HbRowPlace *to, const HbRowSum *one,
                                const HbRowSum *other, GArray **sketched, guint *one_in, GError **error)
{
    HbRowSketch *made = one->sketch == NULL ? sketch_dump(from, one->stored, other, error) : NULL;

    if (one->sketch == NULL && made == NULL)
        return FALSE;
    *one_in = 1;
    *sketched = hb_row_sketch_list_different(made != NULL ? made : one->sketch, other->sketch);
    hb_row_sketch_free(made);
    if (*sketched == NULL)
        *sketched = look_again(from, to, one, other, one_in, error);
    if (*sketched == NULL)
        return FALSE;
    if (one->set != NULL && !has_same_key(one->set, other->set))
        forget_keys(*sketched);
    return TRUE;
}
