/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/common/change_rows.h"
#include "engine/postgres/rows/change_rows.h"

#include "core/rows/key_condition.h"
#include "engine/postgres/dialect/dialect.h"
#include "engine/postgres/dialect/large_objects.h"
#include "engine/postgres/rows/find_places.h"
#include "engine/postgres/rows/rows_inner.h"

/* Some act also where triggers are kept from acting (ENABLE ALWAYS, ENABLE REPLICA), and would change what comes */
gboolean hb_pg_check_triggers(HbSession *session, const HbRowSet *set, GError **error)
{
    g_autofree char *table = hb_pg_quote_literal(session, set->table);
    g_autofree char *sql = g_strdup_printf(
        "SELECT format('trigger %%I of %%s', tgname, tgrelid::regclass) FROM pg_trigger"
        " WHERE tgrelid = to_regclass(%s) AND NOT tgisinternal AND tgenabled IN ('A', 'R')"
        " UNION ALL SELECT format('rule %%I of %%s', rulename, ev_class::regclass) FROM pg_rewrite"
        " WHERE ev_class = to_regclass(%s) AND ev_type = '4' AND ev_enabled IN ('A', 'R') ORDER BY 1 LIMIT 1",
        table, table);
    g_autoptr(HbResult) result = hb_pg_query(session, sql, error);

    if (result == NULL || PQntuples(result) == 0)
        return result != NULL;
    return hb_error_set(error, HB_ERROR_STATEMENT,
                        "disable it while the copy is brought up to date, or ENABLE it plainly",
                        "%s acts whatever changes rows (it is enabled ALWAYS or REPLICA)", PQgetvalue(result, 0, 0));
}

/* Only a table with triggers needs them kept from acting, those of its foreign keys among them */
static gboolean keep_triggers_quiet(HbSession *session, const HbRowSet *set, GError **error)
{
    g_autofree char *table = hb_pg_quote_literal(session, set->table);
    g_autofree char *sql = g_strdup_printf("SELECT set_config('session_replication_role', 'replica', true)"
                                           " WHERE EXISTS (SELECT FROM pg_trigger WHERE tgrelid = to_regclass(%s))"
                                           " OR EXISTS (SELECT FROM pg_rewrite WHERE ev_class = to_regclass(%s))",
                                           table, table);
    g_autoptr(GError) ours = NULL;

    if (hb_pg_execute(session, sql, &ours))
        return hb_pg_check_triggers(session, set, error);
    if (!hb_error_is(ours, HB_ERROR_RIGHTS)) {
        g_propagate_error(error, g_steal_pointer(&ours));
        return FALSE;
    }
    return hb_error_set(error, HB_ERROR_RIGHTS,
                        "do it as a superuser, or, from PostgreSQL 15 on, have one run: GRANT SET ON PARAMETER"
                        " session_replication_role TO the role",
                        "keeping the triggers of %s from acting: %s", set->table, ours->message);
}

gboolean hb_pg_may_quiet(HbSession *session, gboolean *may, GError **error)
{
    g_autoptr(GError) ours = NULL;

    *may = hb_pg_execute(session, "BEGIN; SET LOCAL session_replication_role = replica; ROLLBACK", &ours);
    if (*may)
        return TRUE;
    hb_pg_execute(session, "ROLLBACK", NULL);
    if (hb_error_is(ours, HB_ERROR_RIGHTS))
        return TRUE;
    g_propagate_error(error, g_steal_pointer(&ours));
    return FALSE;
}

gboolean hb_pg_run_delete(gpointer data, const char *sql, guint64 *count, GError **error)
{
    HbSession *session = data;
    HbResult *result;
    gboolean ok = PQsendQuery(session->conn, sql) == 1 || hb_pg_set_error(session, NULL, error);

    *count = 0;
    while ((result = PQgetResult(session->conn)) != NULL) {
        if (ok && PQresultStatus(result) != PGRES_COMMAND_OK)
            ok = hb_pg_set_error(session, result, error);
        *count += g_ascii_strtoull(PQcmdTuples(result), NULL, 10);
        PQclear(result);
    }
    return ok;
}

gboolean hb_pg_count_rows(gpointer data, const char *sql, guint64 *count, GError **error)
{
    g_autoptr(HbResult) result = hb_pg_query(data, sql, error);

    *count = result != NULL ? g_ascii_strtoull(PQgetvalue(result, 0, 0), NULL, 10) : 0;
    return result != NULL;
}

static gboolean take_rows_away(HbSession *session, const HbRowSet *set, const HbRowChange *change, GError **error)
{
    g_autofree char *from = g_strdup_printf("ONLY %s", set->table),
                    *all = g_strdup_printf("DELETE FROM %s %s", from, set->condition != NULL ? set->condition : "");

    if (change->all_go)
        return hb_pg_execute(session, all, error);
    if (change->gone == NULL || change->gone->len == 0)
        return TRUE;
    if (!hb_key_condition_is_possible(set, change->gone))
        return hb_pg_delete_found(session, set, change->gone, error);
    return hb_engine_delete_by_keys(from, set, &hb_pg_dialect, change->gone, hb_pg_run_delete, session, error);
}

/* Pieces that come replace those of the same place; a large object may have become shorter */
static gboolean change_large_objects(HbSession *session, const HbRowSet *set, const HbRowChange *change, GError **error)
{
    const gboolean cuts = change->gone != NULL && change->gone->len > 0;
    g_autofree char *cut = cuts ? hb_pg_make_cut_sql(change->gone) : NULL;

    if (cuts && cut == NULL)
        return hb_error_set(error, HB_ERROR_RETRY, NULL, "pieces of large objects that differ cannot be told");
    if (!hb_pg_execute(session, "BEGIN", error) ||
        !hb_pg_copy_in(session, set, hb_pg_begin_large_objects_sql, change->source, change->data, error))
        return FALSE;
    if (cut == NULL || hb_pg_execute(session, cut, error))
        return hb_pg_commit_copy(session, set, error);
    hb_pg_execute(session, "ROLLBACK", NULL);
    return FALSE;
}

gboolean hb_pg_change_rows(HbSession *session, const HbRowSet *set, const HbRowChange *change, GError **error)
{
    g_autofree char *list = hb_pg_make_column_list(set);
    g_autofree char *copy = g_strdup_printf("COPY %s%s FROM STDIN", set->table, list);

    if (hb_pg_is_large_objects(set))
        return change_large_objects(session, set, change, error);
    if (!hb_pg_execute(session, "BEGIN", error))
        return FALSE;
    if (!(change->is_quiet || keep_triggers_quiet(session, set, error)) ||
        !take_rows_away(session, set, change, error)) {
        hb_pg_execute(session, "ROLLBACK", NULL);
        return FALSE;
    }
    return (change->source == NULL || hb_pg_copy_in(session, set, copy, change->source, change->data, error)) &&
           hb_pg_commit_copy(session, set, error);
}
