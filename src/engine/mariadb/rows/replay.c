/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/rows/replay.h"

#include "engine/common/replay_rows.h"
#include "engine/mariadb/rows/insert_rows.h"

/* Sessions have foreign keys unchecked; triggers act whatever they say, and were taken off */
static gboolean begin(HbSession *session, gboolean is_quiet, GError **error)
{
    (void)is_quiet;
    return hb_my_execute(session, "START TRANSACTION", error);
}

static gboolean check(HbSession *session, const HbRowSet *set, GError **error)
{
    (void)session;
    (void)set;
    (void)error;
    return TRUE;
}

static gboolean mark(HbSession *session, GError **error)
{
    return hb_my_execute(session, "SAVEPOINT mark", error);
}

static gboolean undo(HbSession *session, GError **error)
{
    return hb_my_execute(session, "ROLLBACK TO SAVEPOINT mark", error);
}

static gboolean insert_coming(HbSession *session, const HbRowSet *set, const GPtrArray *list, GError **error)
{
    g_autoptr(GString) block = g_string_new(NULL);
    HbComingRows coming = {.list = list, .block = block};
    g_autoptr(GError) ours = NULL;

    if (hb_my_insert_rows(session, set, hb_coming_rows_give, &coming, &ours))
        return TRUE;
    if (session->found_duplicate)
        return hb_error_set(error, HB_ERROR_EXISTS, hb_error_hint(ours), "%s: %s", set->table, ours->message);
    g_propagate_prefixed_error(error, g_steal_pointer(&ours), "%s: ", set->table);
    return FALSE;
}

static gboolean apply(HbSession *session, const HbRowSet *set, const HbChanges *changes, gboolean is_loose,
                      GError **error)
{
    const GPtrArray *list = hb_changes_list(changes);

    return hb_engine_take_changed(set, changes, is_loose, "", &hb_my_dialect, hb_my_run_delete, session, error) &&
           (!hb_coming_rows_are_any(list) || insert_coming(session, set, list, error));
}

static gboolean count_rows(gpointer data, const char *sql, guint64 *count, GError **error)
{
    g_autofree char *text = NULL;
    const gboolean ok = hb_my_read_text(data, sql, &text, error);

    *count = text != NULL ? g_ascii_strtoull(text, NULL, 10) : 0;
    return ok;
}

static gboolean has_row(HbSession *session, const HbRowSet *set, const HbChanges *changes, const HbChangedRow *row,
                        gboolean *has, GError **error)
{
    return hb_engine_has_row(set, changes, row, "", &hb_my_dialect, count_rows, session, has, error);
}

static gboolean end(HbSession *session, const char *origin, GError **error)
{
    g_autofree char *literal = hb_my_quote_literal(origin);
    g_autofree char *sql = g_strdup_printf("UPDATE " HB_MY_ORIGIN " SET text = %s", literal);

    return hb_my_execute(session, sql, error) && hb_my_execute(session, "COMMIT", error);
}

static void abandon(HbSession *session)
{
    hb_my_execute(session, "ROLLBACK", NULL);
}

const HbReplay hb_my_replay = {
    .begin = begin,
    .check = check,
    .mark = mark,
    .apply = apply,
    .undo = undo,
    .has_row = has_row,
    .end = end,
    .abandon = abandon,
};
