/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/log/log_reader_inner.h"

#include "core/base/error.h"
#include "core/rows/row_text.h"
#include "core/sql/lexer.h"
#include "engine/postgres/log/kept_log.h"

#include <string.h>

#define NO_FIELD G_MAXUINT

/* ---- Which column is which ---- */

static guint find_column(const HbPgRelation *relation, const char *quoted)
{
    g_autofree char *name = hb_lexer_unquote_name(quoted);

    for (guint i = 0; i < relation->columns->len; i++) {
        if (strcmp(g_array_index(relation->columns, HbPgColumn, i).name, name) == 0)
            return i;
    }
    return NO_FIELD;
}

/* Columns that came or went since the catalog was read */
static char *compare_columns(const HbPgRelation *relation, const HbPgLayout *layout)
{
    g_autoptr(GString) now = g_string_new(NULL), then = g_string_new(NULL);
    gboolean differs = relation->columns->len != layout->set->columns->len;

    for (guint i = 0; i < layout->fields->len; i++) {
        differs |= g_array_index(layout->fields, guint, i) == NO_FIELD;
        g_string_append_printf(then, "%s%s", i > 0 ? ", " : "", (const char *)layout->set->columns->pdata[i]);
    }
    for (guint i = 0; i < relation->columns->len; i++)
        g_string_append_printf(now, "%s%s", i > 0 ? ", " : "", g_array_index(relation->columns, HbPgColumn, i).name);
    if (!differs && layout->key->len > 0)
        return NULL;
    return differs ? g_strdup_printf("table %s has other columns now: (%s) instead of (%s)", layout->set->table,
                                     now->str, then->str)
                   : g_strdup_printf("table %s has lost what identifies its rows", layout->set->table);
}

static HbPgLayout *make_layout(const HbLogReader *reader, const HbPgRelation *relation)
{
    const guint64 number = relation->oid;
    HbPgLayout *layout = g_new0(HbPgLayout, 1);

    layout->fields = g_array_new(FALSE, FALSE, sizeof(guint));
    layout->key = g_array_new(FALSE, FALSE, sizeof(guint));
    layout->set = g_hash_table_lookup(reader->sets, &number);
    for (guint i = 0; layout->set != NULL && i < layout->set->columns->len; i++) {
        const guint field = find_column(relation, layout->set->columns->pdata[i]);
        g_array_append_val(layout->fields, field);
        if (field != NO_FIELD && strchr("di", relation->identity) != NULL &&
            g_array_index(relation->columns, HbPgColumn, field).is_key)
            g_array_append_val(layout->key, i);
    }
    if (layout->set != NULL)
        layout->mismatch = compare_columns(relation, layout);
    return layout;
}

/* ---- Rows ---- */

static void append_value(GString *text, const HbPgValue *value)
{
    if (value->kind == 't')
        hb_row_text_append(text, value->bytes, value->length);
    else
        g_string_append(text, "\\N");
}

static const HbPgValue *find_value(const GArray *tuple, const HbPgLayout *layout, guint column)
{
    return &g_array_index(tuple, HbPgValue, g_array_index(layout->fields, guint, column));
}

static void write_key(GString *text, const GArray *tuple, const HbPgLayout *layout)
{
    g_string_truncate(text, 0);
    for (guint i = 0; i < layout->key->len; i++) {
        if (i > 0)
            g_string_append_c(text, '\t');
        append_value(text, find_value(tuple, layout, g_array_index(layout->key, guint, i)));
    }
}

/* TRUE if some values were not sent */
static gboolean write_row(HbLogReader *reader, const HbPgLayout *layout)
{
    const guint columns = layout->set->columns->len;
    gboolean keeps = FALSE;

    if (reader->kept_size < columns) {
        reader->kept = g_renew(guint8, reader->kept, columns);
        reader->kept_size = columns;
    }
    g_string_truncate(reader->row, 0);
    for (guint i = 0; i < columns; i++) {
        const HbPgValue *value = find_value(reader->message.row, layout, i);
        reader->kept[i] = value->kind == 'u';
        keeps |= reader->kept[i];
        append_value(reader->row, value);
        g_string_append_c(reader->row, i + 1 < columns ? '\t' : '\n');
    }
    return keeps;
}

static gboolean is_whole(const GArray *tuple, const HbPgLayout *layout)
{
    for (guint i = 0; i < layout->fields->len; i++) {
        if (g_array_index(layout->fields, guint, i) >= tuple->len)
            return FALSE;
    }
    return TRUE;
}

static gboolean set_damaged(GError **error)
{
    return hb_error_set(error, HB_ERROR_DAMAGED, "bring the copy up to date by comparing: freshen --by rows",
                        "the server's log tells a row that does not fit its table");
}

/* ---- Messages to events ---- */

static void set_key(HbLogEvent *event, const HbPgLayout *layout, const GString *key)
{
    event->set = layout->set;
    event->key_places = layout->key;
    event->key = key->str;
    event->key_length = key->len;
}

static gboolean tell_row(HbLogReader *reader, const HbPgLayout *layout, HbLogEvent *event, GError **error)
{
    const HbPgMessage *message = &reader->message;
    const gboolean deletes = message->kind == 'D';

    if (!is_whole(deletes ? message->old : message->row, layout) ||
        (message->old_kind != '\0' && !is_whole(message->old, layout)))
        return set_damaged(error);
    if (message->old_kind != '\0')
        write_key(reader->old_key, message->old, layout);
    if (deletes) {
        event->kind = HB_LOG_DELETED;
        set_key(event, layout, reader->old_key);
        return TRUE;
    }
    event->kind = message->kind == 'I' ? HB_LOG_INSERTED : HB_LOG_UPDATED;
    event->kept = write_row(reader, layout) ? reader->kept : NULL;
    write_key(reader->key, message->row, layout);
    set_key(event, layout, reader->key);
    event->row = reader->row->str;
    event->row_length = reader->row->len;
    if (message->old_kind != '\0') {
        event->old_key = reader->old_key->str;
        event->old_key_length = reader->old_key->len;
    }
    return TRUE;
}

void hb_pg_log_set_position(HbLogReader *reader, HbLogEvent *event)
{
    g_autofree char *text = hb_pg_write_lsn(reader->told);

    g_string_assign(reader->position, text);
    event->position = reader->position->str;
    event->behind = reader->log_end > reader->told ? reader->log_end - reader->told : 0;
}

static void tell_structure(HbLogReader *reader, const HbPgLayout *layout, HbLogEvent *event)
{
    event->kind = HB_LOG_STRUCTURE;
    event->set = layout->set;
    event->what = layout->mismatch;
    hb_pg_log_set_position(reader, event);
}

/* Several tables that lose their rows are as many events */
gboolean hb_pg_log_tell_emptied(HbLogReader *reader, HbLogEvent *event)
{
    while (reader->next_emptied < reader->message.emptied->len) {
        const guint32 oid = g_array_index(reader->message.emptied, guint32, reader->next_emptied++);
        const HbPgLayout *layout = g_hash_table_lookup(reader->layouts, GUINT_TO_POINTER(oid));
        if (layout == NULL || layout->set == NULL)
            continue;
        *event = (HbLogEvent){.kind = HB_LOG_EMPTIED, .set = layout->set, .key_places = layout->key};
        if (layout->mismatch != NULL)
            tell_structure(reader, layout, event);
        return TRUE;
    }
    return FALSE;
}

static gboolean take_row(HbLogReader *reader, gboolean *has_event, HbLogEvent *event, GError **error)
{
    const HbPgLayout *layout = g_hash_table_lookup(reader->layouts, GUINT_TO_POINTER(reader->message.oid));

    if (layout == NULL)
        return set_damaged(error);
    *has_event = layout->set != NULL;
    if (!*has_event)
        return TRUE;
    if (layout->mismatch == NULL)
        return tell_row(reader, layout, event, error);
    tell_structure(reader, layout, event);
    return TRUE;
}

static gboolean take_message(HbLogReader *reader, gboolean *has_event, HbLogEvent *event, GError **error)
{
    HbPgMessage *message = &reader->message;

    switch (message->kind) {
    case 'R':
        g_hash_table_insert(reader->layouts, GUINT_TO_POINTER(message->relation->oid),
                            make_layout(reader, message->relation));
        return TRUE;
    case 'T':
        reader->next_emptied = 0;
        *has_event = hb_pg_log_tell_emptied(reader, event);
        return TRUE;
    case 'B':
        reader->in_transaction = TRUE;
        return TRUE;
    case 'C':
        reader->in_transaction = FALSE;
        reader->told = MAX(reader->told, message->lsn);
        event->kind = HB_LOG_COMMIT;
        event->time_us = (gint64)((guint64)message->time_us + (guint64)reader->clock_us);
        hb_pg_log_set_position(reader, event);
        *has_event = TRUE;
        return TRUE;
    case 'I':
    case 'U':
    case 'D':
        return take_row(reader, has_event, event, error);
    default:
        return TRUE;
    }
}

gboolean hb_pg_log_reader_take(HbLogReader *reader, const char *bytes, gsize length, gboolean *has_event,
                               HbLogEvent *event, GError **error)
{
    *has_event = FALSE;
    *event = (HbLogEvent){.kind = HB_LOG_NOTHING};
    return hb_pgoutput_read(&reader->message, bytes, length, error) && take_message(reader, has_event, event, error);
}

void hb_pg_log_reader_tell(HbLogReader *reader, gboolean *has_event, HbLogEvent *event)
{
    *has_event = hb_pg_log_tell_emptied(reader, event);
}
