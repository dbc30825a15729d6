/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/catalog/large_objects.h"

#include "engine/postgres/catalog/queries.h"

#include <string.h>

/* A row's bytes: small enough for a line, large enough that a call costs little */
#define PIECE_BYTES "65536"

/* The server's constant for opening to read */
#define FOR_READING "262144"

const char hb_pg_begin_large_objects_sql[] =
    "CREATE TEMPORARY TABLE hornbeam_piece (number oid, at bigint, bytes bytea) ON COMMIT DROP;"
    " COPY pg_temp.hornbeam_piece FROM STDIN";

const char hb_pg_take_large_objects_sql[] = "SELECT lo_put(number, at, bytes) FROM pg_temp.hornbeam_piece";

gboolean hb_pg_is_large_objects(const HbRowSet *set)
{
    return strcmp(set->table, HB_PG_LARGE_OBJECTS) == 0;
}

void hb_pg_describe_large_objects(HbRowSet *set, guint64 bytes)
{
    set->bytes = bytes;
    g_ptr_array_add(set->columns, g_strdup("number"));
    g_ptr_array_add(set->columns, g_strdup("at"));
    g_ptr_array_add(set->columns, g_strdup("bytes"));
}

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

GArray *hb_pg_split_large_objects(HbSession *session, const HbRowSet *set, guint64 bytes)
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

/* A descriptor is closed as soon as it has told the size: there may be millions */
char *hb_pg_read_large_objects_sql(const HbRange *range)
{
    guint64 last = range->end == G_MAXUINT64 ? G_MAXUINT32 : range->end - 1;

    g_autofree char *sql = g_strdup_printf(
        "COPY (SELECT m.oid, g.at, lo_get(m.oid, g.at, " PIECE_BYTES ")"
        " FROM pg_largeobject_metadata m"
        " CROSS JOIN LATERAL ("
        "  SELECT y.size FROM (SELECT x.fd, lo_lseek64(x.fd, 0, 2) AS size"
        "                      FROM (SELECT lo_open(m.oid, " FOR_READING ") AS fd OFFSET 0) x OFFSET 0) y"
        "  WHERE lo_close(y.fd) = 0) s"
        " CROSS JOIN LATERAL generate_series(0::bigint, s.size - 1, " PIECE_BYTES ") AS g(at)"
        " WHERE @may_read_m@ AND m.oid BETWEEN %" G_GUINT64_FORMAT " AND %" G_GUINT64_FORMAT ") TO STDOUT",
        range->first, last);
    return hb_pg_fit_query(sql, HB_PG_OLDEST);
}
