/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/log/pgoutput.h"

#include "core/base/error.h"

#include <string.h>

/* Between 1970, where our times begin, and 2000, where the server's do */
#define EPOCH_US (G_GINT64_CONSTANT(946684800) * G_USEC_PER_SEC)

/* ---- Life ---- */

static void clear_column(gpointer data)
{
    g_free(((HbPgColumn *)data)->name);
}

void hb_pg_relation_free(gpointer data)
{
    HbPgRelation *relation = data;

    if (relation == NULL)
        return;
    g_free(relation->schema);
    g_free(relation->name);
    g_array_unref(relation->columns);
    g_free(relation);
}

void hb_pg_message_init(HbPgMessage *message)
{
    *message = (HbPgMessage){.old = g_array_new(FALSE, FALSE, sizeof(HbPgValue)),
                             .row = g_array_new(FALSE, FALSE, sizeof(HbPgValue)),
                             .emptied = g_array_new(FALSE, FALSE, sizeof(guint32))};
}

void hb_pg_message_clear(HbPgMessage *message)
{
    g_array_unref(message->old);
    g_array_unref(message->row);
    g_array_unref(message->emptied);
    hb_pg_relation_free(message->relation);
    *message = (HbPgMessage){0};
}

/* ---- Reading ---- */

typedef struct {
    const guint8 *at, *end;
    gboolean is_short; /* more was asked of it than it has */
} Bytes;

static guint64 take_number(Bytes *bytes, gsize size)
{
    guint64 number = 0;

    if ((gsize)(bytes->end - bytes->at) < size) {
        bytes->is_short = TRUE;
        bytes->at = bytes->end;
        return 0;
    }
    for (gsize i = 0; i < size; i++)
        number = number << 8 | *bytes->at++;
    return number;
}

static char take_letter(Bytes *bytes)
{
    return (char)take_number(bytes, 1);
}

/* Borrowed from the message, in which it ends with a zero */
static const char *take_text(Bytes *bytes)
{
    const char *text = (const char *)bytes->at;
    const guint8 *zero = bytes->at < bytes->end ? memchr(bytes->at, '\0', (gsize)(bytes->end - bytes->at)) : NULL;

    if (zero == NULL) {
        bytes->is_short = TRUE;
        return "";
    }
    bytes->at = zero + 1;
    return text;
}

static gboolean take_value(Bytes *bytes, HbPgValue *value)
{
    *value = (HbPgValue){.kind = take_letter(bytes)};
    if (value->kind == 'n' || value->kind == 'u')
        return TRUE;
    if (value->kind != 't')
        return FALSE;
    value->length = (gsize)take_number(bytes, 4);
    value->bytes = (const char *)bytes->at;
    if (value->length > (gsize)(bytes->end - bytes->at))
        return FALSE;
    bytes->at += value->length;
    return TRUE;
}

static gboolean take_tuple(Bytes *bytes, GArray *values)
{
    const guint count = (guint)take_number(bytes, 2);

    g_array_set_size(values, 0);
    for (guint i = 0; i < count; i++) {
        HbPgValue value;
        if (!take_value(bytes, &value) || bytes->is_short)
            return FALSE;
        g_array_append_val(values, value);
    }
    return !bytes->is_short;
}

static gboolean read_relation(HbPgMessage *message, Bytes *bytes)
{
    HbPgRelation *relation = g_new0(HbPgRelation, 1);
    guint count;

    message->relation = relation;
    relation->columns = g_array_new(FALSE, TRUE, sizeof(HbPgColumn));
    g_array_set_clear_func(relation->columns, clear_column);
    relation->oid = (guint32)take_number(bytes, 4);
    relation->schema = g_strdup(take_text(bytes));
    relation->name = g_strdup(take_text(bytes));
    relation->identity = take_letter(bytes);
    count = (guint)take_number(bytes, 2);
    for (guint i = 0; i < count && !bytes->is_short; i++) {
        HbPgColumn *column;
        g_array_set_size(relation->columns, i + 1);
        column = &g_array_index(relation->columns, HbPgColumn, i);
        column->is_key = take_number(bytes, 1) & 1;
        column->name = g_strdup(take_text(bytes));
        take_number(bytes, 4 + 4); /* its type, which its text does not need */
    }
    return TRUE;
}

static gboolean read_insert(HbPgMessage *message, Bytes *bytes)
{
    message->oid = (guint32)take_number(bytes, 4);
    return take_letter(bytes) == 'N' && take_tuple(bytes, message->row);
}

static gboolean read_update(HbPgMessage *message, Bytes *bytes)
{
    char kind;

    message->oid = (guint32)take_number(bytes, 4);
    kind = take_letter(bytes);
    if (kind == 'K' || kind == 'O') {
        message->old_kind = kind;
        if (!take_tuple(bytes, message->old))
            return FALSE;
        kind = take_letter(bytes);
    }
    return kind == 'N' && take_tuple(bytes, message->row);
}

static gboolean read_delete(HbPgMessage *message, Bytes *bytes)
{
    message->oid = (guint32)take_number(bytes, 4);
    message->old_kind = take_letter(bytes);
    return (message->old_kind == 'K' || message->old_kind == 'O') && take_tuple(bytes, message->old);
}

static gboolean read_truncate(HbPgMessage *message, Bytes *bytes)
{
    const guint count = (guint)take_number(bytes, 4);

    take_number(bytes, 1);
    g_array_set_size(message->emptied, 0);
    for (guint i = 0; i < count && !bytes->is_short; i++) {
        const guint32 oid = (guint32)take_number(bytes, 4);
        g_array_append_val(message->emptied, oid);
    }
    return TRUE;
}

static gboolean read_begin(HbPgMessage *message, Bytes *bytes)
{
    message->lsn = take_number(bytes, 8);
    message->time_us = (gint64)(take_number(bytes, 8) + (guint64)EPOCH_US);
    return TRUE;
}

static gboolean read_commit(HbPgMessage *message, Bytes *bytes)
{
    take_number(bytes, 1 + 8); /* flags, and where the commit begins */
    return read_begin(message, bytes);
}

/* Origins, types and messages of extensions say nothing of rows */
static gboolean read_others(HbPgMessage *message, Bytes *bytes)
{
    (void)bytes;
    message->kind = '\0';
    return TRUE;
}

static gboolean read_one(HbPgMessage *message, Bytes *bytes)
{
    static const struct {
        char kind;
        gboolean (*read)(HbPgMessage *, Bytes *);
    } readers[] = {{'B', read_begin},  {'C', read_commit}, {'R', read_relation}, {'I', read_insert},
                   {'U', read_update}, {'D', read_delete}, {'T', read_truncate}, {'O', read_others},
                   {'Y', read_others}, {'M', read_others}};

    message->kind = take_letter(bytes);
    message->old_kind = '\0';
    for (gsize i = 0; i < G_N_ELEMENTS(readers); i++) {
        if (readers[i].kind == message->kind)
            return readers[i].read(message, bytes) && !bytes->is_short;
    }
    return FALSE;
}

gboolean hb_pgoutput_read(HbPgMessage *message, const char *bytes, gsize length, GError **error)
{
    Bytes left = {(const guint8 *)bytes, (const guint8 *)bytes + length, FALSE};

    g_clear_pointer(&message->relation, hb_pg_relation_free);
    return read_one(message, &left) ||
           hb_error_set(error, HB_ERROR_DAMAGED, "bring the copy up to date by comparing: freshen --by rows",
                        "the server's log has a message that cannot be understood");
}
