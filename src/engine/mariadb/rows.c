/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/rows.h"

#include "engine/mariadb/encoding.h"

#include <string.h>

/* Ranges are of the key's values, moved up so that the least signed one is 0 */
#define SIGNED_OFFSET   (G_GUINT64_CONSTANT(1) << 63)
#define EXTENT_SIGNED   1
#define EXTENT_UNSIGNED 2

/* ---- Splitting ---- */

static guint64 unit_of(const HbRowSet *set, const char *value)
{
    return set->extent == EXTENT_UNSIGNED ? g_ascii_strtoull(value, NULL, 10)
                                          : (guint64)g_ascii_strtoll(value, NULL, 10) + SIGNED_OFFSET;
}

static void append_bound(GString *sql, const HbRowSet *set, const char *sign, guint64 unit)
{
    if (set->extent == EXTENT_UNSIGNED)
        g_string_append_printf(sql, "%s %s %" G_GUINT64_FORMAT, set->split_by, sign, unit);
    else
        g_string_append_printf(sql, "%s %s %" G_GINT64_FORMAT, set->split_by, sign, (gint64)(unit - SIGNED_OFFSET));
}

/* The key's first and last value as units; FALSE if the table has no rows, or cannot be asked */
static gboolean find_extent(HbSession *session, const HbRowSet *set, guint64 *first, guint64 *last)
{
    g_autoptr(HbMyResult) result =
        hb_my_query_format(session, NULL, "SELECT MIN(%s), MAX(%s) FROM %s %s", set->split_by, set->split_by,
                           set->table, set->condition != NULL ? set->condition : "");
    MYSQL_ROW row = result != NULL ? mysql_fetch_row(result) : NULL;

    if (row == NULL || row[0] == NULL)
        return FALSE;
    *first = unit_of(set, row[0]);
    *last = unit_of(set, row[1]);
    return TRUE;
}

GArray *hb_my_split_rows(HbSession *session, const HbRowSet *set, guint64 bytes)
{
    GArray *ranges = g_array_new(FALSE, FALSE, sizeof(HbRange));
    guint64 pieces = (set->bytes + bytes - 1) / bytes, first = 0, last = 0;

    if (set->split_by == NULL || pieces < 2 || !find_extent(session, set, &first, &last))
        pieces = 1;
    pieces = CLAMP(pieces, 1, MAX(last - first, 1));
    for (guint64 i = 0; i < pieces; i++) {
        guint64 step = (last - first) / pieces;
        HbRange range = {.first = i == 0 ? 0 : first + step * i,
                         .end = i + 1 < pieces ? first + step * (i + 1) : G_MAXUINT64,
                         .bytes = set->bytes / pieces};
        g_array_append_val(ranges, range);
    }
    return ranges;
}

/* ---- Reading ---- */

static char *select_statement(const HbRowSet *set, const HbRange *range)
{
    GString *sql = g_string_new("SELECT");

    for (guint i = 0; i < set->columns->len; i++) {
        const char *read_as = i < set->read_as->len ? set->read_as->pdata[i] : NULL;
        g_string_append_printf(sql, "%s %s", i > 0 ? "," : "",
                               read_as != NULL ? read_as : (char *)set->columns->pdata[i]);
    }
    g_string_append_printf(sql, "%s FROM %s", set->columns->len == 0 ? " NULL" : "", set->table);
    if (set->condition != NULL)
        g_string_append_printf(sql, " %s", set->condition);
    if (range->first != 0) {
        g_string_append(sql, " WHERE ");
        append_bound(sql, set, ">=", range->first);
    }
    if (range->end != G_MAXUINT64) {
        g_string_append(sql, range->first != 0 ? " AND " : " WHERE ");
        append_bound(sql, set, "<", range->end);
    }
    return g_string_free(sql, FALSE);
}

static gboolean pass_rows(HbSession *session, HbMyResult *result, const HbRowSet *set, HbRowSink sink, gpointer data,
                          GError **error)
{
    HbEncoder encoder;
    gboolean ok = TRUE;
    MYSQL_ROW row;

    hb_encoder_init(&encoder, set->coding->len > 0 ? set->coding->str : NULL, set->columns->len, sink, data);
    while (ok && (row = mysql_fetch_row(result)) != NULL)
        ok = hb_encoder_write_row(&encoder, row, mysql_fetch_lengths(result), error);
    hb_encoder_clear(&encoder);
    if (!ok)
        hb_my_interrupt(session);
    return ok;
}

/* Bytes as they are stored: without a character set for results the server converts nothing */
gboolean hb_my_read_rows(HbSession *session, const HbRowSet *set, const HbRange *range, HbRowSink sink, gpointer data,
                         GError **error)
{
    g_autofree char *sql = select_statement(set, range);
    HbMyResult *result;
    gboolean ok;

    if (!hb_my_execute(session, "SET character_set_results = NULL", error))
        return FALSE;
    if (mysql_real_query(session->mysql, sql, strlen(sql)) != 0 || (result = mysql_use_result(session->mysql)) == NULL)
        return hb_my_set_error(session, error);
    ok = pass_rows(session, result, set, sink, data, error);
    if (ok && mysql_errno(session->mysql) != 0)
        ok = hb_my_set_error(session, error);
    mysql_free_result(result);
    return ok && hb_my_execute(session, "SET character_set_results = utf8mb4", error);
}
