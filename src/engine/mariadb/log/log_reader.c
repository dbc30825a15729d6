/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/log/log_reader_inner.h"

#include "core/base/error.h"
#include "engine/mariadb/log/kept_log.h"
#include "engine/mariadb/session/session.h"

#include <string.h>

/* While nothing is logged, the server says so this often: no read waits longer */
#define HEARTBEAT_MS 20

#define ROWS_END 1 /* of an event with rows: the statement's last one */

/* ---- Life ---- */

void hb_my_log_free_mapped(gpointer data)
{
    hb_my_table_map_clear(&((HbMyMapped *)data)->map);
    g_free(data);
}

HbLogReader *hb_my_log_reader_new(const char *database, const char *file, GHashTable *layouts)
{
    HbLogReader *reader = g_new0(HbLogReader, 1);

    reader->database = g_strdup(database);
    reader->file = g_strdup(file);
    reader->layouts = layouts;
    reader->maps = g_hash_table_new_full(g_int64_hash, g_int64_equal, NULL, hb_my_log_free_mapped);
    reader->position = g_string_new(NULL);
    reader->what = g_string_new(NULL);
    reader->pending = g_ptr_array_new();
    reader->scratch = g_string_new(NULL);
    reader->before = g_string_new(NULL);
    reader->after = g_string_new(NULL);
    reader->key = g_string_new(NULL);
    reader->old_key = g_string_new(NULL);
    reader->before_fields = g_array_new(FALSE, TRUE, sizeof(gsize));
    reader->after_fields = g_array_new(FALSE, TRUE, sizeof(gsize));
    return reader;
}

void hb_my_close_log(HbLogReader *reader)
{
    if (reader == NULL)
        return;
    hb_my_close(reader->session);
    g_free(reader->database);
    g_free(reader->file);
    g_clear_pointer(&reader->layouts, g_hash_table_unref);
    g_hash_table_unref(reader->maps);
    g_ptr_array_unref(reader->pending);
    GString *const texts[] = {reader->position, reader->what, reader->scratch, reader->before,
                              reader->after,    reader->key,  reader->old_key};
    for (gsize i = 0; i < G_N_ELEMENTS(texts); i++)
        g_string_free(texts[i], TRUE);
    g_array_unref(reader->before_fields);
    g_array_unref(reader->after_fields);
    g_free(reader);
}

gboolean hb_my_log_set_damaged(GError **error)
{
    return hb_error_set(error, HB_ERROR_DAMAGED, WAY_OUT, "the binary log has an event that cannot be understood");
}

/* ---- The stream ---- */

static gboolean set_refusal(HbLogReader *reader, const guint8 *packet, gsize length, GError **error)
{
    const guint number = length > 2 ? (guint)(packet[1] | packet[2] << 8) : 0;
    const gsize skip = length > 9 && packet[3] == '#' ? 9 : 3;
    g_autofree char *message =
        length > skip ? g_strndup((const char *)packet + skip, length - skip) : g_strdup("no reason was given");

    if (number == 1227 || number == 1045)
        return hb_error_set(error, HB_ERROR_RIGHTS, "an administrator can run: GRANT REPLICATION SLAVE ON *.* TO ...",
                            "%s does not let its log be read: %s", reader->session->address, message);
    if (number == 1236)
        return hb_error_set(error, HB_ERROR_BLOCKED, WAY_OUT, "the binary log cannot be read from there: %s", message);
    return hb_my_set_error_text(reader->session, number, message, error);
}

static gboolean receive(HbLogReader *reader, const guint8 **bytes, gsize *length, GError **error)
{
    MYSQL *mysql = reader->session->mysql;
    const unsigned long size = mysql_net_read_packet(mysql);
    const guint8 *packet = mysql->net.read_pos;

    if (size == packet_error)
        return hb_my_set_error(reader->session, error);
    if (size > 0 && packet[0] == 0xff)
        return set_refusal(reader, packet, size, error);
    if (size == 0 || (packet[0] == 0xfe && size < 9))
        return hb_error_set(error, HB_ERROR_LOST, "see whether the server runs", "%s has ended the stream of its log",
                            reader->session->address);
    *bytes = packet + 1;
    *length = size - 1;
    return TRUE;
}

gboolean hb_my_log_reader_tell(HbLogReader *reader, gboolean *has_event, HbLogEvent *event, GError **error)
{
    *has_event = reader->has_pending || reader->owes_commit;
    if (!*has_event)
        return hb_my_log_tell_row(reader, has_event, event, error);
    if (reader->owes_commit)
        hb_my_log_tell_commit(reader, reader->time, has_event, event);
    else
        hb_my_log_tell_pending(reader, event);
    return TRUE;
}

gboolean hb_my_next_change(HbLogReader *reader, guint wait_ms, HbLogEvent *event, GError **error)
{
    gboolean has_event = FALSE;

    (void)wait_ms; /* the server says often enough that there is nothing */
    if (!hb_my_log_reader_tell(reader, &has_event, event, error))
        return FALSE;
    while (!has_event) {
        const guint8 *bytes = NULL;
        gsize length = 0;
        if (!receive(reader, &bytes, &length, error) ||
            !hb_my_log_reader_take(reader, bytes, length, &has_event, event, error) ||
            (!has_event && !hb_my_log_reader_tell(reader, &has_event, event, error)))
            return FALSE;
    }
    return TRUE;
}

/* The server keeps nothing for us, and does not ask whether we live */
gboolean hb_my_confirm_log(HbLogReader *reader, const char *position, GError **error)
{
    (void)reader;
    (void)position;
    (void)error;
    return TRUE;
}

/* ---- Opening ---- */

/* The server cuts an older reader with the same number: one that nobody else has */
static guint32 choose_number(void)
{
    return g_random_int() | 0x40000000u;
}

static gboolean start(HbLogReader *reader, const char *file, guint64 byte, GError **error)
{
    g_autofree char *beat = g_strdup_printf("SET @master_heartbeat_period = %d, @source_heartbeat_period = %d",
                                            HEARTBEAT_MS * 1000000, HEARTBEAT_MS * 1000000);
    MYSQL *mysql = reader->session->mysql;
    g_autoptr(GByteArray) command = g_byte_array_new();
    const guint32 number = choose_number();
    const guint8 head[] = {(guint8)byte,   (guint8)(byte >> 8),   (guint8)(byte >> 16),   (guint8)(byte >> 24),  0, 0,
                           (guint8)number, (guint8)(number >> 8), (guint8)(number >> 16), (guint8)(number >> 24)};

    if (byte > G_MAXUINT32)
        return hb_error_set(error, HB_ERROR_BLOCKED, WAY_OUT,
                            "the position %s:%" G_GUINT64_FORMAT " is beyond what a server can be asked for", file,
                            byte);
    if (!hb_my_execute(reader->session, "SET @master_binlog_checksum = 'NONE', @source_binlog_checksum = 'NONE'",
                       error) ||
        !hb_my_execute(reader->session, "SET @mariadb_slave_capability = 4", error) ||
        !hb_my_execute(reader->session, beat, error))
        return FALSE;
    g_byte_array_append(command, head, sizeof head);
    g_byte_array_append(command, (const guint8 *)file, (guint)strlen(file));
    reader->byte = byte;
    return mysql->methods->db_command(mysql, COM_BINLOG_DUMP, (const char *)command->data, command->len, 1, 0) == 0 ||
           hb_my_set_error(reader->session, error);
}

HbLogReader *hb_my_open_log(const HbAddress *address, const char *name, const char *position, const GPtrArray *tables,
                            GError **error)
{
    g_autofree char *file = NULL;
    guint64 byte = 0;
    HbSession *session;
    GHashTable *layouts;
    HbLogReader *reader;

    (void)name;
    if (!hb_my_split_position(position, &file, &byte)) {
        hb_error_set(error, HB_ERROR_BLOCKED, WAY_OUT, "“%s” is no position in a binary log", position);
        return NULL;
    }
    session = hb_my_open(address, error);
    layouts = session != NULL ? hb_my_read_layouts(session, tables, error) : NULL;
    if (layouts == NULL) {
        hb_my_close(session);
        return NULL;
    }
    reader = hb_my_log_reader_new(session->database, file, layouts);
    reader->session = session;
    if (!start(reader, file, byte, error))
        g_clear_pointer(&reader, hb_my_close_log);
    return reader;
}
