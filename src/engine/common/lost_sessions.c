/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/common/lost_sessions.h"

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
