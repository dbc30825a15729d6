/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/log/log_reader_inner.h"

#include "core/base/error.h"
#include "engine/postgres/log/kept_log.h"
#include "engine/postgres/session/session.h"

#include <poll.h>

#define STATUS_LENGTH 34
#define DATA_HEADER   25 /* of a message with data: its letter, where it begins, where the log ends, the time */
#define ALIVE_LENGTH  18
#define EPOCH_S       946684800 /* when the server's times begin */

/* ---- Life ---- */

static void free_layout(gpointer data)
{
    HbPgLayout *layout = data;

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
    gboolean has_event = hb_pg_log_tell_emptied(reader, event);

    while (!has_event) {
        const gint64 left = until - g_get_monotonic_time();
        const int length = receive(reader, left > 0 ? (guint)(left / 1000) + 1 : 0);
        if (length < 0)
            return set_end(reader, error);
        if (length == 0 && left <= 0) {
            *event = (HbLogEvent){.kind = HB_LOG_NOTHING};
            hb_pg_log_set_position(reader, event);
            return hb_pg_confirm_log(reader, NULL, error);
        }
        if (length > 0 && !take_data(reader, reader->buffer, (gsize)length, &has_event, event, error))
            return FALSE;
    }
    return TRUE;
}
