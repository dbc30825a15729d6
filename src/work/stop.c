/* SPDX-License-Identifier: Apache-2.0 */
#include "work/stop.h"

struct HbStop {
    GMutex lock; /* guards all fields */
    GCond changed;
    gboolean is_set;
    gboolean by_user;
    GHashTable *sessions; /* HbSession * to HbEngine * */
};

HbStop *hb_stop_new(void)
{
    HbStop *stop = g_new0(HbStop, 1);

    g_mutex_init(&stop->lock);
    g_cond_init(&stop->changed);
    stop->sessions = g_hash_table_new(NULL, NULL);
    return stop;
}

void hb_stop_free(HbStop *stop)
{
    if (stop == NULL)
        return;
    g_hash_table_unref(stop->sessions);
    g_cond_clear(&stop->changed);
    g_mutex_clear(&stop->lock);
    g_free(stop);
}

static void trigger(HbStop *stop, gboolean by_user)
{
    GHashTableIter iter;
    gpointer session, engine;

    g_mutex_lock(&stop->lock);
    if (!stop->is_set)
        stop->by_user = by_user;
    stop->is_set = TRUE;
    g_hash_table_iter_init(&iter, stop->sessions);
    while (g_hash_table_iter_next(&iter, &session, &engine))
        ((const HbEngine *)engine)->interrupt(session);
    g_cond_broadcast(&stop->changed);
    g_mutex_unlock(&stop->lock);
}

void hb_stop_trigger(HbStop *stop)
{
    trigger(stop, FALSE);
}

void hb_stop_trigger_by_user(HbStop *stop)
{
    trigger(stop, TRUE);
}

gboolean hb_stop_is_set(HbStop *stop)
{
    gboolean is_set;

    g_mutex_lock(&stop->lock);
    is_set = stop->is_set;
    g_mutex_unlock(&stop->lock);
    return is_set;
}

gboolean hb_stop_is_by_user(HbStop *stop)
{
    gboolean by_user;

    g_mutex_lock(&stop->lock);
    by_user = stop->by_user;
    g_mutex_unlock(&stop->lock);
    return by_user;
}

void hb_stop_add(HbStop *stop, const HbEngine *engine, HbSession *session)
{
    g_mutex_lock(&stop->lock);
    g_hash_table_insert(stop->sessions, session, (gpointer)engine);
    g_mutex_unlock(&stop->lock);
}

void hb_stop_remove(HbStop *stop, HbSession *session)
{
    g_mutex_lock(&stop->lock);
    g_hash_table_remove(stop->sessions, session);
    g_mutex_unlock(&stop->lock);
}

gboolean hb_stop_sleep(HbStop *stop, guint milliseconds)
{
    gint64 until = g_get_monotonic_time() + (gint64)milliseconds * 1000;
    gboolean is_set;

    g_mutex_lock(&stop->lock);
    while (!stop->is_set && g_cond_wait_until(&stop->changed, &stop->lock, until))
        continue;
    is_set = stop->is_set;
    g_mutex_unlock(&stop->lock);
    return !is_set;
}

gboolean hb_stop_retry(HbStop *stop, HbAttempt attempt, gpointer data, GError **error)
{
    static const guint waits_ms[] = {200, 500, 1000, 2000, 4000, 8000};

    for (gsize i = 0; i < G_N_ELEMENTS(waits_ms); i++) {
        gboolean is_last = i + 1 == G_N_ELEMENTS(waits_ms);
        if (!hb_stop_sleep(stop, waits_ms[i]))
            return hb_stop_set_error(error);
        if (attempt(data, is_last ? error : NULL))
            return TRUE;
    }
    return FALSE;
}

gboolean hb_stop_set_error(GError **error)
{
    return hb_error_set(error, HB_ERROR_CANCELLED, NULL, "interrupted");
}
