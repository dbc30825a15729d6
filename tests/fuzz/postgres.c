/* SPDX-License-Identifier: Apache-2.0 */
/* What a PostgreSQL server says, to readers in its engine's folder */
#include "fuzz/targets.h"

#include "core/graph/order.h"
#include "engine/postgres/catalog/catalog_builder.h"
#include "engine/postgres/session/copy_data.h"

#include <string.h>

/* The answer of a catalog query: records of fields, one of each sort of column */
static PGresult *make_answer(const char *bytes, gsize length)
{
    static const char *const columns[] = {"kind",        "classid", "objid", "name",        "definition",
                                          "on_identity", "needs",   "owner", "designation", "since",
                                          "until",       "after",   "cost"};
    PGresult *result = PQmakeEmptyPGresult(NULL, PGRES_TUPLES_OK);
    PGresAttDesc described[G_N_ELEMENTS(columns)] = {0};
    g_autofree char *text = g_strndup(bytes, length);
    g_auto(GStrv) records = g_strsplit(text, "\n", -1);

    for (gsize c = 0; c < G_N_ELEMENTS(columns); c++)
        described[c].name = (char *)columns[c];
    PQsetResultAttrs(result, G_N_ELEMENTS(columns), described);
    for (int row = 0; records[row] != NULL; row++) {
        g_auto(GStrv) fields = g_strsplit(records[row], "|", G_N_ELEMENTS(columns));
        gboolean over = FALSE;
        for (int c = 0; c < (int)G_N_ELEMENTS(columns); c++) {
            over = over || fields[c] == NULL;
            PQsetvalue(result, row, c, over ? NULL : fields[c],
                       over || *fields[c] == '\0' ? -1 : (int)strlen(fields[c]));
        }
    }
    return result;
}

/* Any answer becomes a catalog that can be arranged and fitted, or is refused */
gboolean fuzz_read_answer(const char *bytes, gsize length)
{
    HbSession session = {.version = 150000};
    PGresult *result = make_answer(bytes, length);
    HbCatalogBuilder builder;
    gboolean ok = TRUE;

    hb_catalog_builder_init(&builder, &session);
    for (int row = 0; ok && row < PQntuples(result); row++)
        ok = hb_catalog_builder_add(&builder, result, row, NULL);
    hb_catalog_builder_resolve(&builder);
    ok = ok && hb_order_arrange(builder.catalog, NULL);
    if (ok)
        hb_catalog_fit(builder.catalog, 130000, "an older one");
    hb_catalog_builder_clear(&builder);
    PQclear(result);
    return ok;
}

static gboolean count_piece(gpointer data, const char *piece, gsize length, GError **error)
{
    (void)piece, (void)error;
    *(gsize *)data += length;
    return TRUE;
}

static guint64 count_sent(const char *bytes, gsize length, gsize block, gboolean binary)
{
    HbPgRowsSent sent;

    hb_pg_rows_sent_init(&sent, binary);
    for (gsize at = 0; at < length; at += block)
        hb_pg_rows_sent_add(&sent, bytes + at, MIN(block, length - at));
    return sent.rows;
}

/* Messages whose lengths stand before them pass whole, and rows are counted the same in blocks of any size */
gboolean fuzz_read_copy(const char *bytes, gsize length)
{
    g_autoptr(GString) header = g_string_new(NULL);
    g_autofree char *text = g_strndup(bytes, length);
    g_autoptr(GPtrArray) list = g_ptr_array_new_with_free_func(g_free);
    gsize passed = 0;

    for (gsize at = 0; at < length; at += 1 + (guint8)bytes[at]) {
        const gsize part = MIN((gsize)(guint8)bytes[at], length - at - 1);
        if (part > 0)
            hb_pg_pass_message(header, bytes + at + 1, part, count_piece, &passed, NULL);
    }
    g_assert_cmpuint(passed, <=, length);
    g_assert_cmpuint(count_sent(bytes, length, 3, TRUE), ==, count_sent(bytes, length, length + 1, TRUE));
    g_assert_cmpuint(count_sent(bytes, length, 3, FALSE), ==, count_sent(bytes, length, length + 1, FALSE));
    return hb_pg_read_list(text, list);
}
