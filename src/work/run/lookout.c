/* SPDX-License-Identifier: Apache-2.0 */
#include "work/run/lookout.h"

#define LOOK_EVERY_US (2 * G_TIME_SPAN_SECOND)

/* So that it is known by the time when it is worth a word */
#define LOOK_AFTER_S (HB_SILENCE_S - 4)

struct HbLookout {
    const HbEngine *engine;
    HbAddress address;
    const char *whose;
    HbStop *stop;
    HbObservers *observers;
    HbSession *session; /* the thread's; NULL while the work moves */
    GThread *thread;
    GMutex lock; /* guards what follows */
    GCond ended;
    gboolean is_ended;
};

static gboolean is_ended(HbLookout *lookout)
{
    gboolean ended;

    g_mutex_lock(&lookout->lock);
    ended = lookout->is_ended;
    g_mutex_unlock(&lookout->lock);
    return ended || hb_stop_is_set(lookout->stop);
}

static gboolean is_silent(HbObservers *observers)
{
    return observers != NULL && hb_observers_get_silence_s(observers) >= LOOK_AFTER_S;
}

gboolean hb_lookout_ask(const HbEngine *engine, HbSession *session, const HbAddress *address, const char *whose,
                        HbStop *stop, HbObservers *observers, char **wait, GError **error)
{
    g_autoptr(GArray) ids = hb_stop_list_ids(stop, address->uri);
    g_autofree char *what = NULL;

    if (!engine->connector->find_wait(session, ids, wait, error))
        return FALSE;
    if (*wait == NULL || !is_silent(observers))
        return TRUE;
    what = g_strdup_printf("%s: %s", whose, *wait);
    hb_observers_notify(observers, &(HbEvent){.type = HB_EVENT_WAITING, .what = what});
    return TRUE;
}

static void let_go(HbLookout *lookout)
{
    lookout->engine->connector->close(lookout->session);
    lookout->session = NULL;
}

/* One that cannot be had, or breaks, is not reported: the workers will notice, too */
static void look(HbLookout *lookout)
{
    g_autofree char *wait = NULL;

    if (!is_silent(lookout->observers)) {
        let_go(lookout);
        return;
    }
    if (lookout->session == NULL)
        lookout->session = lookout->engine->connector->open(&lookout->address, NULL);
    if (lookout->session != NULL && !hb_lookout_ask(lookout->engine, lookout->session, &lookout->address,
                                                    lookout->whose, lookout->stop, lookout->observers, &wait, NULL))
        let_go(lookout);
}

static gpointer run(gpointer data)
{
    HbLookout *lookout = data;

    while (!is_ended(lookout)) {
        gint64 until = g_get_monotonic_time() + LOOK_EVERY_US;
        look(lookout);
        g_mutex_lock(&lookout->lock);
        while (!lookout->is_ended && g_cond_wait_until(&lookout->ended, &lookout->lock, until))
            continue;
        g_mutex_unlock(&lookout->lock);
    }
    let_go(lookout);
    return NULL;
}

HbLookout *hb_lookout_start(const HbEngine *engine, const HbAddress *address, const char *whose, HbStop *stop,
                            HbObservers *observers)
{
    HbLookout *lookout;

    if (observers == NULL)
        return NULL;
    lookout = g_new0(HbLookout, 1);
    lookout->engine = engine;
    lookout->address = *address;
    lookout->whose = whose;
    lookout->stop = stop;
    lookout->observers = observers;
    g_mutex_init(&lookout->lock);
    g_cond_init(&lookout->ended);
    lookout->thread = g_thread_new("lookout", run, lookout);
    return lookout;
}

void hb_lookout_end(HbLookout *lookout)
{
    if (lookout == NULL)
        return;
    g_mutex_lock(&lookout->lock);
    lookout->is_ended = TRUE;
    g_cond_broadcast(&lookout->ended);
    g_mutex_unlock(&lookout->lock);
    g_thread_join(lookout->thread);
    g_mutex_clear(&lookout->lock);
    g_cond_clear(&lookout->ended);
    g_free(lookout);
}
