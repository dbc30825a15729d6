/* SPDX-License-Identifier: Apache-2.0 */
#include "work/source/fetch_rows.h"

#include "core/rows/key_condition.h"

#define KEYS_A_QUESTION 300

typedef struct {
    const HbRowFetch *fetch;
    GHashTable *left; /* HbSketchedRow * of those wanted, to how often it is still to come */
    HbRowScan scan;
    GString *row; /* that has begun, if it comes in pieces */
} Fetching;

static guint hash_row(gconstpointer row)
{
    return hb_row_sketch_hash(row);
}

static gboolean is_same_row(gconstpointer one, gconstpointer other)
{
    const HbSketchedRow *a = one, *b = other;

    return a->low == b->low && a->high == b->high;
}

static void index_wanted(Fetching *fetching)
{
    for (guint i = 0; fetching->fetch->wanted != NULL && i < fetching->fetch->wanted->len; i++) {
        HbSketchedRow *row = &g_array_index(fetching->fetch->wanted, HbSketchedRow, i);
        g_hash_table_insert(fetching->left, row, GSIZE_TO_POINTER((gsize)ABS(row->count)));
    }
}

static gboolean pass(Fetching *fetching, const char *row, gsize length, GError **error)
{
    const HbSketchedRow mark = hb_row_sketch_row(&fetching->scan.mark);
    const HbRowFetch *fetch = fetching->fetch;
    gpointer wanted, left;

    if (!g_hash_table_lookup_extended(fetching->left, &mark, &wanted, &left))
        return TRUE;
    if (GPOINTER_TO_SIZE(left) == 1)
        g_hash_table_remove(fetching->left, wanted);
    else
        g_hash_table_insert(fetching->left, wanted, GSIZE_TO_POINTER(GPOINTER_TO_SIZE(left) - 1));
    return fetch->take(fetch->data, row, length, error);
}

static gboolean take_piece(gpointer data, const char *piece, gsize length, GError **error)
{
    Fetching *fetching = data;
    const gboolean in_pieces = fetching->row->len > 0;
    gboolean ok;

    if (hb_stop_is_set(fetching->fetch->stop))
        return hb_stop_set_error(error);
    if (fetching->fetch->wanted == NULL)
        return fetching->fetch->take(fetching->fetch->data, piece, length, error);
    if (!hb_row_scan_add(&fetching->scan, piece, length)) {
        g_string_append_len(fetching->row, piece, (gssize)length);
        return TRUE;
    }
    if (!in_pieces)
        return pass(fetching, piece, length, error);
    g_string_append_len(fetching->row, piece, (gssize)length);
    ok = pass(fetching, fetching->row->str, fetching->row->len, error);
    g_string_truncate(fetching->row, 0);
    return ok;
}

static gboolean have_keys(const HbRowFetch *fetch)
{
    for (guint i = 0; fetch->wanted != NULL && i < fetch->wanted->len; i++) {
        if (g_array_index(fetch->wanted, HbSketchedRow, i).key_length > HB_ROW_KEY_MAX)
            return FALSE;
    }
    return fetch->wanted != NULL && fetch->set->key->len > 0;
}

static gboolean read_range(Fetching *fetching, char *where, GError **error)
{
    const HbRowFetch *fetch = fetching->fetch;
    const HbRange range = {.first = 0, .end = G_MAXUINT64, .where = where};

    return fetch->engine->source->read_rows(fetch->session, fetch->set, &range, take_piece, fetching, error);
}

static gboolean read_all(Fetching *fetching, GError **error)
{
    const HbRowFetch *fetch = fetching->fetch;

    if (!have_keys(fetch))
        return read_range(fetching, NULL, error);
    for (guint first = 0; first < fetch->wanted->len; first += KEYS_A_QUESTION) {
        g_autofree char *where = hb_key_condition_new(fetch->set, fetch->engine->dialect, fetch->wanted, first,
                                                      MIN(first + KEYS_A_QUESTION, fetch->wanted->len));
        if (!read_range(fetching, where, error))
            return FALSE;
    }
    return TRUE;
}

gboolean hb_fetch_rows(const HbRowFetch *fetch, GError **error)
{
    Fetching fetching = {fetch, g_hash_table_new(hash_row, is_same_row), {0}, g_string_new(NULL)};
    gboolean ok;

    hb_row_scan_init(&fetching.scan, (const guint *)(void *)fetch->set->key->data, fetch->set->key->len);
    index_wanted(&fetching);
    ok = (fetch->wanted != NULL && fetch->wanted->len == 0) || read_all(&fetching, error);
    if (ok && g_hash_table_size(fetching.left) > 0)
        ok = hb_error_set(error, HB_ERROR_RETRY, "see what else writes to it, and begin again",
                          "%s: %u rows that differed are not as they were", fetch->set->table,
                          g_hash_table_size(fetching.left));
    hb_row_scan_clear(&fetching.scan);
    g_hash_table_unref(fetching.left);
    g_string_free(fetching.row, TRUE);
    return ok;
}
