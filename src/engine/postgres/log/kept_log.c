/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/log/kept_log.h"

#include "sql.h"

#include <stdlib.h>
#include <string.h>

#define BY_COMPARING "or leave it: freshen then compares rows"

/* ---- Positions ---- */

gboolean hb_pg_read_lsn(const char *text, guint64 *lsn)
{
    char *middle, *end;
    const guint64 high = g_ascii_strtoull(text, &middle, 16);

    if (middle == text || *middle != '/' || high > G_MAXUINT32)
        return FALSE;
    *lsn = g_ascii_strtoull(middle + 1, &end, 16);
    if (end == middle + 1 || *end != '\0' || *lsn > G_MAXUINT32)
        return FALSE;
    *lsn |= high << 32;
    return TRUE;
}

char *hb_pg_write_lsn(guint64 lsn)
{
    return g_strdup_printf("%X/%X", (guint)(lsn >> 32), (guint)lsn);
}

int hb_pg_compare_lsn(const char *position, const char *other)
{
    guint64 one = 0, two = 0;

    hb_pg_read_lsn(position, &one);
    hb_pg_read_lsn(other, &two);
    return one < two ? -1 : one > two;
}

/*
 * All that is visible by now is before the place where the server will write next. What it has written there is told
 * when it is on the disk: a message that says nothing is committed so that it is
 */
char *hb_pg_find_log_end(HbSession *session, GError **error)
{
    static const char nudge[] = "SET synchronous_commit = on; SELECT pg_logical_emit_message(true, 'hornbeam', '')";
    g_autoptr(HbResult) end = hb_pg_query(session, "SELECT pg_current_wal_insert_lsn()", error),
                        nudged = end != NULL ? hb_pg_query(session, nudge, error) : NULL;

    return nudged != NULL ? g_strdup(PQgetvalue(end, 0, 0)) : NULL;
}

/* ---- Names ---- */

/* It becomes part of commands, and what is called so is dropped */
gboolean hb_pg_check_kept_name(const char *name, GError **error)
{
    const char *rest = g_str_has_prefix(name, HB_PG_KEPT_PREFIX) ? name + strlen(HB_PG_KEPT_PREFIX) : "";

    return (*rest != '\0' && strspn(rest, "abcdefghijklmnopqrstuvwxyz0123456789_") == strlen(rest) &&
            strlen(name) < 64) ||
           hb_error_set(error, HB_ERROR_BLOCKED, NULL, "“%s” is no name of a kept log", name);
}

/* ---- May we? ---- */

static gboolean check_settings(const PGresult *result, GError **error)
{
    if (strcmp(hb_pg_get(result, 0, "level"), "logical") != 0)
        return hb_error_set(error, HB_ERROR_BLOCKED,
                            "set wal_level = logical in its configuration and start it again (a hosting provider has a "
                            "switch for logical replication); " BY_COMPARING,
                            "the server writes too little into its log: wal_level is %s",
                            hb_pg_get(result, 0, "level"));
    if (strcmp(hb_pg_get(result, 0, "may_read"), "t") != 0)
        return hb_error_set(error, HB_ERROR_RIGHTS,
                            "an administrator can run: ALTER ROLE ... REPLICATION; " BY_COMPARING,
                            "role %s may not read the server's log", hb_pg_get(result, 0, "who"));
    if (strcmp(hb_pg_get(result, 0, "may_create"), "t") != 0)
        return hb_error_set(error, HB_ERROR_RIGHTS,
                            "an administrator can run: GRANT CREATE ON DATABASE ... TO the "
                            "role; " BY_COMPARING,
                            "role %s may not make a publication in the database", hb_pg_get(result, 0, "who"));
    if (atoi(hb_pg_get(result, 0, "free_slots")) <= 0)
        return hb_error_set(error, HB_ERROR_BLOCKED, "raise max_replication_slots, or drop a slot that nobody needs",
                            "all replication slots of the server are taken");
    return TRUE;
}

gboolean hb_pg_check_log(HbSession *session, GError **error)
{
    static const char sql[] =
        "SELECT current_setting('wal_level') AS level, quote_ident(current_user) AS who,"
        " (SELECT rolreplication OR rolsuper FROM pg_roles WHERE rolname = current_user) AS may_read,"
        " has_database_privilege(current_database(), 'CREATE') AS may_create,"
        " current_setting('max_replication_slots')::int - (SELECT count(*) FROM pg_replication_slots) AS free_slots";
    g_autoptr(HbResult) result = hb_pg_query(session, sql, error);

    return result != NULL && check_settings(result, error);
}

/* ---- Which tables ---- */

/* The beginning of a statement, or a comma, and the table */
static void append_table(GString *sql, const char *beginning, const char *table)
{
    g_string_append_printf(sql, "%s ONLY %s", sql->len == 0 ? beginning : ",", table);
}

/* What an application's updates would fail for must not be published: each has what identifies its rows */
static gboolean publish(HbSession *session, const char *name, GError **error)
{
    g_autoptr(HbResult) tables = hb_pg_query(session, hb_sql_loggable, error);
    g_autofree char *create = g_strdup_printf("CREATE PUBLICATION %s", name),
                    *beginning = g_strconcat(create, " FOR TABLE", NULL);
    g_autoptr(GString) sql = g_string_new(NULL);

    for (int row = 0; tables != NULL && row < PQntuples(tables); row++) {
        if (hb_pg_get(tables, row, "why") == NULL)
            append_table(sql, beginning, hb_pg_get(tables, row, "name"));
    }
    return tables != NULL && hb_pg_execute(session, sql->len > 0 ? sql->str : create, error);
}

static HbResult *list_published(HbSession *session, const char *name, GError **error)
{
    static const char sql[] = "SELECT r.prrelid::regclass::text AS name, r.prrelid AS number FROM pg_publication_rel r"
                              " JOIN pg_publication p ON p.oid = r.prpubid WHERE p.pubname = $1";
    const char *const values[] = {name};

    return hb_pg_query_with(session, sql, 1, values, error);
}

static GHashTable *index_numbers(const HbCatalog *catalog)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(catalog);
    GHashTable *numbers = g_hash_table_new(g_int64_hash, g_int64_equal);

    for (guint i = 0; i < sets->len; i++) {
        HbRowSet *set = sets->pdata[i];
        if (set->number > 0 && set->condition == NULL)
            g_hash_table_insert(numbers, &set->number, set);
    }
    return numbers;
}

static HbRowSet *find_set(GHashTable *numbers, const PGresult *result, int row)
{
    const guint64 number = g_ascii_strtoull(hb_pg_get(result, row, "number"), NULL, 10);

    return g_hash_table_lookup(numbers, &number);
}

gboolean hb_pg_narrow_log(HbSession *session, const char *name, const HbCatalog *catalog, GError **error)
{
    g_autoptr(HbResult) published = list_published(session, name, error);
    g_autoptr(GHashTable) numbers = index_numbers(catalog);
    g_autofree char *beginning = g_strdup_printf("ALTER PUBLICATION %s DROP TABLE", name);
    g_autoptr(GString) sql = g_string_new(NULL);

    for (int row = 0; published != NULL && row < PQntuples(published); row++) {
        if (find_set(numbers, published, row) == NULL)
            append_table(sql, beginning, hb_pg_get(published, row, "name"));
    }
    return published != NULL && (sql->len == 0 || hb_pg_execute(session, sql->str, error));
}

/* One that is published, but has lost what identifies its rows since, tells no more than one that came later */
gboolean hb_pg_find_logged(HbSession *session, const char *name, const HbCatalog *catalog, GHashTable *logged,
                           GPtrArray *unlogged, GError **error)
{
    g_autoptr(HbResult) published = list_published(session, name, error),
                        tables = published != NULL ? hb_pg_query(session, hb_sql_loggable, error) : NULL;
    g_autoptr(GHashTable) numbers = index_numbers(catalog), told = g_hash_table_new(NULL, NULL);

    for (int row = 0; tables != NULL && row < PQntuples(published); row++)
        g_hash_table_add(told, find_set(numbers, published, row));
    for (int row = 0; tables != NULL && row < PQntuples(tables); row++) {
        HbRowSet *set = find_set(numbers, tables, row);
        const char *why = hb_pg_get(tables, row, "why");
        if (set != NULL && why == NULL && g_hash_table_contains(told, set))
            g_hash_table_add(logged, set);
        else if (set != NULL)
            g_ptr_array_add(unlogged,
                            hb_omission_new(set->table, why != NULL ? why : "it came after the log was kept"));
    }
    return tables != NULL;
}

/* ---- Keeping ---- */

/* Making a slot waits for each transaction that writes just then, on the whole server */
static gboolean explain_wait(HbSession *keeper, GError *cause, GError **error)
{
    static const char sql[] =
        "SELECT format('process %s of user %s (%s, since %s)', pid, usename, state, date_trunc('second', xact_start))"
        " FROM pg_stat_activity WHERE backend_xid IS NOT NULL AND pid <> pg_backend_pid()"
        " UNION ALL SELECT format('the prepared transaction %L', gid) FROM pg_prepared_xacts LIMIT 1";
    g_autoptr(HbResult) holder = NULL;

    if (!hb_error_is(cause, HB_ERROR_LOCKED)) {
        g_propagate_prefixed_error(error, cause, "having the server keep its log: ");
        return FALSE;
    }
    g_error_free(cause);
    holder = hb_pg_query(keeper, sql, NULL);
    return hb_error_set(
        error, HB_ERROR_LOCKED, "let it end, or end it; or wait longer with --lock-wait SECONDS",
        "to keep its log from one moment on the server waits until all that write just then have ended: %s has not",
        holder != NULL && PQntuples(holder) > 0 ? PQgetvalue(holder, 0, 0) : "a transaction");
}

/* The slot's session exports its snapshot only until it does something else: another one adopts it, and exports it
 * for as long as it lives */
static gboolean adopt(HbSession *keeper, const char *snapshot, char **token, GError **error)
{
    g_autofree char *literal = hb_pg_quote_literal(keeper, snapshot);
    g_autofree char *sql = g_strdup_printf("BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY;"
                                           " SET TRANSACTION SNAPSHOT %s",
                                           literal);
    g_autoptr(HbResult) result = NULL;

    keeper->holder = hb_pg_open_again(keeper, FALSE, error);
    if (keeper->holder == NULL || !hb_pg_execute(keeper->holder, sql, error))
        return FALSE;
    result = hb_pg_query(keeper->holder, "SELECT pg_export_snapshot()", error);
    *token = result != NULL ? g_strdup(PQgetvalue(result, 0, 0)) : NULL;
    return result != NULL;
}

static gboolean make_slot(HbSession *keeper, HbSession *maker, const char *name, guint lock_wait_ms, char **token,
                          char **position, GError **error)
{
    g_autofree char *wait = g_strdup_printf("SET lock_timeout = %u", lock_wait_ms),
                    *create = g_strdup_printf("CREATE_REPLICATION_SLOT %s LOGICAL pgoutput EXPORT_SNAPSHOT", name);
    g_autoptr(HbResult) slot = NULL;
    GError *cause = NULL;

    if (!hb_pg_execute(maker, wait, error))
        return FALSE;
    slot = hb_pg_query(maker, create, &cause);
    if (slot == NULL)
        return explain_wait(keeper, cause, error);
    *position = g_strdup(hb_pg_get(slot, 0, "consistent_point"));
    return adopt(keeper, hb_pg_get(slot, 0, "snapshot_name"), token, error);
}

gboolean hb_pg_keep_log(HbSession *keeper, const char *name, guint lock_wait_ms, char **token, char **position,
                        GError **error)
{
    HbSession *maker = hb_pg_open_again(keeper, FALSE, error), *reader = NULL;
    g_autofree char *wait = g_strdup_printf("SET lock_timeout = %u", lock_wait_ms);
    gboolean ok;

    *token = *position = NULL;
    ok = maker != NULL && hb_pg_check_log(maker, error) && hb_pg_execute(maker, wait, error) &&
         publish(maker, name, error) && (reader = hb_pg_open_again(keeper, TRUE, error)) != NULL &&
         make_slot(keeper, reader, name, lock_wait_ms, token, position, error);
    hb_pg_close(reader);
    if (!ok && maker != NULL)
        hb_pg_release_log(maker, name, NULL);
    hb_pg_close(maker);
    return ok;
}

/* ---- Releasing ---- */

/* A session that reads the slot keeps it: it is ended first */
static gboolean drop_slot(HbSession *session, const char *name, GError **error)
{
    static const char end[] = "SELECT pg_terminate_backend(active_pid) FROM pg_replication_slots"
                              " WHERE slot_name = $1 AND active_pid IS NOT NULL",
                      drop[] = "SELECT pg_drop_replication_slot(slot_name) FROM pg_replication_slots"
                               " WHERE slot_name = $1";
    const char *const values[] = {name};

    for (int attempt = 1;; attempt++) {
        g_autoptr(HbResult) ended = hb_pg_query_with(session, end, 1, values, NULL);
        g_autoptr(GError) ours = NULL;
        g_autoptr(HbResult) dropped = hb_pg_query_with(session, drop, 1, values, &ours);
        if (dropped != NULL)
            return TRUE;
        if (attempt == 20) {
            g_propagate_error(error, g_steal_pointer(&ours));
            return FALSE;
        }
        g_usleep(100 * 1000);
    }
}

gboolean hb_pg_release_log(HbSession *session, const char *name, GError **error)
{
    g_autofree char *quoted = hb_pg_quote_any_name(name);
    g_autofree char *sql = g_strdup_printf("DROP PUBLICATION IF EXISTS %s", quoted);

    if (hb_pg_check_kept_name(name, error) && drop_slot(session, name, error) && hb_pg_execute(session, sql, error))
        return TRUE;
    g_prefix_error(error, "releasing the kept log %s at %s: ", name, session->address);
    return FALSE;
}

/* ---- What is kept ---- */

static char *describe_limit(const PGresult *result, int row)
{
    const char *limit = hb_pg_get(result, row, "size_limit");

    return limit == NULL || g_str_has_prefix(limit, "-1")
               ? g_strdup("nothing but a full disk ends that")
               : g_strdup_printf("at most %s (max_slot_wal_keep_size)", limit);
}

static HbKeptLog read_kept(const PGresult *result, int row)
{
    const gboolean is_lost =
        g_strcmp0(hb_pg_get(result, row, "wal_status"), "lost") == 0 || hb_pg_get(result, row, "position") == NULL;

    return (HbKeptLog){.name = g_strdup(hb_pg_get(result, row, "slot_name")),
                       .position = g_strdup(hb_pg_get(result, row, "position")),
                       .complaint =
                           is_lost ? g_strdup("the server has thrown it away, because it grew beyond what it may keep")
                                   : NULL,
                       .bytes = is_lost ? 0 : g_ascii_strtoull(hb_pg_get(result, row, "kept"), NULL, 10),
                       .is_read = g_strcmp0(hb_pg_get(result, row, "active"), "t") == 0,
                       .limit = describe_limit(result, row)};
}

GArray *hb_pg_list_kept(HbSession *session, const char *name, GError **error)
{
    static const char sql[] =
        "SELECT slot_name, active, wal_status, CASE WHEN restart_lsn IS NOT NULL THEN confirmed_flush_lsn END AS "
        "position,"
        " greatest(coalesce(pg_wal_lsn_diff(pg_current_wal_insert_lsn(), restart_lsn), 0), 0)::bigint AS kept,"
        " current_setting('max_slot_wal_keep_size', true) AS size_limit"
        " FROM pg_replication_slots WHERE database = current_database() AND slot_name LIKE 'hornbeam\\_%'"
        " AND plugin = 'pgoutput' AND ($1::text IS NULL OR slot_name = $1) AND NOT pg_is_in_recovery()"
        " ORDER BY slot_name";
    const char *const values[] = {name};
    g_autoptr(HbResult) result = hb_pg_query_with(session, sql, 1, values, error);
    GArray *kept;

    if (result == NULL)
        return NULL;
    kept = hb_kept_logs_new();
    for (int row = 0; row < PQntuples(result); row++) {
        const HbKeptLog one = read_kept(result, row);
        g_array_append_val(kept, one);
    }
    return kept;
}
