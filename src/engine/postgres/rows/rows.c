/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/rows/rows.h"

#include "engine/postgres/catalog/queries.h"
#include "engine/postgres/dialect/large_objects.h"
#include "engine/postgres/rows/rows_inner.h"
#include "engine/postgres/session/copy_data.h"

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

char *hb_pg_make_column_list(const HbRowSet *set)
{
    g_autofree char *columns = join_columns(set);

    return set->columns->len > 0 ? g_strdup_printf(" (%s)", columns) : g_strdup("");
}

const char *hb_pg_get_form(gboolean binary)
{
    return binary ? " (FORMAT binary)" : "";
}

static char *copy_out_statement(const HbRowSet *set, const HbRange *range)
{
    g_autofree char *columns = join_columns(set);
    g_autofree char *list = hb_pg_make_column_list(set);
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
        return g_strdup_printf("COPY %s%s TO STDOUT%s", set->table, list, hb_pg_get_form(set->binary));
    upper = range->end == G_MAXUINT64 ? g_strdup("")
                                      : g_strdup_printf(" AND ctid < '(%" G_GUINT64_FORMAT ",0)'::tid", range->end);
    return g_strdup_printf("COPY (SELECT %s FROM ONLY %s WHERE ctid >= '(%" G_GUINT64_FORMAT ",0)'::tid%s) TO STDOUT%s",
                           columns, set->table, range->first, upper, hb_pg_get_form(set->binary));
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

gboolean hb_pg_finish_copy(HbSession *session, guint64 *taken, GError **error)
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
            hb_pg_finish_copy(session, NULL, NULL);
            return FALSE;
        }
    }
    if (length == -2)
        return hb_pg_set_error(session, NULL, error);
    return hb_pg_finish_copy(session, NULL, error);
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
