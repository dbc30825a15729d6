/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/dialect/large_objects.h"

#include <string.h>

/* A row's bytes: small enough for a line, large enough that a call costs little */
#define PIECE_BYTES "65536"

/* The server's constants for opening to read, and to write */
#define FOR_READING "262144"
#define FOR_WRITING "131072"

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
    g_ptr_array_add(set->columns, g_strdup("number")); /* these two are the key */
    g_ptr_array_add(set->columns, g_strdup("at"));
    hb_row_set_set_key(set, set->columns);
    g_ptr_array_add(set->columns, g_strdup("bytes"));
}

/* A descriptor is closed as soon as it has told the size: there may be millions */
char *hb_pg_make_large_objects_sql(guint64 first, guint64 end, const char *where)
{
    guint64 last = end == G_MAXUINT64 ? G_MAXUINT32 : end - 1;

    return g_strdup_printf(
        "COPY (SELECT * FROM (SELECT m.oid AS number, g.at, lo_get(m.oid, g.at, " PIECE_BYTES ") AS bytes"
        " FROM pg_largeobject_metadata m"
        " CROSS JOIN LATERAL ("
        "  SELECT y.size FROM (SELECT x.fd, lo_lseek64(x.fd, 0, 2) AS size"
        "                      FROM (SELECT lo_open(m.oid, " FOR_READING ") AS fd OFFSET 0) x OFFSET 0) y"
        "  WHERE lo_close(y.fd) = 0) s"
        " CROSS JOIN LATERAL generate_series(0::bigint, s.size - 1, " PIECE_BYTES ") AS g(at)"
        " WHERE @may_read_m@ AND m.oid BETWEEN %" G_GUINT64_FORMAT " AND %" G_GUINT64_FORMAT ") AS piece"
        "%s%s) TO STDOUT",
        first, last, where != NULL ? " WHERE " : "", where != NULL ? where : "");
}

/* ---- Changing ---- */

static gboolean is_number(const char *text, gsize length)
{
    return length > 0 && length <= 19 && strspn(text, "0123456789") >= length;
}

#define CREATION "SELECT pg_catalog.lo_create("

/* The lines of a page, which create one each, by their numbers; texts are the caller's */
static GHashTable *index_numbers(const HbObject *page)
{
    GHashTable *numbers = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    g_auto(GStrv) lines = g_strsplit(page != NULL ? page->definition : "", "\n", -1);

    for (char **line = lines; *line != NULL; line++) {
        const char *number = g_str_has_prefix(*line, CREATION) ? *line + strlen(CREATION) : "";
        const gsize length = strcspn(number, ")");
        if (is_number(number, length))
            g_hash_table_add(numbers, g_strndup(number, length));
    }
    return numbers;
}

/* Those of one that another has not, in the statement's text; rising, so that it is always the same */
static void append_more(GString *sql, GHashTable *one, GHashTable *other, const char *statement)
{
    g_autoptr(GList) numbers = g_list_sort(g_hash_table_get_keys(one), (GCompareFunc)strcmp);

    for (GList *at = numbers; at != NULL; at = at->next) {
        if (!g_hash_table_contains(other, at->data))
            g_string_append_printf(sql, "%s%s);\n", statement, (const char *)at->data);
    }
}

/* "ALTER LARGE OBJECT 17 OWNER TO keeper;" of those that are made */
static void append_owners(GString *sql, const HbObject *wanted, GHashTable *there)
{
    static const char beginning[] = "ALTER LARGE OBJECT ";
    g_auto(GStrv) lines = g_strsplit(wanted->owner_sql != NULL ? wanted->owner_sql : "", "\n", -1);

    for (char **line = lines; *line != NULL; line++) {
        const char *at = g_str_has_prefix(*line, beginning) ? *line + strlen(beginning) : "";
        g_autofree char *number = g_strndup(at, strcspn(at, " "));
        if (*number != '\0' && !g_hash_table_contains(there, number))
            g_string_append_printf(sql, "%s\n", *line);
    }
}

char *hb_pg_make_align_sql(const HbObject *wanted, const HbObject *there)
{
    g_autoptr(GHashTable) more = NULL, less = NULL;
    GString *sql;

    if ((wanted != NULL ? wanted : there)->kind != HB_KIND_LARGE_OBJECTS)
        return NULL;
    more = index_numbers(wanted);
    less = index_numbers(there);
    sql = g_string_new(NULL);
    append_more(sql, more, less, CREATION);
    if (wanted != NULL)
        append_owners(sql, wanted, less);
    append_more(sql, less, more, "SELECT pg_catalog.lo_unlink(");
    return g_string_free(sql, sql->len == 0);
}

char *hb_pg_make_cut_sql(const GArray *gone)
{
    GString *sql = g_string_new("SELECT lo_truncate64(fd, at), lo_close(fd) FROM (SELECT min(g.at) AS at,"
                                " lo_open(g.number, " FOR_WRITING ") AS fd FROM (VALUES ");

    for (guint i = 0; i < gone->len; i++) {
        const HbSketchedRow *row = &g_array_index(gone, HbSketchedRow, i);
        const char *tab = memchr(row->key, '\t', row->key_length);
        const gsize number = tab != NULL ? (gsize)(tab - row->key) : 0, at = row->key_length - number - 1;
        if (tab == NULL || !is_number(row->key, number) || !is_number(tab + 1, at)) {
            g_string_free(sql, TRUE);
            return NULL;
        }
        g_string_append_printf(sql, "%s(%.*s::oid, %.*s::bigint)", i > 0 ? ", " : "", (int)number, row->key, (int)at,
                               tab + 1);
    }
    g_string_append(sql, ") AS g(number, at) JOIN pg_catalog.pg_largeobject_metadata m ON m.oid = g.number"
                         " WHERE NOT EXISTS (SELECT FROM pg_temp.hornbeam_piece p WHERE p.number = g.number AND p.at ="
                         " g.at AND length(p.bytes) = " PIECE_BYTES ") GROUP BY g.number OFFSET 0) AS open");
    return g_string_free(sql, FALSE);
}
