/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/catalog/tables.h"

#include "engine/mariadb/dialect/names.h"
#include "engine/mariadb/dialect/show_create_parser.h"

#include <string.h>

/*
 * A table's own words, taken apart: what its rows need stays in the table, what can be made faster afterwards (keys,
 * foreign keys) becomes objects of their own. What the rows are read by (columns, how each is written, how the table
 * can be split) follows from the same items, so that nothing is asked twice.
 */

#define ALL_HISTORY "FOR SYSTEM_TIME ALL"

/* One table while it is read */
typedef struct {
    HbMyCatalogBuilder *builder;
    const char *name;
    char *quoted;
    HbShowCreate *text;
    HbObject *object;
    HbObject *rows;
    guint64 bytes; /* of rows, estimated */
} Table;

/* A foreign key waits until all tables are known */
typedef struct {
    char *table; /* quoted */
    const HbItem *item;
    guint64 bytes;
} ForeignKey;

static void foreign_key_free(gpointer data)
{
    ForeignKey *key = data;

    g_free(key->table);
    g_free(key);
}

/* ---- Keys: they are built after the rows, unless the table cannot be without them ---- */

static gboolean has_primary(const HbShowCreate *text)
{
    for (guint i = 0; i < text->items->len; i++) {
        if (((const HbItem *)text->items->pdata[i])->type == HB_ITEM_PRIMARY)
            return TRUE;
    }
    return FALSE;
}

static gboolean holds_auto_column(const HbShowCreate *text, const HbItem *key)
{
    for (guint i = 0; i < key->columns->len; i++) {
        const HbItem *column = hb_show_create_find_column(text, key->columns->pdata[i]);
        if (column != NULL && column->is_auto)
            return TRUE;
    }
    return FALSE;
}

/* Without a primary key InnoDB stores rows by their first unique key. The same for all, as engines can be changed */
static gboolean can_wait(const HbShowCreate *text, const HbItem *item)
{
    if (item->type != HB_ITEM_UNIQUE && item->type != HB_ITEM_KEY)
        return FALSE;
    if (!hb_show_create_keeps_rows(text) || item->name == NULL || holds_auto_column(text, item))
        return FALSE;
    return item->type == HB_ITEM_KEY || has_primary(text);
}

static gboolean add_index(Table *table, const HbItem *item, guint rank, GError **error)
{
    g_autofree char *quoted = hb_my_quote_name(item->name);
    g_autofree char *name = g_strdup_printf("%s.%s", table->quoted, quoted);
    HbObject *index = hb_object_new(HB_KIND_INDEX, name);

    index->definition = g_strdup_printf("ALTER TABLE %s ADD %s;", table->quoted, item->text);
    index->on = g_strdup(table->object->identity);
    index->cost = table->bytes;
    index->rank = rank; /* between equal indexes the server takes the first */
    hb_object_add_need(index, table->object->identity);
    hb_object_add_need(index, table->rows->identity);
    if (!hb_catalog_add(table->builder->catalog, index, error))
        return FALSE;
    GPtrArray *indexes = g_hash_table_lookup(table->builder->indexes, table->object->identity);
    if (indexes == NULL) {
        indexes = g_ptr_array_new();
        g_hash_table_insert(table->builder->indexes, table->object->identity, indexes);
    }
    g_ptr_array_add(indexes, index->identity);
    return TRUE;
}

/* ---- Foreign keys ---- */

static void append_presence(GString *text, const HbItem *item)
{
    for (guint i = 0; i < item->columns->len; i++) {
        g_autofree char *column = hb_my_quote_name(item->columns->pdata[i]);
        g_string_append_printf(text, "%sc.%s IS NOT NULL", i > 0 ? " AND " : "", column);
    }
}

static void append_equalities(GString *text, const HbItem *item)
{
    for (guint i = 0; i < item->columns->len && i < item->other_columns->len; i++) {
        g_autofree char *column = hb_my_quote_name(item->columns->pdata[i]);
        g_autofree char *other = hb_my_quote_name(item->other_columns->pdata[i]);
        g_string_append_printf(text, "%sp.%s = c.%s", i > 0 ? " AND " : "", other, column);
    }
}

static char *other_table(const HbItem *item)
{
    g_autofree char *table = hb_my_quote_name(item->other_table);
    g_autofree char *database = item->other_database != NULL ? hb_my_quote_name(item->other_database) : NULL;

    return database != NULL ? g_strdup_printf("%s.%s", database, table) : g_steal_pointer(&table);
}

/*
 * The server does not check what is there when the constraint is added with checks off, and rebuilds the whole table
 * when they are on: a search for rows without a partner is the cheaper proof.
 */
static char *foreign_key_sql(const ForeignKey *key)
{
    GString *sql = g_string_new(NULL);
    g_autofree char *other = other_table(key->item);
    g_autofree char *complaint = g_strdup_printf("rows of %s have no partner in %s", key->table, other);
    g_autofree char *literal = hb_my_quote_literal(complaint);

    g_string_append_printf(sql, "ALTER TABLE %s ADD %s;\n", key->table, key->item->text);
    g_string_append_printf(sql, "SELECT %s AS complaint FROM %s AS c\n  WHERE ", literal, key->table);
    append_presence(sql, key->item);
    g_string_append_printf(sql, "\n    AND NOT EXISTS (SELECT 1 FROM %s AS p WHERE ", other);
    append_equalities(sql, key->item);
    g_string_append(sql, ")\n  LIMIT 1;");
    return g_string_free(sql, FALSE);
}

/* Both tables with their rows and keys must be there */
static void add_needs_of_table(HbMyCatalogBuilder *builder, HbObject *object, const char *table_identity)
{
    const char *name = strchr(table_identity, ' ') + 1;
    g_autofree char *rows = hb_identity_new(HB_KIND_ROWS, name);
    const GPtrArray *indexes = g_hash_table_lookup(builder->indexes, table_identity);

    hb_object_add_need(object, table_identity);
    hb_object_add_need(object, rows);
    for (guint i = 0; indexes != NULL && i < indexes->len; i++)
        hb_object_add_need(object, indexes->pdata[i]);
}

static gboolean add_foreign_key(HbMyCatalogBuilder *builder, const ForeignKey *key, GError **error)
{
    g_autofree char *quoted = hb_my_quote_name(key->item->name);
    g_autofree char *name = g_strdup_printf("%s.%s", key->table, quoted);
    g_autofree char *table = hb_identity_new(HB_KIND_TABLE, key->table);
    HbObject *object = hb_object_new(HB_KIND_FOREIGN_KEY, name);
    const char *other = key->item->other_database == NULL
                            ? hb_my_catalog_builder_find(builder, HB_NAMES_RELATION, key->item->other_table)
                            : NULL;

    object->definition = foreign_key_sql(key);
    object->on = g_strdup(table);
    object->cost = key->bytes;
    add_needs_of_table(builder, object, table);
    if (other != NULL)
        add_needs_of_table(builder, object, other);
    return hb_catalog_add(builder->catalog, object, error);
}

/* ---- Rows ---- */

static const HbItem *first_key_column(const HbShowCreate *text)
{
    for (guint i = 0; i < text->items->len; i++) {
        const HbItem *item = text->items->pdata[i];
        if (item->type == HB_ITEM_PRIMARY && item->columns->len > 0)
            return hb_show_create_find_column(text, item->columns->pdata[0]);
    }
    return NULL;
}

static void add_column(const Table *table, HbRowSet *set, const char *name, char hex_columns,
                       HbReadAs select_expressions)
{
    g_autofree char *quoted = hb_my_quote_name(name);

    g_ptr_array_add(set->columns, g_strdup(quoted));
    g_ptr_array_add(set->select_expressions,
                    hb_show_create_read_as(select_expressions, quoted, hb_my_get_end_of_time(table->builder->session)));
    g_string_append_c(set->hex_columns, hex_columns);
}

static gboolean has_column_of(const HbShowCreate *text, HbColumnOrigin origin)
{
    for (guint i = 0; i < text->items->len; i++) {
        const HbItem *item = text->items->pdata[i];
        if (item->type == HB_ITEM_COLUMN && item->origin == origin)
            return TRUE;
    }
    return FALSE;
}

/* All rows that there ever were, each with its times; numbers of transactions mean nothing elsewhere */
static void read_history(Table *table, HbRowSet *set)
{
    if (has_column_of(table->text, HB_COLUMN_TRANSACTION)) {
        g_autofree char *what = g_strdup_printf("history of %s", table->object->identity);
        hb_catalog_add_omission(table->builder->catalog, what,
                                "it is kept by numbers of transactions, which no other server knows: only the current "
                                "rows are carried");
        return;
    }
    set->condition = g_strdup(ALL_HISTORY);
    if (!has_column_of(table->text, HB_COLUMN_SYSTEM)) {
        add_column(table, set, "row_start", HB_CODING_TEXT, HB_READ_PLAIN);
        add_column(table, set, "row_end", HB_CODING_END, HB_READ_END);
    }
}

static void read_columns(Table *table, HbRowSet *set)
{
    for (guint i = 0; i < table->text->items->len; i++) {
        const HbItem *item = table->text->items->pdata[i];
        if (item->type == HB_ITEM_COLUMN && (item->origin == HB_COLUMN_STORED || item->origin == HB_COLUMN_SYSTEM))
            add_column(table, set, item->name, (char)item->hex_columns, item->select_expressions);
    }
    if (table->text->is_versioned)
        read_history(table, set);
}

/* A float is not found again by what it prints */
static gboolean can_be_in_key(const HbItem *column)
{
    return column != NULL && column->origin == HB_COLUMN_STORED && column->select_expressions != HB_READ_AS_DOUBLE &&
           column->is_not_null;
}

static gboolean tells_rows_apart(const HbShowCreate *text, const HbItem *item)
{
    if ((item->type != HB_ITEM_PRIMARY && item->type != HB_ITEM_UNIQUE) || item->columns->len != item->parts)
        return FALSE;
    for (guint i = 0; i < item->columns->len; i++) {
        if (!can_be_in_key(hb_show_create_find_column(text, item->columns->pdata[i])))
            return FALSE;
    }
    return TRUE;
}

/* The primary key is printed first */
static void find_key(const HbShowCreate *text, HbRowSet *set)
{
    for (guint i = 0; i < text->items->len && set->condition == NULL; i++) {
        const HbItem *item = text->items->pdata[i];
        g_autoptr(GPtrArray) columns = g_ptr_array_new_with_free_func(g_free);

        if (!tells_rows_apart(text, item))
            continue;
        for (guint c = 0; c < item->columns->len; c++)
            g_ptr_array_add(columns, hb_my_quote_name(item->columns->pdata[c]));
        if (hb_row_set_set_key(set, columns))
            return;
    }
}

static void add_row_set(Table *table)
{
    HbRowSet *set = hb_catalog_add_row_set(table->builder->catalog, table->rows->identity, table->quoted);
    const HbItem *key = first_key_column(table->text);

    set->bytes = table->bytes;
    read_columns(table, set);
    find_key(table->text, set);
    if (key == NULL || key->split == HB_SPLIT_NONE)
        return;
    set->split_extent = key->split;
    set->split_column = hb_my_quote_name(key->name);
}

/* ---- Tables ---- */

static char *make_definition(const Table *table)
{
    GString *sql = g_string_new(NULL);
    gboolean first = TRUE;

    g_string_append_printf(sql, "CREATE TABLE %s (", table->quoted);
    for (guint i = 0; i < table->text->items->len; i++) {
        const HbItem *item = table->text->items->pdata[i];
        if (item->type == HB_ITEM_FOREIGN || can_wait(table->text, item))
            continue;
        g_string_append_printf(sql, "%s\n  %s", first ? "" : ",", item->text);
        first = FALSE;
    }
    g_string_append_printf(sql, "\n)%s;", table->text->options);
    return g_string_free(sql, FALSE);
}

static gboolean add_next_value(Table *table, GError **error)
{
    HbObject *object;

    if (table->text->next_value == NULL)
        return TRUE;
    object = hb_object_new(HB_KIND_SEQUENCE_VALUE, table->quoted);
    object->definition = g_strdup_printf("ALTER TABLE %s AUTO_INCREMENT = %s;", table->quoted, table->text->next_value);
    object->on = g_strdup(table->object->identity);
    hb_object_add_need(object, table->object->identity);
    hb_object_add_need(object, table->rows->identity);
    return hb_catalog_add(table->builder->catalog, object, error);
}

static gboolean add_parts(Table *table, GPtrArray *foreign_keys, GError **error)
{
    for (guint i = 0; i < table->text->items->len; i++) {
        const HbItem *item = table->text->items->pdata[i];
        if (item->type == HB_ITEM_FOREIGN) {
            ForeignKey *key = g_new0(ForeignKey, 1);
            *key = (ForeignKey){g_strdup(table->quoted), item, table->bytes};
            g_ptr_array_add(foreign_keys, key);
        } else if (can_wait(table->text, item) && !add_index(table, item, i + 1, error)) {
            return FALSE;
        }
    }
    return add_next_value(table, error);
}

static void report_password(const Table *table)
{
    g_autofree char *what = g_strdup_printf("options of %s", table->object->identity);

    if (table->text->had_password)
        hb_catalog_add_omission(
            table->builder->catalog, what,
            "what may be a secret of another server is not carried; give the table its options on the target");
}

static void leave_tablespace(Table *table)
{
    g_autofree char *tablespace = NULL;
    char *options = hb_show_create_cut_tablespace(table->text->options, &tablespace);

    g_free(table->text->options);
    table->text->options = options;
    if (tablespace == NULL)
        return;
    g_autofree char *what = g_strdup_printf("place of table %s", table->quoted);
    g_autofree char *why =
        g_strdup_printf("tablespace %s is not carried: the table gets a file of its own", tablespace);
    hb_catalog_add_omission(table->builder->catalog, what, why);
}

static gboolean add_table(Table *table, GPtrArray *foreign_keys, GError **error)
{
    HbCatalog *catalog = table->builder->catalog;

    if (hb_my_can(table->builder->session, HB_MY_VERSION_COMMENTS))
        leave_tablespace(table);
    table->object = hb_object_new(HB_KIND_TABLE, table->quoted);
    table->object->definition = make_definition(table);
    hb_my_catalog_builder_add_text(table->builder, table->object, table->text->options);
    for (guint i = 0; i < table->text->items->len; i++) {
        const HbItem *item = table->text->items->pdata[i];
        if (item->type == HB_ITEM_COLUMN && strstr(item->text, "nextval") != NULL)
            hb_my_catalog_builder_add_text(table->builder, table->object, item->text);
    }
    if (!hb_my_catalog_builder_add(table->builder, HB_NAMES_RELATION, table->name, table->object, error))
        return FALSE;
    report_password(table);
    table->rows = hb_object_new(HB_KIND_ROWS, table->quoted);
    table->rows->on = g_strdup(table->object->identity);
    table->rows->cost = table->bytes;
    hb_object_add_need(table->rows, table->object->identity);
    if (!hb_catalog_add(catalog, table->rows, error))
        return FALSE;
    if (hb_show_create_keeps_rows(table->text))
        add_row_set(table);
    return add_parts(table, foreign_keys, error);
}

static void report_ignored(HbMyCatalogBuilder *builder, const char *quoted, const char *sql)
{
    g_autofree char *ignored = hb_show_create_find_ignored(sql);

    if (ignored == NULL)
        return;
    g_autofree char *what = g_strdup_printf("options of table %s", quoted);
    g_autofree char *why = g_strdup_printf("its storage engine does not know %s, so they have no effect", ignored);
    hb_catalog_add_omission(builder->catalog, what, why);
}

/* A table that the server itself cannot show any more is named, and the rest goes on */
static HbShowCreate *show_table(HbMyCatalogBuilder *builder, const char *name, const char *given)
{
    g_autofree char *quoted = hb_my_quote_any_name(name);
    g_autoptr(GError) error = NULL;
    g_autoptr(HbMyResult) result = hb_my_query_format(builder->session, &error, "SHOW CREATE TABLE %s", quoted);
    MYSQL_ROW row = result != NULL ? mysql_fetch_row(result) : NULL;

    if (row != NULL) {
        const gboolean wrapped = hb_my_can(builder->session, HB_MY_VERSION_COMMENTS);
        g_autofree char *sql = wrapped ? hb_show_create_unwrap(row[1]) : g_strdup(row[1]);
        report_ignored(builder, quoted, sql);
        return hb_show_create_read(sql, builder->session->database, given);
    }
    g_autofree char *what = g_strdup_printf("table %s", name);
    hb_catalog_add_omission(builder->catalog, what, error != NULL ? error->message : "the server does not show it");
    return NULL;
}

static gboolean read_table(HbMyCatalogBuilder *builder, MYSQL_ROW row, GPtrArray *foreign_keys, GPtrArray *texts,
                           GError **error)
{
    Table table = {.builder = builder, .name = row[0], .quoted = hb_my_quote_name(row[0])};
    gboolean ok = TRUE;

    table.bytes = row[1] != NULL ? g_ascii_strtoull(row[1], NULL, 10) : 0;
    table.text = show_table(builder, row[0], row[2]);
    if (table.text != NULL) {
        g_ptr_array_add(texts, table.text);
        ok = add_table(&table, foreign_keys, error);
    }
    g_free(table.quoted);
    return ok;
}

gboolean hb_my_read_tables(HbMyCatalogBuilder *builder, GError **error)
{
    g_autoptr(HbMyResult) result =
        hb_my_query(builder->session,
                    "SELECT TABLE_NAME, DATA_LENGTH, CREATE_OPTIONS FROM information_schema.TABLES"
                    " WHERE TABLE_SCHEMA = DATABASE() AND TABLE_TYPE IN ('BASE TABLE', 'SYSTEM VERSIONED')"
                    "  AND TABLE_NAME NOT IN (" HB_MY_OURS ")"
                    " ORDER BY TABLE_NAME",
                    error);
    g_autoptr(GPtrArray) foreign_keys = g_ptr_array_new_with_free_func(foreign_key_free);
    g_autoptr(GPtrArray) texts = g_ptr_array_new_with_free_func((GDestroyNotify)hb_show_create_free);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL) {
        if (!read_table(builder, row, foreign_keys, texts, error))
            return FALSE;
    }
    for (guint i = 0; i < foreign_keys->len; i++) {
        if (!add_foreign_key(builder, foreign_keys->pdata[i], error))
            return FALSE;
    }
    return result != NULL;
}

/* ---- Sequences ---- */

static gboolean add_sequence_value(HbMyCatalogBuilder *builder, const HbObject *sequence, const char *quoted,
                                   GError **error)
{
    g_autoptr(HbMyResult) result = hb_my_query_format(
        builder->session, error, "SELECT next_not_cached_value, cycle_count, start_value FROM %s", quoted);
    MYSQL_ROW row = result != NULL ? mysql_fetch_row(result) : NULL;
    HbObject *object;

    if (row == NULL)
        return FALSE;
    if (strcmp(row[0], row[2]) == 0 && strcmp(row[1], "0") == 0)
        return TRUE; /* not used yet */
    object = hb_object_new(HB_KIND_SEQUENCE_VALUE, quoted);
    object->definition = g_strdup_printf("DO SETVAL(%s, %s, 0, %s);", quoted, row[0], row[1]);
    object->on = g_strdup(sequence->identity);
    hb_object_add_need(object, sequence->identity);
    return hb_catalog_add(builder->catalog, object, error);
}

static gboolean read_sequence(HbMyCatalogBuilder *builder, MYSQL_ROW listed, GError **error)
{
    g_autofree char *quoted = hb_my_quote_name(listed[0]);
    g_autoptr(HbMyResult) result = hb_my_query_format(builder->session, error, "SHOW CREATE SEQUENCE %s", quoted);
    MYSQL_ROW row = result != NULL ? mysql_fetch_row(result) : NULL;
    HbObject *sequence;

    if (row == NULL)
        return FALSE;
    sequence = hb_object_new(HB_KIND_SEQUENCE, quoted);
    sequence->definition = g_strconcat(row[1], ";", NULL);
    return hb_my_catalog_builder_add(builder, HB_NAMES_RELATION, listed[0], sequence, error) &&
           (!(builder->parts & HB_PART_DATA) || add_sequence_value(builder, sequence, quoted, error));
}

gboolean hb_my_read_sequences(HbMyCatalogBuilder *builder, GError **error)
{
    return hb_my_catalog_builder_each(builder,
                                      "SELECT TABLE_NAME FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE()"
                                      " AND TABLE_TYPE = 'SEQUENCE' ORDER BY TABLE_NAME",
                                      read_sequence, error);
}
