/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/rows/find_places.h"

#include "core/rows/wanted_rows.h"
#include "engine/postgres/rows/rows.h"

#include <string.h>

#define PLACES_A_STATEMENT 10000

/* All rows stream by, each with its place before it; a row is known by its hash */
typedef struct {
    HbWantedRows wanted;
    HbRowScan scan;
    GPtrArray *places; /* char *: "(0,1)" */
} Search;

static gboolean look_at(gpointer data, const char *row, gsize length, GError **error)
{
    Search *search = data;
    const char *tab = memchr(row, '\t', length);
    const gsize place = tab != NULL ? (gsize)(tab - row) : length - 1, rest = tab != NULL ? place + 1 : place;

    (void)error;
    hb_row_scan_add(&search->scan, row + rest, length - rest);
    if (hb_wanted_rows_take(&search->wanted, &search->scan.mark))
        g_ptr_array_add(search->places, g_strndup(row, place));
    return TRUE;
}

static gboolean find(HbSession *session, const HbRowSet *set, Search *search, GError **error)
{
    const HbRange all = {.first = 0, .end = G_MAXUINT64};
    /* any condition makes it a query: COPY's list of columns takes no ctid */
    const char *condition = set->condition != NULL ? set->condition : "";
    const HbRowSet with_places = {.identity = set->identity,
                                  .table = set->table,
                                  .columns = g_ptr_array_new(),
                                  .hex_columns = set->hex_columns,
                                  .key = set->key,
                                  .condition = (char *)condition};
    gboolean ok;

    g_ptr_array_add(with_places.columns, (gpointer) "ctid");
    for (guint i = 0; i < set->columns->len; i++)
        g_ptr_array_add(with_places.columns, set->columns->pdata[i]);
    ok = hb_pg_read_rows(session, &with_places, &all, look_at, search, error);
    g_ptr_array_unref(with_places.columns);
    return ok;
}

static gboolean delete_at(HbSession *session, const HbRowSet *set, const GPtrArray *places, GError **error)
{
    g_autoptr(GString) sql = g_string_new(NULL);

    for (guint i = 0; i < places->len; i++) {
        if (sql->len == 0)
            g_string_append_printf(sql, "DELETE FROM ONLY %s WHERE ctid = ANY ('{", set->table);
        else
            g_string_append_c(sql, ',');
        g_string_append_printf(sql, "\"%s\"", (const char *)places->pdata[i]);
        if (i + 1 < places->len && (i + 1) % PLACES_A_STATEMENT != 0)
            continue;
        g_string_append(sql, "}'::tid[])");
        if (!hb_pg_execute(session, sql->str, error))
            return FALSE;
        g_string_truncate(sql, 0);
    }
    return TRUE;
}

gboolean hb_pg_delete_found(HbSession *session, const HbRowSet *set, const GArray *gone, GError **error)
{
    g_autofree char *lock = g_strdup_printf("LOCK TABLE ONLY %s IN SHARE ROW EXCLUSIVE MODE", set->table);
    Search search = {.places = g_ptr_array_new_with_free_func(g_free)};
    gboolean ok;

    hb_wanted_rows_init(&search.wanted, gone);
    hb_row_scan_init(&search.scan, NULL, 0);
    ok = hb_pg_execute(session, lock, error) && find(session, set, &search, error);
    if (ok && hb_wanted_rows_count_left(&search.wanted) > 0)
        ok = hb_error_set(error, HB_ERROR_RETRY, "see what else writes to the target, and begin again",
                          "%s: %u rows that were to be taken away are not there", set->table,
                          hb_wanted_rows_count_left(&search.wanted));
    ok = ok && delete_at(session, set, search.places, error);
    hb_row_scan_clear(&search.scan);
    hb_wanted_rows_clear(&search.wanted);
    g_ptr_array_unref(search.places);
    return ok;
}
