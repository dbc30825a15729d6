/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/rows/rows.h"

#include "core/rows/key_condition.h"
#include "engine/common/change_rows.h"
#include "engine/postgres/catalog/queries.h"
#include "engine/postgres/dialect/dialect.h"
#include "engine/postgres/dialect/large_objects.h"
#include "engine/postgres/rows/find_places.h"
#include "engine/postgres/session/copy_data.h"
#include "engine/postgres/target/journal.h"

#define FIRST_VERSION_WITH_RANGE_SCANS 140000

#include <string.h>

/* ---- Splitting ---- */

/* The first number of each range */
static HbResult *find_bounds(HbSession *session, guint64 pieces)
{
    g_autofree char *sql = g_strdup_printf("SELECT min(oid) AS first"
                                           " FROM (SELECT oid, ntile(%" G_GUINT64_FORMAT ") OVER (ORDER BY oid) AS tile"
                                           "       FROM pg_largeobject_metadata) t"
                                           " GROUP BY tile ORDER BY 1",
                                           pieces);

    return hb_pg_query(session, sql, NULL);
}

static GArray *split_large_objects(HbSession *session, const HbRowSet *set, guint64 bytes)
{
    GArray *ranges = hb_ranges_new();
    guint64 pieces = MAX((set->bytes + bytes - 1) / bytes, 1);
    g_autoptr(HbResult) bounds = pieces > 1 ? find_bounds(session, pieces) : NULL;
    int count = bounds != NULL ? MAX(PQntuples(bounds), 1) : 1;

    for (int i = 0; i < count; i++) {
        HbRange range = {.first = i > 0 ? g_ascii_strtoull(PQgetvalue(bounds, i, 0), NULL, 10) : 0,
                         .end = i + 1 < count ? g_ascii_strtoull(PQgetvalue(bounds, i + 1, 0), NULL, 10) : G_MAXUINT64,
                         .bytes = set->bytes / (guint64)count};
        g_array_append_val(ranges, range);
    }
    return ranges;
}

GArray *hb_pg_split_rows(HbSession *session, const HbRowSet *set, guint64 bytes)
{
    GArray *ranges;
    guint64 pieces = session->version < FIRST_VERSION_WITH_RANGE_SCANS || set->condition != NULL
                         ? 1
                         : (set->bytes + bytes - 1) / bytes;

    if (hb_pg_is_large_objects(set))
        return split_large_objects(session, set, bytes);
    ranges = hb_ranges_new();
    pieces = CLAMP(pieces, 1, MAX(set->split_extent, 1));
    for (guint64 i = 0; i < pieces; i++) {
        HbRange range = {.first = set->split_extent * i / pieces,
                         .end = i + 1 < pieces ? set->split_extent * (i + 1) / pieces : G_MAXUINT64,
                         .bytes = set->bytes / pieces};
        g_array_append_val(ranges, range);
    }
    return ranges;
}

/* ---- Reading ---- */

static char *join_columns(const HbRowSet *set)
{
    GString *text = g_string_new(NULL);

    for (guint i = 0; i < set->columns->len; i++)
        g_string_append_printf(text, "%s%s", i > 0 ? ", " : "", (const char *)set->columns->pdata[i]);
    return g_string_free(text, FALSE);
}

/* " (a, b)", or nothing for a table without columns, for which COPY takes no list */
static char *column_list(const HbRowSet *set)
{
    g_autofree char *columns = join_columns(set);

    return set->columns->len > 0 ? g_strdup_printf(" (%s)", columns) : g_strdup("");
}

static const char *form_of(const HbRowSet *set)
{
    return set->binary ? " (FORMAT binary)" : "";
}

static char *copy_out_statement(const HbRowSet *set, const HbRange *range)
{
    g_autofree char *columns = join_columns(set);
    g_autofree char *list = column_list(set);
    g_autofree char *upper = NULL;

    if (hb_pg_is_large_objects(set)) {
        g_autofree char *sql = hb_pg_make_large_objects_sql(range->first, range->end, range->where);
        return hb_pg_fit_query(sql, HB_PG_OLDEST);
    }
    if (set->condition != NULL)
        return g_strdup_printf("COPY (SELECT %s FROM ONLY %s %s) TO STDOUT", columns, set->table, set->condition);
    if (range->where != NULL)
        return g_strdup_printf("COPY (SELECT %s FROM ONLY %s WHERE %s) TO STDOUT", columns, set->table, range->where);
    if (range->first == 0 && range->end == G_MAXUINT64)
        return g_strdup_printf("COPY %s%s TO STDOUT%s", set->table, list, form_of(set));
    upper = range->end == G_MAXUINT64 ? g_strdup("")
                                      : g_strdup_printf(" AND ctid < '(%" G_GUINT64_FORMAT ",0)'::tid", range->end);
    return g_strdup_printf("COPY (SELECT %s FROM ONLY %s WHERE ctid >= '(%" G_GUINT64_FORMAT ",0)'::tid%s) TO STDOUT%s",
                           columns, set->table, range->first, upper, form_of(set));
}

/*
 * Whatever is called so by now must be the table that was listed: before and after its rows. Nothing but its name leads
 * to it, a schema's name cannot be locked, and a view in its place would run its owner's functions
 */
static char *with_guards(HbSession *session, const HbRowSet *set, const char *copy)
{
    g_autofree char *name = hb_pg_quote_literal(session, set->table), *guard = NULL;

    if (set->number == 0)
        return g_strdup(copy);
    guard = g_strdup_printf("SELECT 1 / count(*) FROM pg_catalog.pg_class WHERE oid = pg_catalog.to_regclass(%s)"
                            " AND oid = %" G_GUINT64_FORMAT " AND relkind = 'r'",
                            name, set->number);
    return g_strdup_printf("%s; %s; %s", guard, copy, guard);
}

/* After the last row, or to discard rows that are not wanted any more. taken (may be NULL): rows that the server says
 * it took
 */
static gboolean finish(HbSession *session, guint64 *taken, GError **error)
{
    gboolean ok = TRUE;
    PGresult *result;
    char *row;

    while (PQgetCopyData(session->conn, &row, 0) > 0)
        PQfreemem(row);
    while ((result = PQgetResult(session->conn)) != NULL) {
        if (PQresultStatus(result) == PGRES_FATAL_ERROR && ok)
            ok = hb_pg_is_guard_error(result) ? hb_pg_set_guard_error("the table", error)
                                              : hb_pg_set_error(session, result, error);
        if (PQresultStatus(result) == PGRES_COMMAND_OK && taken != NULL)
            *taken = g_ascii_strtoull(PQcmdTuples(result), NULL, 10);
        PQclear(result);
        if (PQstatus(session->conn) == CONNECTION_BAD)
            break;
    }
    return ok;
}

static gboolean pass_rows(HbSession *session, gboolean binary, HbRowSink sink, gpointer data, GError **error)
{
    g_autoptr(GString) header = g_string_new(NULL);
    char *row;
    int length;

    while ((length = PQgetCopyData(session->conn, &row, 0)) > 0) {
        gboolean taken = binary ? hb_pg_pass_message(header, row, (gsize)length, sink, data, error)
                                : sink(data, row, (gsize)length, error);
        PQfreemem(row);
        if (!taken) {
            hb_pg_cancel_now(session);
            finish(session, NULL, NULL);
            return FALSE;
        }
    }
    if (length == -2)
        return hb_pg_set_error(session, NULL, error);
    return finish(session, NULL, error);
}

/* Rolling back to a savepoint gives back the locks taken since; only worth its cost where locks are scarce */
static char *with_savepoint(const char *copy)
{
    return g_strdup_printf("SAVEPOINT reading; %s; ROLLBACK TO SAVEPOINT reading", copy);
}

gboolean hb_pg_read_rows(HbSession *session, const HbRowSet *set, const HbRange *range, HbRowSink sink, gpointer data,
                         GError **error)
{
    g_autofree char *copy = copy_out_statement(set, range);
    g_autofree char *guarded = with_guards(session, set, copy);
    g_autofree char *sql = session->release_locks ? with_savepoint(guarded) : g_strdup(guarded);
    g_autoptr(HbResult) result = PQexec(session->conn, sql);

    if (hb_pg_is_guard_error(result))
        return hb_pg_set_guard_error("the table", error);
    if (PQresultStatus(result) != PGRES_COPY_OUT)
        return hb_pg_set_error(session, result, error);
    return pass_rows(session, set->binary, sink, data, error);
}

/* ---- Writing ---- */

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
    finish(session, NULL, &servers);
    if (error != NULL && hb_error_is(*error, HB_ERROR_LOST) && servers != NULL) {
        g_clear_error(error);
        g_propagate_error(error, g_steal_pointer(&servers));
    }
    hb_pg_execute(session, "ROLLBACK", NULL);
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
    list = column_list(set);
    unchecked = leave_keys_unchecked(session, set);
    return g_strdup_printf("BEGIN; %s; %s; COPY %s%s FROM STDIN%s", entry, unchecked, set->table, list, form_of(set));
}

/* The server must have taken what it was given, neither fewer rows nor more */
static gboolean check_taken(const HbRowSet *set, guint64 taken, guint64 sent, GError **error)
{
    return taken == sent ||
           hb_error_set(error, HB_ERROR_STATEMENT, "see whether something on the target changes what is inserted",
                        "%s took %" G_GUINT64_FORMAT " of %" G_GUINT64_FORMAT " rows", set->table, taken, sent);
}

/* sql: ends with the COPY that takes the rows. What was begun is rolled back where it fails */
static gboolean copy_in(HbSession *session, const HbRowSet *set, const char *sql, HbRowSource source, gpointer data,
                        GError **error)
{
    HbPgRowsSent sent;
    guint64 taken = 0;
    g_autoptr(HbResult) result = PQexec(session->conn, sql);

    if (PQresultStatus(result) != PGRES_COPY_IN) {
        hb_pg_set_error(session, result, error);
        hb_pg_execute(session, "ROLLBACK", NULL);
        return FALSE;
    }
    hb_pg_rows_sent_init(&sent, set->binary);
    if (!send_rows(session, source, data, &sent, error))
        return give_up(session, error);
    if (PQputCopyEnd(session->conn, NULL) != 1)
        return hb_pg_set_error(session, NULL, error);
    if (!finish(session, &taken, error) || !check_taken(set, taken, sent.rows, error)) {
        hb_pg_execute(session, "ROLLBACK", NULL);
        return FALSE;
    }
    return TRUE;
}

static gboolean commit_or_not(HbSession *session, const HbRowSet *set, GError **error)
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

    return copy_in(session, set, sql, source, data, error) && commit_or_not(session, set, error);
}

/* ---- Changing ---- */

/* Some act also where triggers are kept from acting (ENABLE ALWAYS, ENABLE REPLICA), and would change what comes */
static gboolean check_triggers(HbSession *session, const HbRowSet *set, GError **error)
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
        return check_triggers(session, set, error);
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

static gboolean run_delete(gpointer data, const char *sql, guint64 *count, GError **error)
{
    HbSession *session = data;
    g_autoptr(HbResult) result = PQexec(session->conn, sql);

    if (PQresultStatus(result) != PGRES_COMMAND_OK)
        return hb_pg_set_error(session, result, error);
    *count = g_ascii_strtoull(PQcmdTuples(result), NULL, 10);
    return TRUE;
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
    return hb_engine_delete_by_keys(from, set, &hb_pg_dialect, change->gone, run_delete, session, error);
}

/* Pieces that come replace those of the same place; a large object may have become shorter */
static gboolean change_large_objects(HbSession *session, const HbRowSet *set, const HbRowChange *change, GError **error)
{
    const gboolean cuts = change->gone != NULL && change->gone->len > 0;
    g_autofree char *cut = cuts ? hb_pg_make_cut_sql(change->gone) : NULL;

    if (cuts && cut == NULL)
        return hb_error_set(error, HB_ERROR_RETRY, NULL, "pieces of large objects that differ cannot be told");
    if (!hb_pg_execute(session, "BEGIN", error) ||
        !copy_in(session, set, hb_pg_begin_large_objects_sql, change->source, change->data, error))
        return FALSE;
    if (cut == NULL || hb_pg_execute(session, cut, error))
        return commit_or_not(session, set, error);
    hb_pg_execute(session, "ROLLBACK", NULL);
    return FALSE;
}

gboolean hb_pg_change_rows(HbSession *session, const HbRowSet *set, const HbRowChange *change, GError **error)
{
    g_autofree char *list = column_list(set);
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
    return (change->source == NULL || copy_in(session, set, copy, change->source, change->data, error)) &&
           commit_or_not(session, set, error);
}
