/* SPDX-License-Identifier: Apache-2.0 */
/* What servers send of their logs: messages, each with its length before it in two bytes */
#include "fuzz/targets.h"

#include "engine/mariadb/log/json_values.h"
#include "engine/mariadb/log/log_reader.h"
#include "engine/mariadb/log/table_layouts.h"
#include "engine/postgres/log/log_reader.h"

/* The table's number is that of the seeds, which begin with it */
static HbCatalog *make_catalog(guint64 number)
{
    static const char *const columns[] = {"code", "n", "tags", "story"};
    HbCatalog *catalog = hb_catalog_new();
    HbRowSet *set = hb_catalog_add_row_set(catalog, "rows plot", "plot");
    const guint first = 0;

    for (gsize i = 0; i < G_N_ELEMENTS(columns); i++)
        g_ptr_array_add(set->columns, g_strdup(columns[i]));
    g_array_append_val(set->key, first);
    set->number = number;
    return catalog;
}

/* The next message, or what there is of it; FALSE at the end */
static gboolean take_message(const guint8 **at, const guint8 *end, gsize *length)
{
    gsize wanted;

    if (end - *at < 2)
        return FALSE;
    wanted = (gsize)((*at)[0] | (*at)[1] << 8);
    *at += 2;
    *length = MIN(wanted, (gsize)(end - *at));
    return TRUE;
}

/* All that is told must be there to be read */
static guint touch(const HbLogEvent *event)
{
    guint sum = 0;

    for (gsize i = 0; i < event->row_length; i++)
        sum += (guint8)event->row[i];
    for (gsize i = 0; i < event->key_length; i++)
        sum += (guint8)event->key[i];
    for (gsize i = 0; event->old_key != NULL && i < event->old_key_length; i++)
        sum += (guint8)event->old_key[i];
    return sum;
}

gboolean fuzz_read_pgoutput(const char *bytes, gsize length)
{
    const guint8 *at = (const guint8 *)bytes, *end = at + length;
    guint64 number = 0;
    gsize size;
    gboolean ok = length >= 4, has_event = FALSE;
    HbLogEvent event = {0};
    guint sum = 0;

    for (guint i = 0; ok && i < 4; i++)
        number |= (guint64)*at++ << (8 * i);
    HbCatalog *catalog = make_catalog(number);
    HbLogReader *reader = hb_pg_log_reader_new(hb_catalog_get_row_sets(catalog));
    while (ok && take_message(&at, end, &size)) {
        ok = hb_pg_log_reader_take(reader, (const char *)at, size, &has_event, &event, NULL);
        for (at += size; ok && has_event; hb_pg_log_reader_tell(reader, &has_event, &event))
            sum += touch(&event);
    }
    hb_pg_close_log(reader);
    hb_catalog_free(catalog);
    return ok && sum < G_MAXUINT;
}

/* Columns of most kinds that a table map may be read by */
static GHashTable *make_layouts(const HbCatalog *catalog)
{
    static const char *const columns[][5] = {{"plot", "code", "varchar", "varchar(9)", "latin1"},
                                             {"plot", "n", "decimal", "decimal(20,6)", NULL},
                                             {"plot", "tags", "enum", "enum('a','b')", "utf8mb4"},
                                             {"plot", "story", "time", "time(2)", NULL}};
    GHashTable *layouts = hb_my_layouts_new(hb_catalog_get_row_sets(catalog));

    for (gsize i = 0; i < G_N_ELEMENTS(columns); i++)
        hb_my_layouts_add(layouts, columns[i]);
    return layouts;
}

gboolean fuzz_read_binlog(const char *bytes, gsize length)
{
    const guint8 *at = (const guint8 *)bytes, *end = at + length;
    HbCatalog *catalog = make_catalog(0);
    HbLogReader *reader = hb_my_log_reader_new("trace", "binlog.000001", make_layouts(catalog));
    gboolean ok = TRUE, has_event = FALSE;
    HbLogEvent event = {0};
    guint sum = 0;
    gsize size;

    while (ok && take_message(&at, end, &size)) {
        ok = hb_my_log_reader_take(reader, at, size, &has_event, &event, NULL);
        for (at += size; ok && has_event;) {
            sum += touch(&event);
            ok = hb_my_log_reader_tell(reader, &has_event, &event, NULL);
        }
    }
    hb_my_close_log(reader);
    hb_catalog_free(catalog);
    return ok && sum < G_MAXUINT;
}

/* A value of each type that the log has: the first two bytes say which, and what is known of it */
gboolean fuzz_read_log_value(const char *bytes, gsize length)
{
    HbMyBytesLeft left = {(const guint8 *)bytes, (const guint8 *)bytes + length, FALSE};
    const guint8 type = (guint8)hb_my_take_number(&left, 1);
    const guint16 meta = (guint16)hb_my_take_number(&left, 2);
    HbMyLogColumn column = {.is_unsigned = type % 2, .bytes = (HbMyBytes)(meta % 6)};
    g_autoptr(GString) text = g_string_new(NULL);
    gboolean ok;

    column.names = hb_my_read_list_type("enum('a','it''s',')')");
    ok = type == HB_MY_LOG_JSON ? hb_my_read_json(left.at, (gsize)(left.end - left.at), text)
                                : hb_my_read_log_value(&left, type, meta, &column, text);
    hb_my_log_column_clear(&column);
    return ok;
}
