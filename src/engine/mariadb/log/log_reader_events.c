/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/log/log_reader_inner.h"

#include "core/base/error.h"
#include "core/sql/lexer.h"
#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/log/logged_statements.h"
#include "engine/mariadb/session/session.h"

#include <string.h>

#define FLAG_XA_MARIADB 0xc0 /* of a GTID: the transaction is prepared, or one that was is ended */

/* ---- Positions ---- */

/* Files may grow beyond what the header's four bytes can say */
static void advance(HbLogReader *reader, const HbMyEvent *event)
{
    const guint64 high = reader->byte & ~(guint64)G_MAXUINT32;

    if (event->next == 0)
        return;
    reader->byte = high | event->next;
    if (event->next < (guint32)(reader->byte - high) || (high | event->next) < high)
        reader->byte += (guint64)1 << 32;
}

static void set_position(HbLogReader *reader, HbLogEvent *event)
{
    g_string_printf(reader->position, "%s:%" G_GUINT64_FORMAT, reader->file, reader->byte);
    event->position = reader->position->str;
}

static gboolean take_rotation(HbLogReader *reader, HbMyEvent *event, GError **error)
{
    const guint64 byte = hb_my_take_number(&event->body, 8);
    const gsize length = (gsize)(event->body.end - event->body.at);

    if (event->body.is_short || length == 0 || memchr(event->body.at, '\0', length) != NULL)
        return hb_my_log_set_damaged(error);
    g_free(reader->file);
    reader->file = g_strndup((const char *)event->body.at, length);
    reader->byte = byte;
    return TRUE;
}

/* ---- Tables ---- */

static gboolean take_map(HbLogReader *reader, HbMyEvent *event, GError **error)
{
    HbMyMapped *mapped = g_new0(HbMyMapped, 1);

    if (!hb_my_read_table_map(event, &mapped->map)) {
        hb_my_log_free_mapped(mapped);
        return hb_my_log_set_damaged(error);
    }
    if (strcmp(mapped->map.database, reader->database) == 0)
        mapped->layout = g_hash_table_lookup(reader->layouts, mapped->map.table);
    mapped->fits = mapped->layout != NULL && hb_my_layout_fits(mapped->layout, &mapped->map);
    g_hash_table_replace(reader->maps, &mapped->map.id, mapped);
    return TRUE;
}

/* ---- Rows ---- */

static gboolean refuse_partial(const HbLogReader *reader, GError **error)
{
    return hb_error_set(error, HB_ERROR_BLOCKED, WAY_OUT "; and have that session log whole rows (binlog_row_image)",
                        "a session has logged changes of %s in part only", reader->layout->set->table);
}

static gboolean begin_rows(HbLogReader *reader, HbMyEvent *event, gboolean *has_event, HbLogEvent *told, GError **error)
{
    const HbMyMapped *mapped;

    reader->layout = NULL;
    if (!hb_my_read_rows_head(event, &reader->rows))
        return hb_my_log_set_damaged(error);
    mapped = g_hash_table_lookup(reader->maps, &reader->rows.table_id);
    if (mapped == NULL || mapped->layout == NULL)
        return mapped != NULL || hb_my_log_set_damaged(error);
    reader->in_transaction = TRUE;
    if (!mapped->fits) {
        g_string_printf(reader->what, "table %s has other columns than its catalog says", mapped->layout->set->table);
        *told = (HbLogEvent){.kind = HB_LOG_STRUCTURE, .set = mapped->layout->set, .what = reader->what->str};
        *has_event = TRUE;
        return TRUE;
    }
    reader->layout = mapped->layout;
    reader->map = &mapped->map;
    reader->rows_kind = hb_my_get_rows_kind(event->type);
    return reader->rows.is_whole || refuse_partial(reader, error);
}

static void write_key(GString *key, const HbRowSet *set, const GString *row, const GArray *fields)
{
    g_string_truncate(key, 0);
    for (guint i = 0; i < set->key->len; i++) {
        const guint field = g_array_index(set->key, guint, i);
        if (i > 0)
            g_string_append_c(key, '\t');
        g_string_append_len(key, row->str + g_array_index(fields, gsize, 2 * field),
                            (gssize)g_array_index(fields, gsize, 2 * field + 1));
    }
}

static gboolean read_image(HbLogReader *reader, GString *row, GArray *fields, GString *key, GError **error)
{
    const HbMyLayout *layout = reader->layout;

    if (!hb_my_read_image(&reader->rows, reader->map, layout->columns, layout->set->columns->len, reader->scratch, row,
                          fields))
        return hb_my_log_set_damaged(error);
    g_string_append_c(row, '\n');
    write_key(key, layout->set, row, fields);
    return TRUE;
}

static void tell_after(const HbLogReader *reader, HbLogEvent *event)
{
    event->row = reader->after->str;
    event->row_length = reader->after->len;
    event->key = reader->key->str;
    event->key_length = reader->key->len;
}

/* The next row of an event that was begun */
gboolean hb_my_log_tell_row(HbLogReader *reader, gboolean *has_event, HbLogEvent *event, GError **error)
{
    *has_event = reader->layout != NULL && reader->rows.left.at < reader->rows.left.end;
    if (!*has_event) {
        reader->layout = NULL;
        return TRUE;
    }
    *event = (HbLogEvent){.set = reader->layout->set, .key_places = reader->layout->set->key};
    if (reader->rows_kind == HB_MY_ROWS_DELETE) {
        event->kind = HB_LOG_DELETED;
        if (!read_image(reader, reader->before, reader->before_fields, reader->key, error))
            return FALSE;
        event->key = reader->key->str;
        event->key_length = reader->key->len;
        return TRUE;
    }
    event->kind = HB_LOG_INSERTED;
    if (reader->rows_kind == HB_MY_ROWS_UPDATE) {
        event->kind = HB_LOG_UPDATED;
        if (!read_image(reader, reader->before, reader->before_fields, reader->old_key, error))
            return FALSE;
        event->old_key = reader->old_key->str;
        event->old_key_length = reader->old_key->len;
    }
    if (!read_image(reader, reader->after, reader->after_fields, reader->key, error))
        return FALSE;
    tell_after(reader, event);
    event->old_key = reader->rows_kind == HB_MY_ROWS_UPDATE ? reader->old_key->str : NULL;
    return TRUE;
}

/* ---- Statements ---- */

/* The log has whole seconds only: it was before the end of that one */
void hb_my_log_tell_commit(HbLogReader *reader, guint32 time, gboolean *has_event, HbLogEvent *told)
{
    reader->in_transaction = FALSE;
    reader->owes_commit = FALSE;
    g_hash_table_remove_all(reader->maps);
    *told = (HbLogEvent){.kind = HB_LOG_COMMIT, .time_us = ((gint64)time + 1) * G_USEC_PER_SEC - 1};
    set_position(reader, told);
    *has_event = TRUE;
}

static gboolean runs_in_ours(const HbLogReader *reader, const HbMyLoggedQuery *query)
{
    return query->database_length == strlen(reader->database) &&
           memcmp(query->database, reader->database, query->database_length) == 0;
}

/* Tables that the statement names, wherever: one of them more does no harm. Does it name the database? */
static gboolean look_for_ours(HbLogReader *reader, const char *text)
{
    gboolean is_named = FALSE;
    HbToken token;

    g_ptr_array_set_size(reader->pending, 0);
    while ((token = hb_my_next(&text)).type != HB_TOKEN_END) {
        const HbMyLayout *layout;
        g_autofree char *name = NULL;
        if (!hb_my_token_is_name(&token))
            continue;
        name = hb_token_unquote(&token);
        is_named |= strcmp(name, reader->database) == 0;
        layout = g_hash_table_lookup(reader->layouts, name);
        if (layout != NULL && !g_ptr_array_find(reader->pending, layout->set, NULL))
            g_ptr_array_add(reader->pending, (gpointer)layout->set);
    }
    return is_named;
}

/* Each of the tables that a definition names is told, and then that something has changed, with the place behind it */
void hb_my_log_tell_pending(HbLogReader *reader, HbLogEvent *event)
{
    *event = (HbLogEvent){.kind = HB_LOG_STRUCTURE, .what = reader->what->str};
    reader->has_pending = reader->pending->len > 0;
    if (reader->has_pending)
        event->set = g_ptr_array_steal_index(reader->pending, reader->pending->len - 1);
    set_position(reader, event);
}

static void tell_definition(HbLogReader *reader, const char *text, gboolean *has_event, HbLogEvent *told)
{
    g_autofree char *shown = hb_my_dialect.hide_secrets(text);

    g_string_printf(reader->what, "the structure has changed (%.60s)", shown);
    hb_my_log_tell_pending(reader, told);
    *has_event = TRUE;
}

static void tell_emptied(HbLogReader *reader, const HbMyEvent *event, const HbMyLayout *layout, gboolean *has_event,
                         HbLogEvent *told)
{
    if (layout == NULL) {
        hb_my_log_tell_commit(reader, event->time, has_event, told);
        return;
    }
    *told = (HbLogEvent){.kind = HB_LOG_EMPTIED, .set = layout->set, .key_places = layout->set->key};
    reader->owes_commit = TRUE;
    reader->time = event->time;
    *has_event = TRUE;
}

/* Not all of it: its values are nobody's business */
static gboolean refuse_statement(const char *text, GError **error)
{
    const HbToken verb = hb_my_next(&text);

    return hb_error_set(error, HB_ERROR_BLOCKED, WAY_OUT "; and see that all sessions log rows (binlog_format)",
                        "a session has logged a change of rows as a statement (%.*s)", (int)verb.length, verb.start);
}

static gboolean refuse_undoing(GError **error)
{
    return hb_error_set(error, HB_ERROR_BLOCKED, WAY_OUT,
                        "the binary log has a transaction that was prepared, or rolled back in part");
}

static gboolean take_statement(HbLogReader *reader, const HbMyEvent *event, gboolean is_inside, const char *text,
                               gboolean *has_event, HbLogEvent *told, GError **error)
{
    g_autofree char *table = NULL;

    switch (hb_my_judge_statement(text)) {
    case HB_MY_STATEMENT_CHANGES_ROWS:
        return refuse_statement(text, error);
    case HB_MY_STATEMENT_EMPTIES:
        table = hb_my_find_truncated(text, is_inside, reader->database);
        tell_emptied(reader, event, table != NULL ? g_hash_table_lookup(reader->layouts, table) : NULL, has_event,
                     told);
        return TRUE;
    default:
        tell_definition(reader, text, has_event, told);
        return TRUE;
    }
}

static gboolean take_query(HbLogReader *reader, HbMyEvent *event, gboolean *has_event, HbLogEvent *told, GError **error)
{
    HbMyLoggedQuery query;
    g_autofree char *text = NULL;
    gboolean is_inside;

    if (!hb_my_read_query(event, &query))
        return hb_my_log_set_damaged(error);
    text = g_strndup(query.text, query.text_length);
    switch (hb_my_judge_statement(text)) {
    case HB_MY_STATEMENT_COMMITS:
        hb_my_log_tell_commit(reader, event->time, has_event, told);
        return TRUE;
    case HB_MY_STATEMENT_UNDOES:
        return !reader->in_transaction || refuse_undoing(error);
    case HB_MY_STATEMENT_PREPARES:
        return refuse_undoing(error);
    case HB_MY_STATEMENT_IS_NOTHING:
        return TRUE;
    default:
        is_inside = runs_in_ours(reader, &query);
        return (!look_for_ours(reader, text) && !is_inside) ||
               take_statement(reader, event, is_inside, text, has_event, told, error);
    }
}

/* ---- Events ---- */

static gboolean refuse_form(const char *what, const char *todo, GError **error)
{
    return hb_error_set(error, HB_ERROR_BLOCKED, todo, "the binary log has %s, which is not read", what);
}

static gboolean take_gtid(const HbMyEvent *event, GError **error)
{
    HbMyBytesLeft body = event->body;

    hb_my_take_number(&body, 8 + 4);
    if ((hb_my_take_number(&body, 1) & FLAG_XA_MARIADB) == 0)
        return TRUE;
    return refuse_form("a transaction that was prepared (XA)", WAY_OUT, error);
}

static gboolean take_event(HbLogReader *reader, HbMyEvent *event, gboolean *has_event, HbLogEvent *told, GError **error)
{
    if (hb_my_get_rows_kind(event->type) != HB_MY_ROWS_NONE)
        return begin_rows(reader, event, has_event, told, error);
    switch (event->type) {
    case HB_MY_EVENT_TABLE_MAP:
        return take_map(reader, event, error);
    case HB_MY_EVENT_XID:
        hb_my_log_tell_commit(reader, event->time, has_event, told);
        return TRUE;
    case HB_MY_EVENT_QUERY:
        return take_query(reader, event, has_event, told, error);
    case HB_MY_EVENT_GTID_MARIADB:
        return take_gtid(event, error);
    case HB_MY_EVENT_XA_PREPARE:
        return refuse_form("a transaction that was prepared (XA)", WAY_OUT, error);
    case HB_MY_EVENT_PARTIAL_ROWS:
        return refuse_form("JSON values that were changed in part",
                           WAY_OUT "; and SET GLOBAL binlog_row_value_options = ''", error);
    case HB_MY_EVENT_PAYLOAD:
        return refuse_form("a compressed transaction", WAY_OUT "; and SET GLOBAL binlog_transaction_compression = OFF",
                           error);
    default:
        if (event->type >= HB_MY_EVENT_QUERY_PACKED && event->type <= HB_MY_EVENT_DELETE_PACKED)
            return refuse_form("compressed events", WAY_OUT "; and SET GLOBAL log_bin_compress = OFF", error);
        return TRUE;
    }
}

/* Those that the server makes up (0x20) have no place of their own */
#define FLAG_ARTIFICIAL 0x20

gboolean hb_my_log_reader_take(HbLogReader *reader, const guint8 *bytes, gsize length, gboolean *has_event,
                               HbLogEvent *event, GError **error)
{
    HbMyEvent read;

    *has_event = FALSE;
    *event = (HbLogEvent){.kind = HB_LOG_NOTHING};
    if (!hb_my_read_event(bytes, length, reader->checksum, &read))
        return hb_my_log_set_damaged(error);
    if (read.type == HB_MY_EVENT_ROTATE)
        return take_rotation(reader, &read, error);
    if (read.type == HB_MY_EVENT_FORMAT) {
        reader->checksum = hb_my_read_checksum_size(bytes, length);
        return TRUE;
    }
    if (read.type == HB_MY_EVENT_HEARTBEAT) {
        if (!reader->in_transaction)
            advance(reader, &read);
        set_position(reader, event);
        *has_event = TRUE;
        return TRUE;
    }
    if ((read.flags & FLAG_ARTIFICIAL) == 0)
        advance(reader, &read);
    return take_event(reader, &read, has_event, event, error);
}
