/* SPDX-License-Identifier: Apache-2.0 */
#include "work/source/fetch_rows.h"

#include "core/rows/key_condition.h"
#include "core/rows/wanted_rows.h"
#include "work/source/differing_rows.h"

#define KEYS_A_QUESTION 300

typedef struct {
    const HbRowFetch *fetch;
    HbWantedRows wanted;
    HbRowScan scan;
    GString *row; /* that has begun, if it comes in pieces */
} Fetching;

static gboolean pass(Fetching *fetching, const char *row, gsize length, GError **error)
{
    return !hb_wanted_rows_take(&fetching->wanted, &fetching->scan.mark) ||
           fetching->fetch->take(fetching->fetch->data, row, length, error);
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

static gboolean read_range(Fetching *fetching, char *where, GError **error)
{
    const HbRowFetch *fetch = fetching->fetch;
    const HbRange range = {.first = 0, .end = G_MAXUINT64, .where = where};

    return fetch->engine->source->read_rows(fetch->session, fetch->set, &range, take_piece, fetching, error);
}

static gboolean read_all(Fetching *fetching, GError **error)
{
    const HbRowFetch *fetch = fetching->fetch;

    if (fetch->stored != NULL)
        return hb_read_dumped_rows(&(HbRowPlace){.dump = fetch->dump, .stop = fetch->stop}, fetch->stored, take_piece,
                                   fetching, error);
    if (fetch->wanted == NULL || !hb_key_condition_is_possible(fetch->set, fetch->wanted))
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
    Fetching fetching = {.fetch = fetch, .row = g_string_new(NULL)};
    gboolean ok;

    hb_row_scan_init(&fetching.scan, (const guint *)(void *)fetch->set->key->data, fetch->set->key->len);
    hb_wanted_rows_init(&fetching.wanted, fetch->wanted);
    ok = (fetch->wanted != NULL && fetch->wanted->len == 0) || read_all(&fetching, error);
    if (ok && hb_wanted_rows_count_left(&fetching.wanted) > 0)
        ok = hb_error_set(error, HB_ERROR_RETRY, "see what else writes to it, and begin again",
                          "%s: %u rows that differed are not as they were", fetch->set->table,
                          hb_wanted_rows_count_left(&fetching.wanted));
    hb_row_scan_clear(&fetching.scan);
    hb_wanted_rows_clear(&fetching.wanted);
    g_string_free(fetching.row, TRUE);
    return ok;
}
