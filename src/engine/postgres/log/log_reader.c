/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/log/log_reader.h"

#include "core/rows/row_text.h"
#include "core/sql/lexer.h"
#include "engine/postgres/log/kept_log.h"
#include "engine/postgres/log/pgoutput.h"
#include "engine/postgres/session/session.h"

#include <poll.h>
#include <string.h>

#define STATUS_LENGTH 34
#define DATA_HEADER   25 /* of a message with data: its letter, where it begins, where the log ends, the time */
#define ALIVE_LENGTH  18
#define EPOCH_S       946684800 /* when the server's times begin */

#define NO_FIELD G_MAXUINT

/* How a table's messages are read */
typedef struct {
    const HbRowSet *set; /* NULL: it is of no interest */
    GArray *fields;      /* guint: for each column of the set its place in the message */
    GArray *key;         /* guint, rising: the columns that identify a row */
    char *mismatch;      /* what is otherwise than in the set; NULL: nothing */
} Layout;

struct HbLogReader {
    HbSession *session;  /* NULL in tests */
    GHashTable *sets;    /* of interest: HbRowSet *, by their numbers */
    GHashTable *layouts; /* oid to Layout * */
    HbPgMessage message;
    guint next_emptied; /* of a message that empties several tables */
    GString *row, *key, *old_key;
    guint8 *kept;
    guint kept_size;
    char *buffer; /* libpq's, of the last message */
    GString *position;
    guint64 told, confirmed, log_end;
    gboolean in_transaction;
    gint64 next_status_us;
    gint64 clock_us; /* how far our clock is before the server's, or less: what it sends is underway for a while */
};

/* ---- Life ---- */

static void free_layout(gpointer data)
{
    Layout *layout = data;

    g_array_unref(layout->fields);
    g_array_unref(layout->key);
    g_free(layout->mismatch);
    g_free(layout);
}

HbLogReader *hb_pg_log_reader_new(const GPtrArray *tables)
{
    HbLogReader *reader = g_new0(HbLogReader, 1);

    reader->sets = g_hash_table_new(g_int64_hash, g_int64_equal);
    for (guint i = 0; i < tables->len; i++) {
        HbRowSet *set = tables->pdata[i];
        g_hash_table_insert(reader->sets, &set->number, set);
    }
    reader->layouts = g_hash_table_new_full(NULL, NULL, NULL, free_layout);
    hb_pg_message_init(&reader->message);
    reader->row = g_string_new(NULL);
    reader->key = g_string_new(NULL);
    reader->old_key = g_string_new(NULL);
    reader->position = g_string_new(NULL);
    return reader;
}

void hb_pg_close_log(HbLogReader *reader)
{
    if (reader == NULL)
        return;
    hb_pg_close(reader->session);
    PQfreemem(reader->buffer);
    hb_pg_message_clear(&reader->message);
    g_hash_table_unref(reader->sets);
    g_hash_table_unref(reader->layouts);
    g_string_free(reader->row, TRUE);
    g_string_free(reader->key, TRUE);
    g_string_free(reader->old_key, TRUE);
    g_string_free(reader->position, TRUE);
    g_free(reader->kept);
    g_free(reader);
}

/* Another copy may have confirmed what this one needs: the server would begin behind it, and say nothing */
static gboolean check_kept(HbSession *session, const char *name, const char *position, GError **error)
{
    g_autoptr(GArray) kept = hb_pg_list_kept(session, name, error);

    return kept != NULL && hb_kept_logs_check(kept, name, position, hb_pg_compare_lsn, error);
}

/* A session of ours that broke may still be there for a while */
static gboolean set_start_error(const HbLogReader *reader, const char *name, const PGresult *result, GError **error)
{
    if (g_strcmp0(PQresultErrorField(result, PG_DIAG_SQLSTATE), "55006") != 0)
        return hb_pg_set_error(reader->session, result, error);
    return hb_error_set(error, HB_ERROR_LOCKED, "see what it is, and end it; one program alone follows the log",
                        "another session reads the kept log %s: %s", name,
                        PQresultErrorField(result, PG_DIAG_MESSAGE_PRIMARY));
}

static gboolean start(HbLogReader *reader, const char *name, const char *position, GError **error)
{
    guint64 lsn;
    g_autofree char *sql = NULL, *from = NULL;
    g_autoptr(HbResult) result = NULL;

    if (!hb_pg_read_lsn(position, &lsn))
        return hb_error_set(error, HB_ERROR_BLOCKED, NULL, "“%s” is no position in a log", position);
    from = hb_pg_write_lsn(lsn);
    reader->told = reader->confirmed = lsn;
    sql = g_strdup_printf("START_REPLICATION SLOT %s LOGICAL %s (proto_version '1', publication_names '%s')", name,
                          from, name);
    result = PQexec(reader->session->conn, sql);
    return PQresultStatus(result) == PGRES_COPY_BOTH || set_start_error(reader, name, result, error);
}

HbLogReader *hb_pg_open_log(const HbAddress *address, const char *name, const char *position, const GPtrArray *tables,
                            GError **error)
{
    HbLogReader *reader = hb_pg_log_reader_new(tables);
    HbSession *looker = NULL;
    const gboolean ok = hb_pg_check_kept_name(name, error) && (looker = hb_pg_open(address, error)) != NULL &&
                        check_kept(looker, name, position, error) &&
                        (reader->session = hb_pg_open_for_log(address, error)) != NULL &&
                        start(reader, name, position, error);

    hb_pg_close(looker);
    reader->clock_us = G_MAXINT64 / 2;
    if (!ok)
        g_clear_pointer(&reader, hb_pg_close_log);
    return reader;
}

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
static char *compare_columns(const HbPgRelation *relation, const Layout *layout)
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

static Layout *make_layout(const HbLogReader *reader, const HbPgRelation *relation)
{
    const guint64 number = relation->oid;
    Layout *layout = g_new0(Layout, 1);

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

static const HbPgValue *find_value(const GArray *tuple, const Layout *layout, guint column)
{
    return &g_array_index(tuple, HbPgValue, g_array_index(layout->fields, guint, column));
}

static void write_key(GString *text, const GArray *tuple, const Layout *layout)
{
    g_string_truncate(text, 0);
    for (guint i = 0; i < layout->key->len; i++) {
        if (i > 0)
            g_string_append_c(text, '\t');
        append_value(text, find_value(tuple, layout, g_array_index(layout->key, guint, i)));
    }
}

/* TRUE if some values were not sent */
static gboolean write_row(HbLogReader *reader, const Layout *layout)
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

static gboolean is_whole(const GArray *tuple, const Layout *layout)
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

static void set_key(HbLogEvent *event, const Layout *layout, const GString *key)
{
    event->set = layout->set;
    event->key_places = layout->key;
    event->key = key->str;
    event->key_length = key->len;
}

static gboolean tell_row(HbLogReader *reader, const Layout *layout, HbLogEvent *event, GError **error)
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

static void set_position(HbLogReader *reader, HbLogEvent *event)
{
    g_autofree char *text = hb_pg_write_lsn(reader->told);

    g_string_assign(reader->position, text);
    event->position = reader->position->str;
    event->behind = reader->log_end > reader->told ? reader->log_end - reader->told : 0;
}

static void tell_structure(HbLogReader *reader, const Layout *layout, HbLogEvent *event)
{
    event->kind = HB_LOG_STRUCTURE;
    event->set = layout->set;
    event->what = layout->mismatch;
    set_position(reader, event);
}

/* Several tables that lose their rows are as many events */
static gboolean tell_emptied(HbLogReader *reader, HbLogEvent *event)
{
    while (reader->next_emptied < reader->message.emptied->len) {
        const guint32 oid = g_array_index(reader->message.emptied, guint32, reader->next_emptied++);
        const Layout *layout = g_hash_table_lookup(reader->layouts, GUINT_TO_POINTER(oid));
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
    const Layout *layout = g_hash_table_lookup(reader->layouts, GUINT_TO_POINTER(reader->message.oid));

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
        *has_event = tell_emptied(reader, event);
        return TRUE;
    case 'B':
        reader->in_transaction = TRUE;
        return TRUE;
    case 'C':
        reader->in_transaction = FALSE;
        reader->told = MAX(reader->told, message->lsn);
        event->kind = HB_LOG_COMMIT;
        event->time_us = (gint64)((guint64)message->time_us + (guint64)reader->clock_us);
        set_position(reader, event);
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
    *has_event = tell_emptied(reader, event);
}

/* ---- The stream ---- */

static guint64 read_number(const char *bytes)
{
    guint64 number = 0;

    for (int i = 0; i < 8; i++)
        number = number << 8 | (guint8)bytes[i];
    return number;
}

static void write_number(char *bytes, guint64 number)
{
    for (int i = 0; i < 8; i++)
        bytes[i] = (char)(number >> (56 - 8 * i));
}

#define STATUS_EVERY_US (5 * G_USEC_PER_SEC)

/* Tells the server what is safe, and that we live */
static gboolean send_status(HbLogReader *reader, GError **error)
{
    char status[STATUS_LENGTH] = {'r'};
    const gint64 now = g_get_real_time() - (gint64)EPOCH_S * G_USEC_PER_SEC;

    for (int i = 0; i < 3; i++)
        write_number(status + 1 + 8 * i, reader->confirmed);
    write_number(status + 25, (guint64)now);
    reader->next_status_us = g_get_monotonic_time() + STATUS_EVERY_US;
    return (PQputCopyData(reader->session->conn, status, STATUS_LENGTH) == 1 && PQflush(reader->session->conn) == 0) ||
           hb_pg_set_error(reader->session, NULL, error);
}

gboolean hb_pg_confirm_log(HbLogReader *reader, const char *position, GError **error)
{
    guint64 lsn;

    if (position != NULL && hb_pg_read_lsn(position, &lsn) && lsn > reader->confirmed) {
        reader->confirmed = lsn;
        reader->next_status_us = 0;
    }
    return g_get_monotonic_time() < reader->next_status_us || send_status(reader, error);
}

/* A message says when it was sent, in the microseconds since the server's times begin */
static void read_clock(HbLogReader *reader, const char *sent)
{
    const guint64 now = (guint64)g_get_real_time() - (guint64)EPOCH_S * G_USEC_PER_SEC;
    const gint64 ahead = (gint64)(now - read_number(sent));

    if (ahead < reader->clock_us)
        reader->clock_us = ahead;
}

/* While nothing of a transaction is open, all that the log has up to its end was told, or is no change of ours */
static gboolean take_alive(HbLogReader *reader, const char *bytes, gsize length, GError **error)
{
    if (length < ALIVE_LENGTH)
        return TRUE;
    reader->log_end = MAX(reader->log_end, read_number(bytes + 1));
    read_clock(reader, bytes + 9);
    if (!reader->in_transaction)
        reader->told = MAX(reader->told, reader->log_end);
    return bytes[17] == 0 || send_status(reader, error);
}

static gboolean take_data(HbLogReader *reader, const char *bytes, gsize length, gboolean *has_event, HbLogEvent *event,
                          GError **error)
{
    *has_event = FALSE;
    if (length > 0 && *bytes == 'k')
        return take_alive(reader, bytes, length, error);
    if (length < DATA_HEADER || *bytes != 'w')
        return TRUE;
    reader->log_end = MAX(reader->log_end, read_number(bytes + 9));
    read_clock(reader, bytes + 17);
    return hb_pg_log_reader_take(reader, bytes + DATA_HEADER, length - DATA_HEADER, has_event, event, error);
}

/* -1: the stream has ended; 0: nothing has come; otherwise the message's length, in reader->buffer */
static int receive(HbLogReader *reader, guint wait_ms)
{
    PGconn *conn = reader->session->conn;
    struct pollfd socket = {PQsocket(conn), POLLIN, 0};
    int length;

    g_clear_pointer(&reader->buffer, PQfreemem);
    length = PQgetCopyData(conn, &reader->buffer, 1);
    if (length != 0)
        return length;
    if (poll(&socket, 1, (int)wait_ms) > 0 && !PQconsumeInput(conn))
        return -1;
    return PQgetCopyData(conn, &reader->buffer, 1);
}

/* Why the server has ended the stream */
static gboolean set_end(HbLogReader *reader, GError **error)
{
    g_autoptr(HbResult) result = PQgetResult(reader->session->conn);

    if (result != NULL && PQresultStatus(result) == PGRES_FATAL_ERROR)
        return hb_pg_set_error(reader->session, result, error);
    return hb_error_set(error, HB_ERROR_LOST, "see whether the server runs", "%s has ended the stream of changes",
                        reader->session->address);
}

gboolean hb_pg_next_change(HbLogReader *reader, guint wait_ms, HbLogEvent *event, GError **error)
{
    const gint64 until = g_get_monotonic_time() + (gint64)wait_ms * 1000;
    gboolean has_event = tell_emptied(reader, event);

    while (!has_event) {
        const gint64 left = until - g_get_monotonic_time();
        const int length = receive(reader, left > 0 ? (guint)(left / 1000) + 1 : 0);
        if (length < 0)
            return set_end(reader, error);
        if (length == 0 && left <= 0) {
            *event = (HbLogEvent){.kind = HB_LOG_NOTHING};
            set_position(reader, event);
            return hb_pg_confirm_log(reader, NULL, error);
        }
        if (length > 0 && !take_data(reader, reader->buffer, (gsize)length, &has_event, event, error))
            return FALSE;
    }
    return TRUE;
}
