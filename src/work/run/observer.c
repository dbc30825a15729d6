/* SPDX-License-Identifier: Apache-2.0 */
#include "work/run/observer.h"

#include <unistd.h>

typedef struct {
    HbObserve observe;
    gpointer data;
} Listener;

struct HbObservers {
    GMutex lock;       /* held while listeners are told; guards the rest */
    gint64 last;       /* monotonic: when the work last moved */
    GArray *listeners; /* Listener */
};

HbObservers *hb_observers_new(void)
{
    HbObservers *observers = g_new0(HbObservers, 1);

    g_mutex_init(&observers->lock);
    observers->last = g_get_monotonic_time();
    observers->listeners = g_array_new(FALSE, FALSE, sizeof(Listener));
    return observers;
}

void hb_observers_free(HbObservers *observers)
{
    if (observers == NULL)
        return;
    g_array_unref(observers->listeners);
    g_mutex_clear(&observers->lock);
    g_free(observers);
}

void hb_observers_add(HbObservers *observers, HbObserve observe, gpointer data)
{
    Listener listener = {observe, data};

    g_array_append_val(observers->listeners, listener);
}

gboolean hb_event_is_progress(const HbEvent *event)
{
    return event->type != HB_EVENT_NOTED && event->type != HB_EVENT_WAITING;
}

void hb_observers_notify(HbObservers *observers, const HbEvent *event)
{
    if (observers == NULL)
        return;
    g_mutex_lock(&observers->lock);
    if (hb_event_is_progress(event))
        observers->last = g_get_monotonic_time();
    for (guint i = 0; i < observers->listeners->len; i++) {
        const Listener *listener = &g_array_index(observers->listeners, Listener, i);
        listener->observe(listener->data, event);
    }
    g_mutex_unlock(&observers->lock);
}

guint hb_observers_get_silence_s(HbObservers *observers)
{
    gint64 last;

    g_mutex_lock(&observers->lock);
    last = observers->last;
    g_mutex_unlock(&observers->lock);
    return (guint)((g_get_monotonic_time() - last) / G_USEC_PER_SEC);
}

void hb_observers_note(HbObservers *observers, HbSeverity severity, const char *hint, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *what = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    hb_observers_notify(observers,
                        &(HbEvent){.type = HB_EVENT_NOTED, .severity = severity, .what = what, .hint = hint});
}

void hb_observers_begin_phase(HbObservers *observers, const char *what, guint64 total)
{
    hb_observers_notify(observers, &(HbEvent){.type = HB_EVENT_PHASE, .what = what, .total = total});
}

char *hb_observers_name_host(void)
{
    return g_strdup_printf("%s:%d", g_get_host_name(), (int)getpid());
}
