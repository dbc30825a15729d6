/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/rows/json_types.h"

#include "engine/mariadb/rows/split_rows.h"

#include <string.h>

#define PIECE_BYTES (16 * 1024 * 1024)

/* Larger values are compared at once: the server gives up on a pattern that takes many steps */
#define MATCH_BYTES "4096"
#define SIZES_SINCE 50722 /* JSON_STORAGE_SIZE */
#define GAVE_UP     3699  /* ER_REGEXP_TIME_OUT; how many steps are too many is a setting */

/*
 * What the text of such a value holds: a date or a time behind a quotation mark, the mark of bytes, a fraction that
 * ends in 0 (that of no double does, but .0), or more digits than a double or an integer has. Most texts that hold one
 * are the same value all the same, but no other text need be looked at more closely. The column stands for each {c}
 */
#define DOUBTFUL                                                                                                       \
    "(JSON_STORAGE_SIZE({c}) > " MATCH_BYTES " OR CAST({c} AS CHAR) COLLATE utf8mb4_bin REGEXP"                        \
    " '\"(-?[0-9]{2,4}[-:][0-9]{2}[-:][0-9]{2}|base64:type)|[.][0-9]+0([^0-9]|$)|[0-9.]{17}')"

/* Is it another value when it comes back, or written otherwise? */
#define CHANGED                                                                                                        \
    "NOT (CAST(CAST({c} AS CHAR) AS JSON) = {c} AND"                                                                   \
    " CAST(CAST(CAST({c} AS CHAR) AS JSON) AS BINARY) = CAST({c} AS BINARY))"

/* A table with such columns */
typedef struct {
    const HbRowSet *set;
    GPtrArray *columns; /* char *: quoted */
    guint64 *counts;    /* of values that lose something, for each column */
} Table;

typedef struct {
    Table *table;
    char *where; /* NULL: all of it */
} Piece;

typedef struct {
    GMutex lock; /* guards the rest */
    GPtrArray *pieces;
    guint next;
    GError *error; /* the first one */
} Work;

static void table_free(gpointer data)
{
    Table *table = data;

    g_ptr_array_unref(table->columns);
    g_free(table->counts);
    g_free(table);
}

static void piece_free(gpointer data)
{
    g_free(((Piece *)data)->where);
    g_free(data);
}

/* ---- What there is to read ---- */

static const char json_columns[] = "SELECT TABLE_NAME, COLUMN_NAME FROM information_schema.COLUMNS"
                                   " WHERE TABLE_SCHEMA = DATABASE() AND DATA_TYPE = 'json'"
                                   " ORDER BY TABLE_NAME, ORDINAL_POSITION";

static GHashTable *index_tables(const HbCatalog *catalog)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(catalog);
    GHashTable *by_table = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < sets->len; i++)
        g_hash_table_insert(by_table, ((HbRowSet *)sets->pdata[i])->table, sets->pdata[i]);
    return by_table;
}

static gboolean has_column(const HbRowSet *set, const char *column)
{
    return g_ptr_array_find_with_equal_func(set->columns, column, g_str_equal, NULL);
}

/* Only what is carried: not generated, in a table whose rows were chosen */
static void add_column(GPtrArray *tables, GHashTable *by_table, MYSQL_ROW row)
{
    g_autofree char *name = hb_my_quote_name(row[0]), *column = hb_my_quote_name(row[1]);
    const HbRowSet *set = g_hash_table_lookup(by_table, name);
    Table *table = tables->len > 0 ? tables->pdata[tables->len - 1] : NULL;

    if (set == NULL || !has_column(set, column))
        return;
    if (table == NULL || table->set != set) {
        table = g_new0(Table, 1);
        table->set = set;
        table->columns = g_ptr_array_new_with_free_func(g_free);
        g_ptr_array_add(tables, table);
    }
    g_ptr_array_add(table->columns, g_steal_pointer(&column));
}

/* Table *; the caller's */
static GPtrArray *find_tables(HbSession *session, const HbCatalog *catalog, GError **error)
{
    g_autoptr(HbMyResult) result = hb_my_query(session, json_columns, error);
    g_autoptr(GHashTable) by_table = index_tables(catalog);
    g_autoptr(GPtrArray) tables = g_ptr_array_new_with_free_func(table_free);
    MYSQL_ROW row;

    if (result == NULL)
        return NULL;
    while ((row = mysql_fetch_row(result)) != NULL)
        add_column(tables, by_table, row);
    for (guint i = 0; i < tables->len; i++) {
        Table *table = tables->pdata[i];
        table->counts = g_new0(guint64, table->columns->len);
    }
    return g_steal_pointer(&tables);
}

static GPtrArray *cut_tables(HbSession *session, const GPtrArray *tables)
{
    GPtrArray *pieces = g_ptr_array_new_with_free_func(piece_free);

    for (guint i = 0; i < tables->len; i++) {
        Table *table = tables->pdata[i];
        g_autoptr(GArray) ranges = hb_my_split_rows(session, table->set, PIECE_BYTES);
        for (guint n = 0; n < ranges->len; n++) {
            Piece *piece = g_new0(Piece, 1);
            piece->table = table;
            piece->where = g_strdup(g_array_index(ranges, HbRange, n).where);
            g_ptr_array_add(pieces, piece);
        }
    }
    return pieces;
}

/* ---- Reading ---- */

static char *make_question(const Piece *piece, const char *doubtful)
{
    GString *sql = g_string_new("SELECT ");

    for (guint i = 0; i < piece->table->columns->len; i++) {
        g_autoptr(GString) losses = g_string_new(NULL);
        g_string_printf(losses, "COALESCE(SUM(IF(%s, " CHANGED ", 0)), 0)", doubtful);
        g_string_replace(losses, "{c}", piece->table->columns->pdata[i], 0);
        g_string_append_printf(sql, "%s%s", i > 0 ? ", " : "", losses->str);
    }
    g_string_append_printf(sql, " FROM %s %s " HB_MY_ONLY_TABLES, piece->table->set->table,
                           piece->table->set->condition != NULL ? piece->table->set->condition : "");
    if (piece->where != NULL)
        g_string_append_printf(sql, " WHERE %s", piece->where);
    return g_string_free(sql, FALSE);
}

static Piece *take_piece(Work *work)
{
    Piece *piece = NULL;

    g_mutex_lock(&work->lock);
    if (work->error == NULL && work->next < work->pieces->len)
        piece = work->pieces->pdata[work->next++];
    g_mutex_unlock(&work->lock);
    return piece;
}

/* Takes the error */
static void note_answer(Work *work, const Piece *piece, MYSQL_ROW row, GError *error)
{
    g_mutex_lock(&work->lock);
    for (guint i = 0; row != NULL && i < piece->table->columns->len; i++)
        piece->table->counts[i] += row[i] != NULL ? g_ascii_strtoull(row[i], NULL, 10) : 0;
    if (row == NULL && work->error == NULL)
        work->error = g_steal_pointer(&error);
    g_mutex_unlock(&work->lock);
    g_clear_error(&error);
}

static HbMyResult *ask(HbSession *session, const Piece *piece, GError **error)
{
    g_autofree char *sql = make_question(piece, DOUBTFUL), *all = make_question(piece, "TRUE");
    HbMyResult *result = hb_my_query(session, session->version < SIZES_SINCE ? all : sql, error);

    if (result != NULL || mysql_errno(session->mysql) != GAVE_UP)
        return result;
    g_clear_error(error);
    return hb_my_query(session, all, error);
}

static void read_pieces(Work *work, HbSession *session)
{
    Piece *piece;

    while ((piece = take_piece(work)) != NULL) {
        GError *error = NULL;
        g_autoptr(HbMyResult) result = ask(session, piece, &error);
        note_answer(work, piece, result != NULL ? mysql_fetch_row(result) : NULL, error);
    }
}

typedef struct {
    Work *work;
    HbSession *session;
} Helper;

static gpointer help(gpointer data)
{
    Helper *helper = data;

    read_pieces(helper->work, helper->session);
    return NULL;
}

static gboolean read_all(GPtrArray *sessions, GPtrArray *pieces, GError **error)
{
    Work work = {.pieces = pieces};
    g_autofree Helper *helpers = g_new0(Helper, sessions->len);
    g_autofree GThread **threads = g_new0(GThread *, sessions->len);
    const guint count = MIN(sessions->len, pieces->len);

    g_mutex_init(&work.lock);
    for (guint i = 1; i < count; i++) {
        helpers[i] = (Helper){&work, sessions->pdata[i]};
        threads[i] = g_thread_new("json", help, &helpers[i]);
    }
    read_pieces(&work, sessions->pdata[0]);
    for (guint i = 1; i < count; i++)
        g_thread_join(threads[i]);
    g_mutex_clear(&work.lock);
    if (work.error != NULL)
        g_propagate_error(error, work.error);
    return work.error == NULL;
}

/* ---- What was found ---- */

static void name_losses(const GPtrArray *tables, HbCatalog *catalog)
{
    for (guint i = 0; i < tables->len; i++) {
        const Table *table = tables->pdata[i];
        for (guint c = 0; c < table->columns->len; c++) {
            if (table->counts[c] == 0)
                continue;
            g_autofree char *what =
                g_strdup_printf("types inside of %s in rows %s", (char *)table->columns->pdata[c], table->set->table);
            g_autofree char *why =
                g_strdup_printf("%" G_GUINT64_FORMAT
                                " of its values hold dates, decimals or bytes that are more than JSON: they arrive "
                                "as the strings and numbers that they read like",
                                table->counts[c]);
            hb_catalog_add_omission(catalog, what, why);
        }
    }
}

gboolean hb_my_name_text_losses(GPtrArray *sessions, HbCatalog *catalog, GError **error)
{
    HbSession *session = sessions->pdata[0];
    g_autoptr(GPtrArray) tables = NULL, pieces = NULL;

    if (!hb_my_can(session, HB_MY_TYPED_JSON))
        return TRUE;
    tables = find_tables(session, catalog, error);
    if (tables == NULL)
        return FALSE;
    pieces = cut_tables(session, tables);
    if (!read_all(sessions, pieces, error))
        return FALSE;
    name_losses(tables, catalog);
    return TRUE;
}
