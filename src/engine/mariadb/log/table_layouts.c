/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/log/table_layouts.h"

#include "core/sql/lexer.h"
#include "engine/log.h"
#include "engine/mariadb/session/session.h"

#include <string.h>

/* ---- Types ---- */

#define ANY_BLOB                                                                                                       \
    {                                                                                                                  \
        HB_MY_LOG_BLOB, 0                                                                                              \
    }

/* What a type is called, how it may stand in the log, and how its bytes are printed. Others cannot be read */
static const struct {
    const char *name;
    guint8 types[4];
    HbMyBytes bytes;
} types[] = {
    {"tinyint", {HB_MY_LOG_TINY, 0}, HB_MY_BYTES_PLAIN},
    {"smallint", {HB_MY_LOG_SHORT, 0}, HB_MY_BYTES_PLAIN},
    {"mediumint", {HB_MY_LOG_INT24, 0}, HB_MY_BYTES_PLAIN},
    {"int", {HB_MY_LOG_LONG, 0}, HB_MY_BYTES_PLAIN},
    {"bigint", {HB_MY_LOG_LONGLONG, 0}, HB_MY_BYTES_PLAIN},
    {"float", {HB_MY_LOG_FLOAT, 0}, HB_MY_BYTES_PLAIN},
    {"double", {HB_MY_LOG_DOUBLE, 0}, HB_MY_BYTES_PLAIN},
    {"decimal", {HB_MY_LOG_NEWDECIMAL, 0}, HB_MY_BYTES_PLAIN},
    {"date", {HB_MY_LOG_DATE, HB_MY_LOG_NEWDATE, 0}, HB_MY_BYTES_PLAIN},
    {"year", {HB_MY_LOG_YEAR, 0}, HB_MY_BYTES_PLAIN},
    {"timestamp", {HB_MY_LOG_TIMESTAMP2, 0}, HB_MY_BYTES_PLAIN},
    {"datetime", {HB_MY_LOG_DATETIME2, 0}, HB_MY_BYTES_PLAIN},
    {"time", {HB_MY_LOG_TIME2, 0}, HB_MY_BYTES_PLAIN},
    {"bit", {HB_MY_LOG_BIT, 0}, HB_MY_BYTES_PLAIN},
    {"char", {HB_MY_LOG_STRING, 0}, HB_MY_BYTES_PLAIN},
    {"varchar", {HB_MY_LOG_VARCHAR, 0}, HB_MY_BYTES_PLAIN},
    {"binary", {HB_MY_LOG_STRING, 0}, HB_MY_BYTES_PADDED},
    {"varbinary", {HB_MY_LOG_VARCHAR, 0}, HB_MY_BYTES_PLAIN},
    {"enum", {HB_MY_LOG_ENUM, 0}, HB_MY_BYTES_PLAIN},
    {"set", {HB_MY_LOG_SET, 0}, HB_MY_BYTES_PLAIN},
    {"tinytext", ANY_BLOB, HB_MY_BYTES_PLAIN},
    {"text", ANY_BLOB, HB_MY_BYTES_PLAIN},
    {"mediumtext", ANY_BLOB, HB_MY_BYTES_PLAIN},
    {"longtext", ANY_BLOB, HB_MY_BYTES_PLAIN},
    {"tinyblob", ANY_BLOB, HB_MY_BYTES_PLAIN},
    {"blob", ANY_BLOB, HB_MY_BYTES_PLAIN},
    {"mediumblob", ANY_BLOB, HB_MY_BYTES_PLAIN},
    {"longblob", ANY_BLOB, HB_MY_BYTES_PLAIN},
    {"json", {HB_MY_LOG_JSON, HB_MY_LOG_BLOB, 0}, HB_MY_BYTES_PLAIN},
    {"vector", {HB_MY_LOG_VECTOR, HB_MY_LOG_VARCHAR, HB_MY_LOG_BLOB, 0}, HB_MY_BYTES_PLAIN},
    {"uuid", {HB_MY_LOG_STRING, 0}, HB_MY_BYTES_UUID},
    {"inet6", {HB_MY_LOG_STRING, 0}, HB_MY_BYTES_INET6},
    {"inet4", {HB_MY_LOG_STRING, 0}, HB_MY_BYTES_INET4},
    {"geometry", {HB_MY_LOG_GEOMETRY, 0}, HB_MY_BYTES_PLAIN},
    {"point", {HB_MY_LOG_GEOMETRY, 0}, HB_MY_BYTES_PLAIN},
    {"linestring", {HB_MY_LOG_GEOMETRY, 0}, HB_MY_BYTES_PLAIN},
    {"polygon", {HB_MY_LOG_GEOMETRY, 0}, HB_MY_BYTES_PLAIN},
    {"multipoint", {HB_MY_LOG_GEOMETRY, 0}, HB_MY_BYTES_PLAIN},
    {"multilinestring", {HB_MY_LOG_GEOMETRY, 0}, HB_MY_BYTES_PLAIN},
    {"multipolygon", {HB_MY_LOG_GEOMETRY, 0}, HB_MY_BYTES_PLAIN},
    {"geomcollection", {HB_MY_LOG_GEOMETRY, 0}, HB_MY_BYTES_PLAIN},
    {"geometrycollection", {HB_MY_LOG_GEOMETRY, 0}, HB_MY_BYTES_PLAIN},
};

static gboolean set_type(HbMyLogColumn *column, const char *name)
{
    for (gsize i = 0; i < G_N_ELEMENTS(types); i++) {
        if (strcmp(types[i].name, name) != 0)
            continue;
        memcpy(column->types, types[i].types, sizeof column->types);
        column->bytes = types[i].bytes;
        return TRUE;
    }
    return FALSE;
}

/* ---- Layouts ---- */

static void free_layout(gpointer data)
{
    HbMyLayout *layout = data;

    g_free(layout->name);
    g_array_unref(layout->columns);
    g_free(layout);
}

static void add_layout(GHashTable *layouts, const HbRowSet *set)
{
    HbMyLayout *layout = g_new0(HbMyLayout, 1);

    layout->set = set;
    layout->name = hb_lexer_unquote_name(set->table);
    layout->columns = g_array_new(FALSE, TRUE, sizeof(HbMyLogColumn));
    g_array_set_clear_func(layout->columns, hb_my_log_column_clear);
    g_hash_table_insert(layouts, layout->name, layout);
}

static guint find_field(const HbRowSet *set, const char *column)
{
    for (guint i = 0; i < set->columns->len; i++) {
        g_autofree char *plain = hb_lexer_unquote_name(set->columns->pdata[i]);
        if (strcmp(plain, column) == 0)
            return i;
    }
    return G_MAXUINT;
}

/* Text that the set has converted to UTF-8 is latin1, or a list, whose names come so anyway */
static void set_coding(HbMyLogColumn *column, const HbRowSet *set, const char *charset)
{
    const char *expression =
        set->select_expressions->len > column->field ? set->select_expressions->pdata[column->field] : NULL;

    column->coding = set->hex_columns->len > column->field ? set->hex_columns->str[column->field] : 't';
    if (column->names == NULL && column->coding == 't' && expression != NULL && g_strcmp0(charset, "latin1") == 0)
        column->bytes = HB_MY_BYTES_LATIN1;
}

/* What is kept in another form than its type says, compressed or as an older server did, has that in a comment */
static void add_column(HbMyLayout *layout, const char *const *row)
{
    HbMyLogColumn column = {.is_unsigned = strstr(row[3], "unsigned") != NULL};

    column.field = find_field(layout->set, row[1]);
    if (strcmp(row[2], "enum") == 0 || strcmp(row[2], "set") == 0)
        column.names = hb_my_read_list_type(row[3]);
    if (!set_type(&column, row[2]) || (column.names == NULL && strstr(row[3], "/*") != NULL))
        column.types[0] = 0;
    if (column.field != G_MAXUINT)
        set_coding(&column, layout->set, row[4]);
    g_array_append_val(layout->columns, column);
}

GHashTable *hb_my_layouts_new(const GPtrArray *sets)
{
    GHashTable *layouts = g_hash_table_new_full(g_str_hash, g_str_equal, NULL, free_layout);

    for (guint i = 0; i < sets->len; i++)
        add_layout(layouts, sets->pdata[i]);
    return layouts;
}

void hb_my_layouts_add(GHashTable *layouts, const char *const *column)
{
    HbMyLayout *layout = g_hash_table_lookup(layouts, column[0]);

    if (layout != NULL)
        add_column(layout, column);
}

GHashTable *hb_my_read_layouts(HbSession *session, const GPtrArray *sets, GError **error)
{
    static const char sql[] =
        "SELECT TABLE_NAME, COLUMN_NAME, DATA_TYPE, COLUMN_TYPE, CHARACTER_SET_NAME FROM information_schema.COLUMNS"
        " WHERE TABLE_SCHEMA = DATABASE() ORDER BY TABLE_NAME, ORDINAL_POSITION";
    GHashTable *layouts = hb_my_layouts_new(sets);
    g_autoptr(HbMyResult) result = hb_my_query(session, sql, error);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL)
        hb_my_layouts_add(layouts, (const char *const *)row);
    if (result == NULL)
        g_clear_pointer(&layouts, g_hash_table_unref);
    return layouts;
}

/* The server may add a column of its own at the end, for a key that is too long for its index */
gboolean hb_my_layout_fits(const HbMyLayout *layout, const HbMyTableMap *map)
{
    const guint count = layout->columns->len;

    if (map->types->len != count &&
        (map->types->len != count + 1 || g_array_index(map->types, guint8, count) != HB_MY_LOG_LONGLONG))
        return FALSE;
    for (guint i = 0; i < layout->columns->len; i++) {
        const HbMyLogColumn *column = &g_array_index(layout->columns, HbMyLogColumn, i);
        const guint8 type =
            hb_my_get_log_type(g_array_index(map->types, guint8, i), g_array_index(map->metas, guint16, i));
        if (memchr(column->types, type, strnlen((const char *)column->types, sizeof column->types)) == NULL)
            return FALSE;
    }
    return TRUE;
}

/* ---- Which tables the log tells about ---- */

static const char *judge_columns(const HbMyLayout *layout)
{
    for (guint i = 0; i < layout->columns->len; i++) {
        const HbMyLogColumn *column = &g_array_index(layout->columns, HbMyLogColumn, i);
        if (column->types[0] == 0)
            return "it has a column of a type that is not read from the log";
    }
    for (guint i = 0; i < layout->set->columns->len; i++) {
        if (layout->set->hex_columns->len > i && layout->set->hex_columns->str[i] == 'd')
            return "it keeps its history";
    }
    return layout->columns->len == 0 ? "its columns cannot be seen" : NULL;
}

static const char *judge(const HbMyLayout *layout, GHashTable *others)
{
    const char *why = g_hash_table_lookup(others, layout->name);

    if (layout->set->key->len == 0)
        return layout->set->condition != NULL ? "it keeps its history" : "it has no key";
    return why != NULL ? why : judge_columns(layout);
}

/*
 * Names of tables to why not (borrowed for ever). Changes of tables without transactions are logged apart from those of
 * others. What a foreign key of MariaDB changes by itself is not logged at all
 */
static GHashTable *find_others(HbSession *session, GError **error)
{
    static const char engines[] = "SELECT TABLE_NAME FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE()"
                                  " AND ENGINE <> 'InnoDB'",
                      keys[] = "SELECT TABLE_NAME FROM information_schema.REFERENTIAL_CONSTRAINTS"
                               " WHERE CONSTRAINT_SCHEMA = DATABASE() AND (DELETE_RULE IN ('CASCADE', 'SET NULL')"
                               " OR UPDATE_RULE IN ('CASCADE', 'SET NULL'))";
    GHashTable *others = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    g_autoptr(HbMyResult) without = hb_my_query(session, engines, error),
                          children = without != NULL ? hb_my_query(session, keys, error) : NULL;
    MYSQL_ROW row;

    while (children != NULL && (row = mysql_fetch_row(without)) != NULL)
        g_hash_table_insert(others, g_strdup(row[0]), (gpointer) "its storage engine is not InnoDB");
    while (children != NULL && (session->is_maria || !hb_my_can(session, HB_MY_LOGGED_CASCADES)) &&
           (row = mysql_fetch_row(children)) != NULL)
        g_hash_table_insert(others, g_strdup(row[0]),
                            (gpointer) "a foreign key changes its rows, which the server does not log");
    if (children == NULL)
        g_clear_pointer(&others, g_hash_table_unref);
    return others;
}

gboolean hb_my_find_logged(HbSession *session, const char *name, const HbCatalog *catalog, GHashTable *logged,
                           GPtrArray *unlogged, GError **error)
{
    g_autoptr(GHashTable) layouts = hb_my_read_layouts(session, hb_catalog_get_row_sets(catalog), error),
                          others = layouts != NULL ? find_others(session, error) : NULL;
    GHashTableIter iter;
    gpointer data;

    (void)name;
    if (others == NULL)
        return FALSE;
    g_hash_table_iter_init(&iter, layouts);
    while (g_hash_table_iter_next(&iter, NULL, &data)) {
        const HbMyLayout *layout = data;
        const char *why = judge(layout, others);
        if (why == NULL)
            g_hash_table_add(logged, (gpointer)layout->set);
        else
            g_ptr_array_add(unlogged, hb_omission_new(layout->set->table, why));
    }
    return TRUE;
}
