/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/rows/replay.h"

#include "engine/common/replay_rows.h"
#include "engine/postgres/rows/change_rows.h"
#include "engine/postgres/rows/rows_inner.h"

/* Constraints that may be checked at the end are: what the source had in between need not hold here */
static gboolean begin(HbSession *session, gboolean is_quiet, GError **error)
{
    return hb_pg_execute(session,
                         is_quiet ? "BEGIN; SET LOCAL synchronous_commit = on; SET CONSTRAINTS ALL DEFERRED"
                                  : "BEGIN; SET LOCAL synchronous_commit = on; SET CONSTRAINTS ALL DEFERRED;"
                                    " SET LOCAL session_replication_role = replica",
                         error);
}

static gboolean mark(HbSession *session, GError **error)
{
    return hb_pg_execute(session, "SAVEPOINT mark", error);
}

static gboolean undo(HbSession *session, GError **error)
{
    return hb_pg_execute(session, "ROLLBACK TO SAVEPOINT mark", error);
}

static gboolean copy_coming(HbSession *session, const HbRowSet *set, const GPtrArray *list, GError **error)
{
    g_autofree char *columns = hb_pg_make_column_list(set);
    g_autofree char *copy = g_strdup_printf("COPY %s%s FROM STDIN", set->table, columns);
    g_autoptr(GString) block = g_string_new(NULL);
    HbComingRows coming = {.list = list, .block = block};
    g_autoptr(GError) ours = NULL;

    if (hb_pg_copy_into(session, set, copy, hb_coming_rows_give, &coming, &ours))
        return TRUE;
    if (session->found_duplicate && !hb_error_is(ours, HB_ERROR_LOST))
        return hb_error_set(error, HB_ERROR_EXISTS, hb_error_hint(ours), "%s: %s", set->table, ours->message);
    g_propagate_prefixed_error(error, g_steal_pointer(&ours), "%s: ", set->table);
    return FALSE;
}

static gboolean apply(HbSession *session, const HbRowSet *set, const HbChanges *changes, gboolean is_loose,
                      GError **error)
{
    const GPtrArray *list = hb_changes_list(changes);

    return hb_engine_take_changed(set, changes, is_loose, "ONLY ", &hb_pg_dialect, hb_pg_run_delete, session, error) &&
           (!hb_coming_rows_are_any(list) || copy_coming(session, set, list, error));
}

static gboolean end(HbSession *session, const char *origin, GError **error)
{
    g_autofree char *literal = hb_pg_quote_literal(session, origin);
    g_autofree char *sql = g_strdup_printf("UPDATE ONLY " HB_PG_ORIGIN ".origin SET text = %s; COMMIT", literal);

    return hb_pg_execute(session, sql, error);
}

static gboolean has_row(HbSession *session, const HbRowSet *set, const HbChanges *changes, const HbChangedRow *row,
                        gboolean *has, GError **error)
{
    return hb_engine_has_row(set, changes, row, "ONLY ", &hb_pg_dialect, hb_pg_count_rows, session, has, error);
}

static void abandon(HbSession *session)
{
    hb_pg_execute(session, "ROLLBACK", NULL);
}

const HbReplay hb_pg_replay = {
    .begin = begin,
    .check = hb_pg_check_triggers,
    .mark = mark,
    .apply = apply,
    .undo = undo,
    .has_row = has_row,
    .end = end,
    .abandon = abandon,
};
