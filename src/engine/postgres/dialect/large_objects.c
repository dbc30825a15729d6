/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/dialect/large_objects.h"

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

/* A descriptor is closed as soon as it has told the size: there may be millions */
char *hb_pg_make_large_objects_sql(guint64 first, guint64 end)
{
    guint64 last = end == G_MAXUINT64 ? G_MAXUINT32 : end - 1;

    return g_strdup_printf(
        "COPY (SELECT m.oid, g.at, lo_get(m.oid, g.at, " PIECE_BYTES ")"
        " FROM pg_largeobject_metadata m"
        " CROSS JOIN LATERAL ("
        "  SELECT y.size FROM (SELECT x.fd, lo_lseek64(x.fd, 0, 2) AS size"
        "                      FROM (SELECT lo_open(m.oid, " FOR_READING ") AS fd OFFSET 0) x OFFSET 0) y"
        "  WHERE lo_close(y.fd) = 0) s"
        " CROSS JOIN LATERAL generate_series(0::bigint, s.size - 1, " PIECE_BYTES ") AS g(at)"
        " WHERE @may_read_m@ AND m.oid BETWEEN %" G_GUINT64_FORMAT " AND %" G_GUINT64_FORMAT ") TO STDOUT",
        first, last);
}
