/* SPDX-License-Identifier: Apache-2.0 */
#include "work/follow/silence.h"

#define WAIT_MS    500
#define PATIENCE_S 60

static char *find_end(const HbEngine *engine, const HbAddress *from, GError **error)
{
    HbSession *session = engine->connector->open(from, error);
    char *end = session != NULL ? engine->log->find_end(session, error) : NULL;

    engine->connector->close(session);
    return end;
}

static gboolean has_rows(const HbLogEvent *event)
{
    return event->kind != HB_LOG_NOTHING && event->kind != HB_LOG_COMMIT && event->kind != HB_LOG_STRUCTURE;
}

static gboolean tells_position(const HbLogEvent *event)
{
    return event->kind == HB_LOG_NOTHING || event->kind == HB_LOG_COMMIT;
}

static gboolean read_on(const HbEngine *engine, HbLogReader *reader, const char *end, HbStop *stop, char **table,
                        GError **error)
{
    const gint64 deadline = g_get_monotonic_time() + PATIENCE_S * G_USEC_PER_SEC;

    while (!hb_stop_is_set(stop) && g_get_monotonic_time() < deadline) {
        HbLogEvent event;
        if (!engine->log->next(reader, WAIT_MS, &event, error))
            return FALSE;
        if (has_rows(&event)) {
            *table = g_strdup(event.set->table);
            return TRUE;
        }
        if (tells_position(&event) && engine->log->compare(event.position, end) >= 0)
            return TRUE;
    }
    return hb_stop_is_set(stop) ? hb_stop_set_error(error)
                                : hb_error_set(error, HB_ERROR_LOST, NULL, "the log of FROM does not come to its end");
}

gboolean hb_log_find_unread(const HbEngine *engine, const HbAddress *from, const char *name, const char *position,
                            const GPtrArray *sets, HbStop *stop, char **table, GError **error)
{
    g_autofree char *end = find_end(engine, from, error);
    HbLogReader *reader = end != NULL ? engine->log->open(from, name, position, sets, error) : NULL;
    const gboolean ok = reader != NULL && read_on(engine, reader, end, stop, table, error);

    engine->log->close(reader);
    return ok;
}
