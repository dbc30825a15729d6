/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/dialect/large_objects.h"
#include "engine/postgres/rows/rows.h"
#include "engine/postgres/rows/rows_inner.h"
#include "engine/postgres/session/copy_data.h"
#include "engine/postgres/target/journal.h"

static gboolean send_rows(HbSession *session, HbRowSource source, gpointer data, HbPgRowsSent *sent, GError **error)
{
    const char *bytes;
    gsize length;

    for (;;) {
        if (!source(data, &bytes, &length, error))
            return FALSE;
        if (length == 0)
            return TRUE;
        hb_pg_rows_sent_add(sent, bytes, length);
        if (PQputCopyData(session->conn, bytes, (int)length) != 1)
            return hb_pg_set_error(session, NULL, error);
    }
}

/* The server's complaint, if it has one, tells more than ours */
static gboolean give_up(HbSession *session, GError **error)
{
    g_autoptr(GError) servers = NULL;

    PQputCopyEnd(session->conn, "the rows cannot be read");
    hb_pg_finish_copy(session, NULL, &servers);
    if (error != NULL && hb_error_is(*error, HB_ERROR_LOST) && servers != NULL) {
        g_clear_error(error);
        g_propagate_error(error, g_steal_pointer(&servers));
    }
    return FALSE;
}

static gboolean commit(HbSession *session, const HbRowSet *set, GError **error)
{
    if (hb_pg_is_large_objects(set) && !hb_pg_execute(session, hb_pg_take_large_objects_sql, error))
        return FALSE;
    return hb_pg_execute(session, "COMMIT", error);
}

/*
 * An extension has its tables complete from the beginning, with foreign keys, and what refers to each other cannot come
 * one after the other. All of it was read from one moment, in which the keys held
 */
static char *leave_keys_unchecked(HbSession *session, const HbRowSet *set)
{
    g_autofree char *table = hb_pg_quote_literal(session, set->table);

    return g_strdup_printf("SELECT set_config('session_replication_role', 'replica', true)"
                           " WHERE current_setting('is_superuser') = 'on' AND EXISTS (SELECT FROM pg_depend"
                           " WHERE classid = 'pg_class'::regclass AND objid = to_regclass(%s) AND deptype = 'e')",
                           table);
}

/* The journal's entry comes first: it waits for another session that is just doing the same */
static char *begin_statement(HbSession *session, const HbRowSet *set, const char *key)
{
    g_autofree char *entry = hb_pg_journal_entry_sql(session, key, "");
    g_autofree char *list = NULL, *unchecked = NULL;

    if (hb_pg_is_large_objects(set))
        return g_strdup_printf("BEGIN; %s; %s", entry, hb_pg_begin_large_objects_sql);
    list = hb_pg_make_column_list(set);
    unchecked = leave_keys_unchecked(session, set);
    return g_strdup_printf("BEGIN; %s; %s; COPY %s%s FROM STDIN%s", entry, unchecked, set->table, list,
                           hb_pg_get_form(set));
}

/* The server must have taken what it was given, neither fewer rows nor more */
static gboolean check_taken(const HbRowSet *set, guint64 taken, guint64 sent, GError **error)
{
    return taken == sent ||
           hb_error_set(error, HB_ERROR_STATEMENT, "see whether something on the target changes what is inserted",
                        "%s took %" G_GUINT64_FORMAT " of %" G_GUINT64_FORMAT " rows", set->table, taken, sent);
}

gboolean hb_pg_copy_into(HbSession *session, const HbRowSet *set, const char *sql, HbRowSource source, gpointer data,
                         GError **error)
{
    HbPgRowsSent sent;
    guint64 taken = 0;
    g_autoptr(HbResult) result = PQexec(session->conn, sql);

    if (PQresultStatus(result) != PGRES_COPY_IN)
        return hb_pg_set_error(session, result, error);
    hb_pg_rows_sent_init(&sent, set->binary);
    if (!send_rows(session, source, data, &sent, error))
        return give_up(session, error);
    if (PQputCopyEnd(session->conn, NULL) != 1)
        return hb_pg_set_error(session, NULL, error);
    return hb_pg_finish_copy(session, &taken, error) && check_taken(set, taken, sent.rows, error);
}

gboolean hb_pg_copy_in(HbSession *session, const HbRowSet *set, const char *sql, HbRowSource source, gpointer data,
                       GError **error)
{
    if (hb_pg_copy_into(session, set, sql, source, data, error))
        return TRUE;
    hb_pg_execute(session, "ROLLBACK", NULL);
    return FALSE;
}

gboolean hb_pg_commit_copy(HbSession *session, const HbRowSet *set, GError **error)
{
    if (commit(session, set, error))
        return TRUE;
    hb_pg_execute(session, "ROLLBACK", NULL);
    return FALSE;
}

gboolean hb_pg_write_rows(HbSession *session, const HbRowSet *set, HbRowSource source, gpointer data, const char *key,
                          GError **error)
{
    g_autofree char *sql = begin_statement(session, set, key);

    return hb_pg_copy_in(session, set, sql, source, data, error) && hb_pg_commit_copy(session, set, error);
}
