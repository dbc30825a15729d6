/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/session/copy_data.h"

#include <string.h>

/* ---- From a server ---- */

#define BINARY_BEGINS "PGCOPY\n\377\r\n"
#define BINARY_HEADER 19
#define BINARY_END    "\377\377"

gboolean hb_pg_pass_message(GString *header, const char *message, gsize length, HbRowSink sink, gpointer data,
                            GError **error)
{
    gboolean begins = length >= BINARY_HEADER && memcmp(message, BINARY_BEGINS, sizeof BINARY_BEGINS - 1) == 0;

    if (length == 2 && memcmp(message, BINARY_END, 2) == 0)
        return TRUE;
    if (begins && header->len == 0 && length <= BINARY_HEADER + 2) {
        g_string_append_len(header, message, BINARY_HEADER);
        return TRUE;
    }
    if (header->len == 0)
        return sink(data, message, length, error);
    g_string_append_len(header, message, (gssize)length);
    gboolean taken = sink(data, header->str, header->len, error);
    g_string_truncate(header, 0);
    return taken;
}

/* ---- To a server ---- */

#define HEADER_BYTES 15

void hb_pg_rows_sent_init(HbPgRowsSent *sent, gboolean binary)
{
    *sent = (HbPgRowsSent){.binary = binary, .skip = HEADER_BYTES, .needed = 4, .fields = -2};
}

static void begin_row(HbPgRowsSent *sent)
{
    sent->fields = -1;
    sent->needed = 2;
}

static void take_number(HbPgRowsSent *sent)
{
    gint32 number = sent->needed == 2 ? (gint16)sent->number : sent->number;

    sent->number = 0;
    sent->have = 0;
    if (sent->fields == -2) {
        sent->skip = (guint32)number;
        begin_row(sent);
        return;
    }
    if (sent->fields == -1) {
        sent->rows += number >= 0;
        sent->fields = number;
        sent->needed = 4;
    } else {
        sent->skip = number > 0 ? (guint32)number : 0;
        sent->fields--;
    }
    if (sent->fields <= 0)
        begin_row(sent);
}

static void count_binary(HbPgRowsSent *sent, const char *bytes, gsize length)
{
    while (length > 0) {
        gsize part = MIN(sent->skip, length);
        sent->skip -= part;
        bytes += part;
        length -= part;
        if (length == 0)
            return;
        sent->number = (gint32)((guint32)sent->number << 8 | (guint8)*bytes++);
        length--;
        if (++sent->have == sent->needed)
            take_number(sent);
    }
}

void hb_pg_rows_sent_add(HbPgRowsSent *sent, const char *bytes, gsize length)
{
    if (sent->binary) {
        count_binary(sent, bytes, length);
        return;
    }
    for (const char *end = bytes + length; (bytes = memchr(bytes, '\n', (gsize)(end - bytes))) != NULL; bytes++)
        sent->rows++;
}

/* ---- Lists ---- */

gboolean hb_pg_read_list(const char *text, GPtrArray *texts)
{
    while (*text != '\0') {
        char *behind;
        const guint64 length = g_ascii_strtoull(text, &behind, 10);
        if (behind == text || *behind != ':' || length > strlen(behind + 1))
            return FALSE;
        g_ptr_array_add(texts, g_strndup(behind + 1, length));
        text = behind + 1 + length;
    }
    return TRUE;
}
