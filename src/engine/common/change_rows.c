/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/common/change_rows.h"

#include "core/rows/key_condition.h"

#define KEYS_A_STATEMENT 500

static gboolean check_gone(const HbRowSet *set, guint64 count, guint64 wanted, GError **error)
{
    return count == wanted ||
           hb_error_set(error, HB_ERROR_RETRY, "see what else writes to the target, and begin again",
                        "%s: %" G_GUINT64_FORMAT " of %" G_GUINT64_FORMAT " rows were there to be taken away",
                        set->table, count, wanted);
}

gboolean hb_engine_delete_by_keys(const char *from, const HbRowSet *set, const HbDialect *dialect, const GArray *gone,
                                  HbDeleteRows run, gpointer data, GError **error)
{
    for (guint first = 0; first < gone->len; first += KEYS_A_STATEMENT) {
        const guint end = MIN(first + KEYS_A_STATEMENT, gone->len);
        g_autofree char *where = hb_key_condition_new(set, dialect, gone, first, end);
        g_autofree char *sql = g_strdup_printf("DELETE FROM %s WHERE %s", from, where);
        guint64 count = 0;

        if (!run(data, sql, &count, error) || !check_gone(set, count, end - first, error))
            return FALSE;
    }
    return TRUE;
}
