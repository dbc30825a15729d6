/* SPDX-License-Identifier: Apache-2.0 */
#include "work/source/differing_rows.h"
#include "work/source/fetch_rows.h"
#include "work/verify/verify_inner.h"

#include <string.h>

/* Only readers are in the snapshot, with every engine. NULL: a dump */
static HbSession *find_reader(const HbSideContents *contents)
{
    return contents->readers->len > 0 ? contents->readers->pdata[0] : NULL;
}

static HbRowPlace place_of(const HbSideContents *contents)
{
    return (HbRowPlace){.engine = contents->side->engine,
                        .session = find_reader(contents),
                        .dump = contents->side->dump,
                        .throttle = hb_side_contents_get_throttle(contents),
                        .stop = contents->options->stop,
                        .observers = contents->options->observers};
}

/* ---- Values ---- */

typedef struct {
    HbRowDifference *difference;
    guint rows_max;
    gboolean is_to;
} Showing;

static const HbSketchedRow *of_side(const Showing *showing, const HbNamedRow *row)
{
    return showing->is_to ? &row->of_to : &row->of_from;
}

static gboolean keep_value(gpointer data, const char *text, gsize length, GError **error)
{
    const Showing *showing = data;
    HbRowScan scan;

    (void)error;
    hb_row_scan_init(&scan, NULL, 0);
    hb_row_scan_add(&scan, text, length);
    for (guint i = 0; i < MIN(showing->difference->rows->len, showing->rows_max); i++) {
        HbNamedRow *row = showing->difference->rows->pdata[i];
        char **kept = showing->is_to ? &row->to : &row->from;
        if (*kept == NULL && of_side(showing, row)->count != 0 &&
            hb_row_sketch_is_of(of_side(showing, row), &scan.mark))
            *kept = g_strndup(text, length - 1);
    }
    hb_row_scan_clear(&scan);
    return TRUE;
}

static gboolean show_side(const HbSideContents *contents, const HbRowSum *sum, Showing *showing, GError **error)
{
    g_autoptr(GArray) wanted = g_array_new(FALSE, FALSE, sizeof(HbSketchedRow));
    const HbRowPlace place = place_of(contents);
    const HbRowFetch fetch = {.engine = contents->side->engine,
                              .session = find_reader(contents),
                              .set = sum->set,
                              .wanted = wanted,
                              .stop = contents->options->stop,
                              .take = keep_value,
                              .data = showing};

    for (guint i = 0; i < MIN(showing->difference->rows->len, showing->rows_max); i++) {
        const HbSketchedRow *row = of_side(showing, showing->difference->rows->pdata[i]);
        if (row->count != 0)
            g_array_append_val(wanted, *row);
    }
    if (sum->stored != NULL)
        return hb_read_dumped_rows(&place, sum->stored, keep_value, showing, error);
    return hb_fetch_rows(&fetch, error);
}

static gboolean has_long_key(const HbRowDifference *difference, guint rows_max)
{
    for (guint i = 0; i < MIN(difference->rows->len, rows_max); i++) {
        const HbNamedRow *row = difference->rows->pdata[i];
        if (row->of_from.key_length == HB_ROW_KEY_HASHED || row->of_to.key_length == HB_ROW_KEY_HASHED)
            return TRUE;
    }
    return FALSE;
}

/* A long key is read from the row's text, which is not shown for that */
static void keep_keys(const HbRowSet *set, HbRowDifference *difference, guint rows_max, gboolean show_values)
{
    for (guint i = 0; i < MIN(difference->rows->len, rows_max); i++) {
        HbNamedRow *row = difference->rows->pdata[i];
        if (row->key == NULL && set->key->len > 0 && (row->from != NULL || row->to != NULL))
            hb_row_difference_find_key(set, row);
        if (show_values)
            continue;
        g_clear_pointer(&row->from, g_free);
        g_clear_pointer(&row->to, g_free);
    }
}

static gboolean look_at_rows(const HbSideContents *from, const HbSideContents *to, const HbRowSum *one,
                             const HbRowSum *other, HbRowDifference *difference, GError **error)
{
    const HbVerifyOptions *options = from->options;
    Showing showing = {difference, options->rows_max, FALSE};

    if (!options->show_values && !has_long_key(difference, options->rows_max))
        return TRUE;
    if (!show_side(from, one, &showing, error))
        return FALSE;
    showing.is_to = TRUE;
    if (!show_side(to, other, &showing, error))
        return FALSE;
    keep_keys(other->set, difference, options->rows_max, options->show_values);
    return TRUE;
}

/* ---- The whole ---- */

static gboolean name_rows(const HbSideContents *from, const HbSideContents *to, HbDifference *difference,
                          const HbRowSum *one, const HbRowSum *other, GError **error)
{
    const HbRowPlace from_place = place_of(from), to_place = place_of(to);
    g_autoptr(GArray) sketched = NULL;
    guint one_in = 1;

    if (!hb_find_differing_rows(&from_place, &to_place, one, other, &sketched, &one_in, error))
        return FALSE;
    difference->rows = hb_row_difference_new(sketched, other->set, one_in);
    return look_at_rows(from, to, one, other, difference->rows, error);
}

gboolean hb_verify_name_rows(const HbSideContents *from, const HbSideContents *to, GPtrArray *differences,
                             GError **error)
{
    for (guint i = 0; i < differences->len; i++) {
        HbDifference *difference = differences->pdata[i];
        const HbRowSum *one = g_hash_table_lookup(from->sums.table, difference->identity),
                       *other = g_hash_table_lookup(to->sums.table, difference->identity);
        if (difference->type == HB_DIFFERENCE_ROWS && !name_rows(from, to, difference, one, other, error))
            return FALSE;
    }
    return TRUE;
}
