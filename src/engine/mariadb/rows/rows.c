/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/rows/rows.h"

#include "engine/mariadb/rows/encoding.h"

#include <string.h>

static char *select_statement(const HbRowSet *set, const HbRange *range)
{
    GString *sql = g_string_new("SELECT");

    for (guint i = 0; i < set->columns->len; i++) {
        const char *select_expressions = i < set->select_expressions->len ? set->select_expressions->pdata[i] : NULL;
        g_string_append_printf(sql, "%s %s", i > 0 ? "," : "",
                               select_expressions != NULL ? select_expressions : (char *)set->columns->pdata[i]);
    }
    g_string_append_printf(sql, "%s FROM %s", set->columns->len == 0 ? " NULL" : "", set->table);
    if (set->condition != NULL)
        g_string_append_printf(sql, " %s", set->condition);
    g_string_append(sql, " " HB_MY_ONLY_TABLES);
    if (range->where != NULL)
        g_string_append_printf(sql, " WHERE %s", range->where);
    return g_string_free(sql, FALSE);
}

static gboolean pass_rows(HbSession *session, HbMyResult *result, const HbRowSet *set, HbRowSink sink, gpointer data,
                          GError **error)
{
    HbEncoder encoder;
    gboolean ok = TRUE;
    MYSQL_ROW row;

    hb_encoder_init(&encoder, set->hex_columns->len > 0 ? set->hex_columns->str : NULL, set->columns->len, sink, data);
    while (ok && (row = mysql_fetch_row(result)) != NULL)
        ok = hb_encoder_write_row(&encoder, row, mysql_fetch_lengths(result), error);
    hb_encoder_clear(&encoder);
    if (!ok)
        hb_my_cancel_now(session);
    return ok;
}

gboolean hb_my_read_rows(HbSession *session, const HbRowSet *set, const HbRange *range, HbRowSink sink, gpointer data,
                         GError **error)
{
    g_autofree char *sql = select_statement(set, range);
    HbMyResult *result;
    gboolean ok;

    if (!hb_my_set_raw(session, TRUE, error))
        return FALSE;
    if (mysql_real_query(session->mysql, sql, strlen(sql)) != 0 || (result = mysql_use_result(session->mysql)) == NULL)
        return hb_my_set_error(session, error);
    ok = pass_rows(session, result, set, sink, data, error);
    if (ok && mysql_errno(session->mysql) != 0)
        ok = hb_my_set_error(session, error);
    mysql_free_result(result);
    return ok;
}
