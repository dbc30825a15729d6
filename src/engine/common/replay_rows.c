/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/common/replay_rows.h"

#include "core/rows/key_condition.h"

#include <string.h>

#define KEYS_A_STATEMENT  500
#define UPDATES_AT_A_TIME 200
#define BLOCK_BYTES       (256 * 1024)

typedef struct {
    const HbRowSet *set;
    const HbChanges *changes;
    gboolean is_loose;
    const char *only;
    const HbDialect *dialect;
    HbDeleteRows run;
    gpointer data;
} Taking;

static gboolean set_missing(const Taking *taking, GError **error)
{
    return hb_error_set(error, HB_ERROR_RETRY, NULL, "%s: rows that were to change are not there", taking->set->table);
}

static gboolean delete_some(const Taking *taking, HbChangedRow *const *rows, guint count, GError **error)
{
    g_autofree char *where = hb_key_condition_of_changed(taking->changes, taking->set, taking->dialect, rows, count);
    g_autofree char *sql = g_strdup_printf("DELETE FROM %s%s WHERE %s", taking->only, taking->set->table, where);
    guint64 gone = 0;

    return taking->run(taking->data, sql, &gone, error) &&
           (taking->is_loose || gone == count || set_missing(taking, error));
}

/* Those that stay what they were, in part, stay where they are */
static gboolean is_to_go(const Taking *taking, const HbChangedRow *row)
{
    return row->kept == NULL && (row->was_there || (taking->is_loose && row->row != NULL));
}

static gboolean delete_all(const Taking *taking, const GPtrArray *list, GError **error)
{
    HbChangedRow *rows[KEYS_A_STATEMENT];
    guint count = 0;

    for (guint i = 0; i < list->len; i++) {
        if (is_to_go(taking, list->pdata[i]))
            rows[count++] = list->pdata[i];
        if (count == KEYS_A_STATEMENT || (count > 0 && i + 1 == list->len)) {
            if (!delete_some(taking, rows, count, error))
                return FALSE;
            count = 0;
        }
    }
    return TRUE;
}

/* " SET a = '1', b = NULL" of what is said of the row */
static void append_assignments(GString *sql, const Taking *taking, const HbChangedRow *row)
{
    const char *at = row->row, *end = row->row + row->row_length - 1;
    gboolean is_first = TRUE;

    for (guint column = 0; column < taking->set->columns->len; column++) {
        const char *tab = memchr(at, '\t', (gsize)(end - at)), *stop = tab != NULL ? tab : end;
        if (!row->kept[column]) {
            g_string_append_printf(sql, "%s%s = ", is_first ? " SET " : ", ",
                                   (const char *)taking->set->columns->pdata[column]);
            hb_key_condition_append_value(sql, taking->set, column, taking->dialect, at, (gsize)(stop - at));
            is_first = FALSE;
        }
        at = tab != NULL ? tab + 1 : end;
    }
}

static void append_update(GString *sql, const Taking *taking, HbChangedRow *row)
{
    g_autofree char *where = hb_key_condition_of_changed(taking->changes, taking->set, taking->dialect, &row, 1);

    g_string_append_printf(sql, "UPDATE %s%s", taking->only, taking->set->table);
    append_assignments(sql, taking, row);
    g_string_append_printf(sql, " WHERE %s;", where);
}

/* One statement for each row, many of them at a time */
static gboolean update_all(const Taking *taking, const GPtrArray *list, GError **error)
{
    g_autoptr(GString) sql = g_string_new(NULL);
    guint64 changed = 0;
    guint count = 0;

    for (guint i = 0; i < list->len; i++) {
        HbChangedRow *row = list->pdata[i];
        if (row->kept != NULL) {
            append_update(sql, taking, row);
            count++;
        }
        if (count == 0 || (i + 1 < list->len && count < UPDATES_AT_A_TIME && sql->len < BLOCK_BYTES))
            continue;
        if (!taking->run(taking->data, sql->str, &changed, error) ||
            (!taking->is_loose && changed != count && !set_missing(taking, error)))
            return FALSE;
        g_string_truncate(sql, 0);
        count = 0;
    }
    return TRUE;
}

gboolean hb_engine_take_changed(const HbRowSet *set, const HbChanges *changes, gboolean is_loose, const char *only,
                                const HbDialect *dialect, HbDeleteRows run, gpointer data, GError **error)
{
    const Taking taking = {set, changes, is_loose, only, dialect, run, data};
    const GPtrArray *list = hb_changes_list(changes);
    g_autofree char *all = g_strdup_printf("DELETE FROM %s%s", only, set->table);
    guint64 count;

    return (!hb_changes_are_all_gone(changes) || run(data, all, &count, error)) && delete_all(&taking, list, error) &&
           update_all(&taking, list, error);
}

gboolean hb_engine_has_row(const HbRowSet *set, const HbChanges *changes, const HbChangedRow *row, const char *only,
                           const HbDialect *dialect, HbDeleteRows count, gpointer data, gboolean *has, GError **error)
{
    HbChangedRow *const rows[] = {(HbChangedRow *)row};
    g_autofree char *where = hb_key_condition_of_changed(changes, set, dialect, rows, 1);
    g_autofree char *sql = g_strdup_printf("SELECT count(*) FROM %s%s WHERE %s", only, set->table, where);
    guint64 found = 0;
    const gboolean ok = count(data, sql, &found, error);

    *has = found > 0;
    return ok;
}

/* ---- Rows that come ---- */

static gboolean comes(const HbChangedRow *row)
{
    return row->row != NULL && row->kept == NULL;
}

gboolean hb_coming_rows_are_any(const GPtrArray *list)
{
    for (guint i = 0; i < list->len; i++) {
        if (comes(list->pdata[i]))
            return TRUE;
    }
    return FALSE;
}

gboolean hb_coming_rows_give(gpointer data, const char **bytes, gsize *length, GError **error)
{
    HbComingRows *coming = data;

    (void)error;
    g_string_truncate(coming->block, 0);
    while (coming->next < coming->list->len && coming->block->len < BLOCK_BYTES) {
        const HbChangedRow *row = coming->list->pdata[coming->next++];
        if (comes(row))
            g_string_append_len(coming->block, row->row, (gssize)row->row_length);
    }
    *bytes = coming->block->str;
    *length = coming->block->len;
    return TRUE;
}
