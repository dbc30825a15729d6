/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/engine.h"

#include <string.h>
#include <sys/statvfs.h>

void hb_server_info_clear(HbServerInfo *info)
{
    g_free(info->product);
    g_free(info->version);
    g_free(info->address);
    g_free(info->database);
    g_free(info->database_quoted);
    g_free(info->user);
    g_free(info->identity);
    *info = (HbServerInfo){0};
}

void hb_snapshot_clear(HbSnapshot *snapshot)
{
    g_free(snapshot->token);
    g_free(snapshot->time);
    g_free(snapshot->position);
    *snapshot = (HbSnapshot){0};
}

gboolean hb_engine_check_answer(guint64 rows, guint columns, GError **error)
{
    if (columns == 0)
        return hb_error_set(error, HB_ERROR_USAGE, "ask with SELECT", "that is no question: it has no answer");
    return (rows <= HB_ANSWER_ROWS_MAX && columns <= HB_ANSWER_COLUMNS_MAX) ||
           hb_error_set(error, HB_ERROR_USAGE, "ask for counts, sums and the like",
                        "the answer has %" G_GUINT64_FORMAT " rows of %u columns; at most %d rows of %d are compared",
                        rows, columns, HB_ANSWER_ROWS_MAX, HB_ANSWER_COLUMNS_MAX);
}

void hb_restore_privileges_clear(HbRestorePrivileges *reach)
{
    g_clear_pointer(&reach->owners, g_hash_table_unref);
    g_clear_pointer(&reach->closed, g_hash_table_unref);
}

void hb_peer_clear(HbPeer *peer)
{
    g_free(peer->who);
    *peer = (HbPeer){0};
}

char *hb_engine_join_ids(const GArray *ids)
{
    GString *text = g_string_new(NULL);

    for (guint i = 0; i < ids->len; i++)
        g_string_append_printf(text, "%s%" G_GUINT64_FORMAT, i > 0 ? "," : "", g_array_index(ids, guint64, i));
    return g_string_free(text, FALSE);
}

gboolean hb_engine_has_id(const GArray *ids, guint64 id)
{
    for (guint i = 0; i < ids->len; i++) {
        if (g_array_index(ids, guint64, i) == id)
            return TRUE;
    }
    return FALSE;
}

#define END_LOST_MS  10000
#define END_CHECK_MS 50

gboolean hb_engine_await_end(HbSession *session, const GArray *alive, HbListLost list, GArray *lost, const char *hint,
                             GError **error)
{
    for (guint waited = 0; lost != NULL && lost->len > 0; waited += END_CHECK_MS) {
        const guint64 first = g_array_index(lost, guint64, 0);
        g_array_unref(lost);
        if (waited >= END_LOST_MS)
            return hb_error_set(error, HB_ERROR_LOCKED, hint,
                                "session %" G_GUINT64_FORMAT
                                " of the server, left by a run whose connection broke, was "
                                "told to end, and is still there after %d s",
                                first, END_LOST_MS / 1000);
        g_usleep(END_CHECK_MS * 1000);
        lost = list(session, alive, error);
    }
    if (lost == NULL)
        return FALSE;
    g_array_unref(lost);
    return TRUE;
}

gboolean hb_engine_check_fingerprint(const char *now, const char *before, const char *address, GError **error)
{
    return g_strcmp0(now, before) == 0 ||
           hb_error_set(error, HB_ERROR_RETRY, "dump again, when no structure is being changed",
                        "%s: the structure of the database changed during the dump", address);
}

guint64 hb_engine_find_room(const char *path)
{
    struct statvfs room;

    return path != NULL && statvfs(path, &room) == 0 ? (guint64)room.f_bavail * room.f_frsize : G_MAXUINT64;
}

static void range_clear(gpointer data)
{
    g_free(((HbRange *)data)->where);
}

GArray *hb_ranges_new(void)
{
    GArray *ranges = g_array_new(FALSE, TRUE, sizeof(HbRange));

    g_array_set_clear_func(ranges, range_clear);
    return ranges;
}

static void database_clear(gpointer data)
{
    g_free(((HbDatabase *)data)->name);
}

GArray *hb_databases_new(void)
{
    GArray *databases = g_array_new(FALSE, FALSE, sizeof(HbDatabase));

    g_array_set_clear_func(databases, database_clear);
    return databases;
}

void hb_databases_add(GArray *databases, const char *name, guint64 bytes)
{
    HbDatabase database = {.name = g_strdup(name), .bytes = bytes};

    g_array_append_val(databases, database);
}

void hb_engine_tell_opened(const HbAddress *address, const HbEngine *engine, HbSession *session)
{
    if (address->watch != NULL)
        address->watch->opened(address->watch->data, engine, session, address->uri);
}

void hb_engine_tell_closed(const HbAddress *address, HbSession *session)
{
    if (address->watch != NULL)
        address->watch->closed(address->watch->data, session);
}
