/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/catalog/snapshot.h"

#include "engine/common/checks.h"
#include "engine/postgres/catalog/queries.h"
#include "engine/postgres/log/kept_log.h"
#include "sql.h"

#include <stdlib.h>
#include <string.h>

/*
 * One moment for several sessions. The keeper locks every table against changes of its structure (ACCESS SHARE), looks
 * for tables that came meanwhile, and locks those, too, until none is new; then it exports its snapshot. The others
 * import that snapshot, and take the same locks before the catalog is read: a lock that is asked for later would queue
 * behind a session that waits to change the table, while that session waits for the keeper.
 *
 * What always holds: a row that is read belongs to the exported snapshot, and its table is the one that the catalog
 * describes, or the dump fails. Where the server cannot hold so many locks, the largest tables get them, and the
 * fingerprint of the structure is compared at the end.
 *
 * Cost: one statement for each 500 tables and session, and one reading of the list for each round.
 */
#define TABLES_PER_LOCK_STATEMENT 500

/* New tables may come while others are locked; a database in which they come faster than this is not at rest */
#define LOCK_ROUNDS 5

/* A session that waits for our locks may hold what we want to read: give up soon, release, and begin again */
#define READING_LOCK_WAIT_MS 1000

static HbResult *list_tables(HbSession *session, GError **error)
{
    g_autofree char *sql = hb_pg_fit_query(hb_sql_lockable, session->version);

    return hb_pg_query(session, sql, error);
}

/* How many locks this dump may take: half of what the server can hold */
static gboolean read_lock_budget(HbSession *session, int *budget, GError **error)
{
    static const char sql[] = "SELECT current_setting('max_locks_per_transaction')::int"
                              " * (current_setting('max_connections')::int"
                              "    + current_setting('max_prepared_transactions')::int) / 2 AS budget";
    g_autoptr(HbResult) result = hb_pg_query(session, sql, error);

    if (result != NULL)
        *budget = atoi(hb_pg_get(result, 0, "budget"));
    return result != NULL;
}

/* Names the session whose lock keeps us out; NULL if there is none any more */
static char *find_holder(HbSession *session)
{
    static const char sql[] = "SELECT l.relation::regclass AS name, a.pid, a.usename, a.application_name, a.state"
                              " FROM pg_locks l JOIN pg_stat_activity a ON a.pid = l.pid"
                              " WHERE l.locktype = 'relation' AND l.mode = 'AccessExclusiveLock' AND l.granted"
                              "   AND l.relation >= 16384 AND l.pid <> pg_backend_pid()"
                              "   AND l.database = (SELECT oid FROM pg_database WHERE datname = current_database())"
                              "   AND EXISTS (SELECT FROM pg_class c WHERE c.oid = l.relation"
                              "               AND c.relkind IN ('r', 'p') AND c.relnamespace <> 99) LIMIT 1";
    g_autoptr(HbResult) result = hb_pg_query(session, sql, NULL);

    if (result == NULL || PQntuples(result) == 0)
        return NULL;
    return g_strdup_printf("table %s: locked by process %s of user %s (%s, %s)", hb_pg_get(result, 0, "name"),
                           hb_pg_get(result, 0, "pid"), hb_pg_get(result, 0, "usename"),
                           hb_pg_get(result, 0, "application_name"), hb_pg_get(result, 0, "state"));
}

static gboolean explain_lock_failure(HbSession *session, GError *cause, guint lock_wait_ms, GError **error)
{
    g_autoptr(GError) ours = cause;

    hb_pg_execute(session, "ROLLBACK", NULL);
    if (hb_error_is(ours, HB_ERROR_ABSENT))
        return hb_error_set(error, HB_ERROR_RETRY, "dump again, when no tables are being created or dropped",
                            "a table was dropped while the tables were locked: %s", ours->message);
    g_autofree char *holder = find_holder(session);
    if (hb_error_is(ours, HB_ERROR_LOCKED) && holder != NULL)
        return hb_error_set(error, HB_ERROR_LOCKED,
                            "try again when the table is free, or wait longer with --lock-wait SECONDS",
                            "%s; the dump waited %u s for a read lock and gave up", holder, lock_wait_ms / 1000);
    g_propagate_prefixed_error(error, g_steal_pointer(&ours), "locking the tables against changes of structure: ");
    return FALSE;
}

static gboolean lock_some(HbSession *session, const PGresult *tables, int from, int to, GError **error)
{
    g_autoptr(GString) sql = g_string_new("LOCK TABLE");

    for (int row = from; row < to; row++)
        g_string_append_printf(sql, "%s ONLY %s", row > from ? "," : "", PQgetvalue(tables, row, 0));
    g_string_append(sql, " IN ACCESS SHARE MODE");
    return hb_pg_execute(session, sql->str, error);
}

static gboolean lock_tables(HbSession *session, const PGresult *tables, int count, GError **error)
{
    for (int from = 0; from < count; from += TABLES_PER_LOCK_STATEMENT) {
        if (!lock_some(session, tables, from, MIN(from + TABLES_PER_LOCK_STATEMENT, count), error))
            return FALSE;
    }
    return TRUE;
}

static gboolean lock_listed(HbSession *session, GError **error)
{
    g_autoptr(HbResult) tables = list_tables(session, error);

    return tables != NULL && lock_tables(session, tables, PQntuples(tables), error);
}

static gboolean is_same_list(const PGresult *one, const PGresult *other)
{
    g_autoptr(GHashTable) names = g_hash_table_new(g_str_hash, g_str_equal);

    for (int row = 0; row < PQntuples(one); row++)
        g_hash_table_add(names, PQgetvalue(one, row, 0));
    for (int row = 0; row < PQntuples(other); row++) {
        if (!g_hash_table_contains(names, PQgetvalue(other, row, 0)))
            return FALSE;
    }
    return PQntuples(one) == PQntuples(other);
}

static void remark_unlocked(HbSession *session, int count, int budget, HbRemark remark, gpointer data)
{
    g_autofree char *text = g_strdup_printf(
        "%d of %d tables are not locked during the dump: the server holds too few locks", count - budget, count);

    session->release_locks = TRUE;
    remark(data, text,
           "if their structure changes meanwhile, the dump notices and fails; a larger max_locks_per_transaction locks "
           "all");
}

static gboolean lock_all(HbSession *session, const HbSnapshot *snapshot, HbRemark remark, gpointer data, GError **error)
{
    g_autoptr(HbResult) tables = list_tables(session, error);
    int budget = 0;

    if (tables == NULL || !read_lock_budget(session, &budget, error))
        return FALSE;
    for (int round = 0; round < LOCK_ROUNDS; round++) {
        g_autoptr(HbResult) again = NULL;
        if (!lock_tables(session, tables, MIN(PQntuples(tables), budget), error))
            return FALSE;
        again = list_tables(session, error);
        if (again == NULL)
            return FALSE;
        if (is_same_list(tables, again)) {
            if (PQntuples(tables) > budget)
                remark_unlocked(session, PQntuples(tables), budget, remark, data);
            session->readers_lock = (gint64)PQntuples(tables) * (snapshot->sessions + 1) <= budget;
            return TRUE;
        }
        PQclear(tables);
        tables = g_steal_pointer(&again);
    }
    return hb_error_set(error, HB_ERROR_RETRY, "dump when no tables are being created or dropped",
                        "the list of tables keeps changing while they are locked");
}

static char *read_fingerprint(HbSession *session, GError **error)
{
    g_autofree char *sql = hb_pg_fit_query(hb_sql_fingerprint, session->version);
    g_autoptr(HbResult) result = hb_pg_query(session, sql, error);

    return result != NULL ? g_strdup(PQgetvalue(result, 0, 0)) : NULL;
}

/*
 * Nothing can lock a schema's name. Tables are locked, and yet all of them are called otherwise when their schema is:
 * each that is there at the beginning must be there, under its name, at the end
 */
static GHashTable *list_schemas(HbSession *session, GError **error)
{
    return hb_pg_read_names(
        session, "SELECT oid || ' ' || nspname FROM pg_namespace WHERE oid >= 16384 OR nspname = 'public'", error);
}

static gboolean check_schemas(HbSession *session, GError **error)
{
    g_autoptr(GHashTable) now = list_schemas(session, error);
    GHashTableIter iter;
    gpointer schema;

    if (now == NULL)
        return FALSE;
    g_hash_table_iter_init(&iter, session->schemas);
    while (g_hash_table_iter_next(&iter, &schema, NULL)) {
        if (!g_hash_table_contains(now, schema))
            return hb_error_set(error, HB_ERROR_RETRY, "begin again when no schemas are being renamed or dropped",
                                "schema %s was renamed or dropped while its tables were read", strchr(schema, ' ') + 1);
    }
    return TRUE;
}

/* Views and foreign tables are never read: a user who puts one in a table's place must not have functions run by us */
static gboolean refuse_views(HbSession *session, GError **error)
{
    g_autoptr(HbResult) result = hb_pg_query(session,
                                             "SELECT set_config(name, 'view,foreign-table', true) FROM pg_settings"
                                             " WHERE name = 'restrict_nonsystem_relation_kind'",
                                             error);

    return result != NULL;
}

/* What is visible in the moment was written before its position, also what the server has not sent to the disk yet */
static gboolean take_moment(HbSession *session, HbSnapshot *snapshot, char **token, GError **error)
{
    static const char sql[] =
        "SELECT pg_export_snapshot() AS token, to_char(statement_timestamp(), 'YYYY-MM-DD\"T\"HH24:MI:SS.US\"Z\"') AS "
        "time, CASE WHEN pg_is_in_recovery() THEN pg_last_wal_replay_lsn() ELSE pg_current_wal_insert_lsn() END"
        " AS position";
    g_autoptr(HbResult) result = hb_pg_query(session, sql, error);

    if (result == NULL)
        return FALSE;
    *token = g_strdup(hb_pg_get(result, 0, "token"));
    snapshot->time = g_strdup(hb_pg_get(result, 0, "time"));
    snapshot->position = g_strdup(hb_pg_get(result, 0, "position"));
    return TRUE;
}

/*
 * The moment from which on the log is kept is older than the locks: to make a slot the server waits for all that write
 * just then, and some of those may wait for our locks. So what is locked must be what the moment has. A table that was
 * emptied in between seems to have been empty in that moment already; the log says so, too
 */
static gboolean take_kept_moment(HbSession *session, char **token, GError **error)
{
    g_autofree char *then = read_fingerprint(session->holder, error);

    if (then == NULL || !hb_engine_check_fingerprint(session->fingerprint, then, session->address, error))
        return FALSE;
    *token = g_strdup(session->kept_token);
    return TRUE;
}

static gboolean keep_log(HbSession *session, guint lock_wait_ms, HbSnapshot *snapshot, GError **error)
{
    static const char sql[] = "SELECT to_char(statement_timestamp(), 'YYYY-MM-DD\"T\"HH24:MI:SS.US\"Z\"')";
    g_autoptr(HbResult) time = snapshot->keep_log != NULL ? hb_pg_query(session, sql, error) : NULL;

    if (snapshot->keep_log == NULL)
        return TRUE;
    g_clear_pointer(&session->kept_token, g_free);
    if (time == NULL ||
        !hb_pg_keep_log(session, snapshot->keep_log, lock_wait_ms, &session->kept_token, &snapshot->position, error))
        return FALSE;
    snapshot->time = g_strdup(PQgetvalue(time, 0, 0));
    return TRUE;
}

/* Snapshot and fingerprint in one statement each, the fingerprint first: a change in between is then noticed */
static gboolean export_snapshot(HbSession *session, guint lock_wait_ms, HbSnapshot *snapshot, GError **error)
{
    g_autofree char *token = NULL;

    g_free(session->fingerprint);
    session->fingerprint = read_fingerprint(session, error);
    g_clear_pointer(&session->schemas, g_hash_table_unref);
    session->schemas = list_schemas(session, error);
    if (session->fingerprint == NULL || session->schemas == NULL ||
        !(session->holder != NULL ? take_kept_moment(session, &token, error)
                                  : take_moment(session, snapshot, &token, error)))
        return FALSE;
    snapshot->lock_wait_ms = MIN(lock_wait_ms, READING_LOCK_WAIT_MS);
    snapshot->token = g_strdup_printf("%c%s", session->release_locks ? '+' : session->readers_lock ? '=' : ' ', token);
    return TRUE;
}

gboolean hb_pg_begin_snapshot(HbSession *session, guint lock_wait_ms, HbSnapshot *snapshot, HbRemark remark,
                              gpointer data, GError **error)
{
    g_autofree char *begin =
        g_strdup_printf("BEGIN ISOLATION LEVEL READ COMMITTED READ ONLY; SET LOCAL lock_timeout = %u", lock_wait_ms);
    GError *cause = NULL;

    g_clear_pointer(&session->holder, hb_pg_close);
    if (PQtransactionStatus(session->conn) != PQTRANS_IDLE && !hb_pg_execute(session, "ROLLBACK", error))
        return FALSE;
    if (!keep_log(session, lock_wait_ms, snapshot, error) || !hb_pg_execute(session, begin, error) ||
        !refuse_views(session, error))
        return FALSE;
    if (!lock_all(session, snapshot, remark, data, &cause))
        return explain_lock_failure(session, cause, lock_wait_ms, error);
    return export_snapshot(session, lock_wait_ms, snapshot, error);
}

/*
 * A token begins with '+' if the keeper could not lock all tables: then locks are given back early. It begins with '='
 * if there are locks enough for all sessions: then each takes them at once, because a later request stands in the queue
 * behind those that wait to change the table.
 *
 * No wait is endless: a session that waits to change a table which we hold may hold what we want, or stand before us in
 * the queue for it, and the server cannot see that two sessions of ours belong together.
 */
gboolean hb_pg_join_snapshot(HbSession *session, const HbSnapshot *snapshot, GError **error)
{
    const char *token = snapshot->token;

    session->release_locks = *token == '+';
    g_autofree char *literal = hb_pg_quote_literal(session, token + 1);
    g_autofree char *sql = g_strdup_printf("BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY;"
                                           " SET TRANSACTION SNAPSHOT %s; SET LOCAL lock_timeout = %u",
                                           literal, snapshot->lock_wait_ms);
    return hb_pg_execute(session, sql, error) && refuse_views(session, error) &&
           (*token != '=' || lock_listed(session, error));
}

/* The server keeps an exported snapshot as long as its transaction: a worker that loses its session can join again */
gboolean hb_pg_seal_snapshot(HbSession *session, HbSnapshot *snapshot, GError **error)
{
    (void)session;
    (void)snapshot;
    (void)error;
    return TRUE;
}

/* The keeper's statements see what others have committed by now, unlike those in the snapshot */
gboolean hb_pg_check_structure(HbSession *session, GError **error)
{
    g_autofree char *now = read_fingerprint(session, error);

    return now != NULL && hb_engine_check_fingerprint(now, session->fingerprint, session->address, error);
}

void hb_pg_drop_snapshot(HbSession *session)
{
    g_clear_pointer(&session->holder, hb_pg_close);
    hb_pg_execute(session, "ROLLBACK", NULL);
}

gboolean hb_pg_end_snapshot(HbSession *session, GError **error)
{
    if (session->release_locks && !hb_pg_check_structure(session, error))
        return FALSE;
    g_clear_pointer(&session->holder, hb_pg_close);
    return check_schemas(session, error) && hb_pg_execute(session, "COMMIT", error);
}
