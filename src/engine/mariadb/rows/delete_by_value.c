/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/rows/delete_by_value.h"

#include "core/rows/row_text.h"
#include "core/rows/wanted_rows.h"
#include "engine/mariadb/rows/rows.h"

#include <string.h>

/* The server has no address for a row, but DELETE has a limit: of rows that are alike it does not matter which goes */

#define ROW_BYTES_MAX (256 * 1024) /* larger ones make statements that a server may refuse */

typedef struct {
    HbWantedRows wanted;
    HbRowScan scan;
    GString *row;        /* that has begun */
    GHashTable *deletes; /* texts of rows to how often each is to go */
} Search;

static gboolean look_at(gpointer data, const char *piece, gsize length, GError **error)
{
    Search *search = data;
    gpointer times;

    if (search->row->len + length <= ROW_BYTES_MAX)
        g_string_append_len(search->row, piece, (gssize)length);
    if (!hb_row_scan_add(&search->scan, piece, length))
        return TRUE;
    if (hb_wanted_rows_take(&search->wanted, &search->scan.mark)) {
        if (search->row->str[MAX(search->row->len, 1) - 1] != '\n' || strlen(search->row->str) != search->row->len)
            return hb_error_set(error, HB_ERROR_RETRY, NULL, "a row without a key cannot be found by its values");
        times = g_hash_table_lookup(search->deletes, search->row->str);
        g_hash_table_insert(search->deletes, g_strdup(search->row->str), GUINT_TO_POINTER(GPOINTER_TO_UINT(times) + 1));
    }
    g_string_truncate(search->row, 0);
    return TRUE;
}

/* A field as the reader got it: the expression's own bytes, whatever character set they are in */
static void append_field(GString *sql, const HbRowSet *set, guint column, const char *text, gsize length)
{
    const gboolean is_hex = column < set->hex_columns->len && set->hex_columns->str[column] == 'x';
    const char *expression = column < set->select_expressions->len ? set->select_expressions->pdata[column] : NULL;

    g_string_append_printf(sql, "CAST(%s AS BINARY) <=> ",
                           expression != NULL ? expression : (const char *)set->columns->pdata[column]);
    if (length == 2 && memcmp(text, "\\N", 2) == 0) {
        g_string_append(sql, "NULL");
        return;
    }
    g_string_append(sql, "x'");
    if (is_hex)
        g_string_append_len(sql, text, (gssize)length);
    for (gsize i = 0; i < length && !is_hex; i++) {
        const gboolean escaped = text[i] == '\\' && i + 1 < length;
        i += escaped;
        g_string_append_printf(sql, "%02x", (guchar)(escaped ? hb_row_text_unescape(text[i]) : text[i]));
    }
    g_string_append_c(sql, '\'');
}

/* row: with its line end */
static char *make_delete(const HbRowSet *set, const char *row, guint times)
{
    GString *sql = g_string_new(NULL);

    g_string_append_printf(sql, "DELETE FROM %s", set->table);
    for (guint column = 0; column < set->columns->len; column++) {
        const gsize length = strcspn(row, "\t\n");
        g_string_append(sql, column > 0 ? " AND " : " WHERE ");
        append_field(sql, set, column, row, length);
        row += length + 1;
    }
    g_string_append_printf(sql, " LIMIT %u", times);
    return g_string_free(sql, FALSE);
}

static gboolean delete_one(HbSession *session, const HbRowSet *set, const char *row, guint times, GError **error)
{
    g_autofree char *sql = make_delete(set, row, times);

    if (!hb_my_execute(session, sql, error))
        return FALSE;
    return mysql_affected_rows(session->mysql) == times ||
           hb_error_set(error, HB_ERROR_RETRY, "see what else writes to the target, and begin again",
                        "%s: rows that were to be taken away were not found by their values", set->table);
}

static gboolean delete_all(HbSession *session, const HbRowSet *set, GHashTable *deletes, GError **error)
{
    GHashTableIter iter;
    gpointer row, times;

    g_hash_table_iter_init(&iter, deletes);
    while (g_hash_table_iter_next(&iter, &row, &times)) {
        if (!delete_one(session, set, row, GPOINTER_TO_UINT(times), error))
            return FALSE;
    }
    return TRUE;
}

static gboolean find(HbSession *session, const HbRowSet *set, Search *search, GError **error)
{
    const HbRange all = {.first = 0, .end = G_MAXUINT64};

    if (set->condition != NULL) /* old versions of rows cannot be deleted one by one */
        return hb_error_set(error, HB_ERROR_RETRY, NULL, "%s has a history", set->table);
    if (!hb_my_read_rows(session, set, &all, look_at, search, error))
        return FALSE;
    return hb_wanted_rows_count_left(&search->wanted) == 0 ||
           hb_error_set(error, HB_ERROR_RETRY, "see what else writes to the target, and begin again",
                        "%s: %u rows that were to be taken away are not there", set->table,
                        hb_wanted_rows_count_left(&search->wanted));
}

gboolean hb_my_delete_by_value(HbSession *session, const HbRowSet *set, const GArray *gone, GError **error)
{
    Search search = {.row = g_string_new(NULL),
                     .deletes = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL)};
    gboolean ok;

    hb_wanted_rows_init(&search.wanted, gone);
    hb_row_scan_init(&search.scan, NULL, 0);
    ok = find(session, set, &search, error) && hb_my_set_raw(session, FALSE, error) &&
         delete_all(session, set, search.deletes, error);
    hb_row_scan_clear(&search.scan);
    hb_wanted_rows_clear(&search.wanted);
    g_hash_table_unref(search.deletes);
    g_string_free(search.row, TRUE);
    return ok;
}
