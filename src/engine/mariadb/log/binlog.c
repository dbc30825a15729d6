/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/log/binlog.h"

#include "core/rows/row_text.h"
#include "engine/mariadb/log/json_values.h"

#include <string.h>

#define HEADER_BYTES   19
#define CHECKSUM_BYTES 4

gboolean hb_my_read_event(const guint8 *bytes, gsize length, gsize checksum, HbMyEvent *event)
{
    HbMyBytesLeft left = {bytes, bytes + length, FALSE};

    if (length < HEADER_BYTES + checksum)
        return FALSE;
    left.end -= checksum;
    event->time = (guint32)hb_my_take_number(&left, 4);
    event->type = (guint8)hb_my_take_number(&left, 1);
    hb_my_take_number(&left, 4 + 4); /* the server's number, and the length */
    event->next = (guint32)hb_my_take_number(&left, 4);
    event->flags = (guint16)hb_my_take_number(&left, 2);
    event->body = left;
    return TRUE;
}

gsize hb_my_read_checksum_size(const guint8 *bytes, gsize length)
{
    return length > HEADER_BYTES + CHECKSUM_BYTES + 1 && bytes[length - CHECKSUM_BYTES - 1] == 1 ? CHECKSUM_BYTES : 0;
}

/* Each in two layouts, of which the newer one has more in front */
#define IS_NEWER_ROWS(type) ((type) >= 30)

HbMyRowsKind hb_my_get_rows_kind(guint8 type)
{
    switch (type) {
    case 23:
    case 30:
        return HB_MY_ROWS_WRITE;
    case 24:
    case 31:
        return HB_MY_ROWS_UPDATE;
    case 25:
    case 32:
        return HB_MY_ROWS_DELETE;
    default:
        return HB_MY_ROWS_NONE;
    }
}

/* ---- Tables ---- */

void hb_my_table_map_clear(HbMyTableMap *map)
{
    g_free(map->database);
    g_free(map->table);
    g_clear_pointer(&map->types, g_array_unref);
    g_clear_pointer(&map->metas, g_array_unref);
    *map = (HbMyTableMap){0};
}

static char *take_name(HbMyBytesLeft *left)
{
    const gsize length = (gsize)hb_my_take_number(left, 1);
    const guint8 *name = hb_my_take_bytes(left, length);

    hb_my_take_number(left, 1); /* a zero */
    return name != NULL ? g_strndup((const char *)name, length) : NULL;
}

/* How many bytes say more of a type, and whether they are one number or two bytes: both end as first | second << 8 */
static gsize count_meta(guint8 type)
{
    switch (type) {
    case HB_MY_LOG_FLOAT:
    case HB_MY_LOG_DOUBLE:
    case HB_MY_LOG_BLOB:
    case HB_MY_LOG_TINY_BLOB:
    case HB_MY_LOG_MEDIUM_BLOB:
    case HB_MY_LOG_LONG_BLOB:
    case HB_MY_LOG_JSON:
    case HB_MY_LOG_GEOMETRY:
    case HB_MY_LOG_VECTOR:
    case HB_MY_LOG_TIMESTAMP2:
    case HB_MY_LOG_DATETIME2:
    case HB_MY_LOG_TIME2:
    case 140: /* a compressed BLOB of MariaDB */
        return 1;
    case HB_MY_LOG_VARCHAR:
    case HB_MY_LOG_VAR_STRING:
    case HB_MY_LOG_BIT:
    case HB_MY_LOG_NEWDECIMAL:
    case HB_MY_LOG_STRING:
    case HB_MY_LOG_ENUM:
    case HB_MY_LOG_SET:
    case 141: /* a compressed VARCHAR of MariaDB */
        return 2;
    default:
        return 0;
    }
}

static gboolean read_metas(HbMyBytesLeft *left, HbMyTableMap *map)
{
    HbMyBytesLeft metas = {0};
    const gsize length = (gsize)hb_my_take_length(left);

    metas.at = hb_my_take_bytes(left, length);
    if (metas.at == NULL)
        return FALSE;
    metas.end = metas.at + length;
    for (guint i = 0; i < map->types->len; i++) {
        const guint16 meta = (guint16)hb_my_take_number(&metas, count_meta(g_array_index(map->types, guint8, i)));
        g_array_append_val(map->metas, meta);
    }
    return !metas.is_short;
}

gboolean hb_my_read_table_map(HbMyEvent *event, HbMyTableMap *map)
{
    HbMyBytesLeft *left = &event->body;
    const guint8 *types;
    gsize count;

    *map = (HbMyTableMap){.types = g_array_new(FALSE, FALSE, 1), .metas = g_array_new(FALSE, FALSE, sizeof(guint16))};
    map->id = hb_my_take_number(left, 6);
    hb_my_take_number(left, 2);
    map->database = take_name(left);
    map->table = take_name(left);
    count = (gsize)hb_my_take_length(left);
    types = hb_my_take_bytes(left, count);
    if (types != NULL)
        g_array_append_vals(map->types, types, (guint)count);
    return types != NULL && map->database != NULL && map->table != NULL && read_metas(left, map);
}

/* ---- Statements ---- */

gboolean hb_my_read_query(HbMyEvent *event, HbMyLoggedQuery *query)
{
    HbMyBytesLeft *left = &event->body;
    gsize status_length;

    hb_my_take_number(left, 4 + 4); /* the session, and how long it took */
    query->database_length = (gsize)hb_my_take_number(left, 1);
    hb_my_take_number(left, 2); /* its error */
    status_length = (gsize)hb_my_take_number(left, 2);
    hb_my_take_bytes(left, status_length);
    query->database = (const char *)hb_my_take_bytes(left, query->database_length);
    hb_my_take_number(left, 1);
    query->text = (const char *)left->at;
    query->text_length = (gsize)(left->end - left->at);
    return !left->is_short && query->database != NULL;
}

/* ---- Rows ---- */

/* A value that prints as it is, or a JSON document in the server's own form */
static gboolean read_value(HbMyBytesLeft *left, guint8 type, guint16 meta, const HbMyLogColumn *column, GString *text)
{
    const guint8 *at;
    gsize length;

    if (type != HB_MY_LOG_JSON)
        return hb_my_read_log_value(left, type, meta, column, text);
    length = (gsize)hb_my_take_number(left, MIN(meta, 8));
    at = hb_my_take_bytes(left, length);
    return at != NULL && hb_my_read_json(at, length, text);
}

static gboolean is_set(const guint8 *bits, guint place)
{
    return (bits[place / 8] >> place % 8 & 1) != 0;
}

static gboolean are_all_set(const guint8 *bits, guint count)
{
    for (guint i = 0; i < count; i++) {
        if (!is_set(bits, i))
            return FALSE;
    }
    return TRUE;
}

gboolean hb_my_read_rows_head(HbMyEvent *event, HbMyRows *rows)
{
    HbMyBytesLeft *left = &event->body;
    const guint8 *present, *present_after;
    guint64 columns;
    gsize size;

    rows->table_id = hb_my_take_number(left, 6);
    hb_my_take_number(left, 2);
    if (IS_NEWER_ROWS(event->type)) {
        const gsize more = (gsize)hb_my_take_number(left, 2);
        hb_my_take_bytes(left, more >= 2 ? more - 2 : G_MAXSIZE);
    }
    columns = hb_my_take_length(left);
    rows->columns = (guint)MIN(columns, G_MAXUINT16);
    size = (rows->columns + 7) / 8;
    present = hb_my_take_bytes(left, size);
    present_after = hb_my_get_rows_kind(event->type) == HB_MY_ROWS_UPDATE ? hb_my_take_bytes(left, size) : present;
    if (present == NULL || present_after == NULL)
        return FALSE;
    rows->is_whole = are_all_set(present, rows->columns) && are_all_set(present_after, rows->columns);
    rows->left = *left;
    return !left->is_short;
}

static void append_hex(GString *text, const GString *bytes)
{
    static const char digits[] = "0123456789abcdef";

    for (gsize i = 0; i < bytes->len; i++) {
        g_string_append_c(text, digits[(guint8)bytes->str[i] >> 4]);
        g_string_append_c(text, digits[(guint8)bytes->str[i] & 15]);
    }
}

static void put_field(GArray *fields, guint field, gsize at, gsize length)
{
    g_array_index(fields, gsize, 2 * field) = at;
    g_array_index(fields, gsize, 2 * field + 1) = length;
}

/* The columns of a set come in the order of the table's: so the text is a row as it grows */
static void append_field(const HbMyLogColumn *column, gboolean is_null, const GString *value, GString *text,
                         GArray *fields)
{
    gsize at;

    if (column->field == G_MAXUINT)
        return;
    if (text->len > 0 || column->field > 0)
        g_string_append_c(text, '\t');
    at = text->len;
    if (is_null)
        g_string_append(text, "\\N");
    else if (column->coding == 'x')
        append_hex(text, value);
    else
        hb_row_text_append(text, value->str, value->len);
    put_field(fields, column->field, at, text->len - at);
}

gboolean hb_my_read_image(HbMyRows *rows, const HbMyTableMap *map, const GArray *columns, guint set_columns,
                          GString *scratch, GString *text, GArray *fields)
{
    const guint8 *nulls = hb_my_take_bytes(&rows->left, (rows->columns + 7) / 8);

    g_string_truncate(text, 0);
    g_array_set_size(fields, 2 * set_columns);
    if (nulls == NULL || rows->columns != map->types->len)
        return FALSE;
    for (guint i = 0; i < rows->columns; i++) {
        static const HbMyLogColumn unknown = {.field = G_MAXUINT};
        const HbMyLogColumn *column = i < columns->len ? &g_array_index(columns, HbMyLogColumn, i) : &unknown;
        const gboolean is_null = is_set(nulls, i);
        g_string_truncate(scratch, 0);
        if (!is_null && !read_value(&rows->left, g_array_index(map->types, guint8, i),
                                    g_array_index(map->metas, guint16, i), column, scratch))
            return FALSE;
        append_field(column, is_null, scratch, text, fields);
    }
    return TRUE;
}
