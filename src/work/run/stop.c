/* SPDX-License-Identifier: Apache-2.0 */
#include "work/run/stop.h"

#include <string.h>
#include <unistd.h>

/*
 * One switch for all that runs: it remembers every open session and the input's pipe. When it is triggered, a thread
 * of its own asks the servers to end what they do, cuts the connections of those that do not answer within seconds,
 * and wakes whoever sleeps. Nothing here waits for the network while it holds the lock.
 */

/* What was cancelled and does not end within this time is cut off: the user waits, or another worker failed */
#define CUT_AFTER_BY_USER_S 5
#define CUT_AFTER_S         30

/* One wish may arrive twice: from the terminal, and from a program that passes signals on */
#define SAME_QUESTION_US G_USEC_PER_SEC

typedef struct {
    const HbEngine *engine;
    char *uri;
    guint64 id;
    gboolean was_there; /* when it was triggered; what is opened later cleans up, and is left alone */
} Entry;

struct HbStop {
    HbSessionWatch watch;
    int pipe[2];
    GMutex lock; /* guards what follows */
    GCond changed;
    gboolean is_set;
    gboolean by_user;
    gboolean is_patient; /* a user's first wish is a question */
    gboolean is_asked;
    gboolean is_handed_on; /* by another program, which goes on with the work */
    gint64 asked_us;       /* when */
    gboolean is_urgent;    /* a user waits, whoever was first */
    gboolean is_ended;
    HbSession *busy;      /* the one that is being cancelled or cut just now, and must not go away; NULL: none */
    GHashTable *sessions; /* HbSession * to Entry * */
    GThread *thread;      /* cancels; NULL until it is triggered */
    GPtrArray *parts;     /* HbStop *; their locks are taken while this one's is held, never the other way round */
    HbStop *whole;        /* NULL: it is no part */
};

static void entry_free(gpointer data)
{
    g_free(((Entry *)data)->uri);
    g_free(data);
}

static void add_session(gpointer data, const HbEngine *engine, HbSession *session, const char *uri)
{
    HbStop *stop = data;
    Entry *entry = g_new0(Entry, 1);

    entry->engine = engine;
    entry->uri = g_strdup(uri);
    entry->id = engine->connector->get_id(session);
    g_mutex_lock(&stop->lock);
    g_hash_table_insert(stop->sessions, session, entry);
    g_mutex_unlock(&stop->lock);
}

static void remove_session(gpointer data, HbSession *session)
{
    HbStop *stop = data;

    g_mutex_lock(&stop->lock);
    while (stop->busy == session)
        g_cond_wait(&stop->changed, &stop->lock);
    g_hash_table_remove(stop->sessions, session);
    g_cond_broadcast(&stop->changed);
    g_mutex_unlock(&stop->lock);
}

HbStop *hb_stop_new(void)
{
    HbStop *stop = g_new0(HbStop, 1);

    g_mutex_init(&stop->lock);
    g_cond_init(&stop->changed);
    stop->sessions = g_hash_table_new_full(NULL, NULL, NULL, entry_free);
    stop->parts = g_ptr_array_new();
    stop->watch = (HbSessionWatch){add_session, remove_session, stop};
    g_assert(pipe(stop->pipe) == 0);
    return stop;
}

static void leave(HbStop *whole, HbStop *part)
{
    g_mutex_lock(&whole->lock);
    g_ptr_array_remove_fast(whole->parts, part);
    g_mutex_unlock(&whole->lock);
}

void hb_stop_free(HbStop *stop)
{
    if (stop == NULL)
        return;
    if (stop->whole != NULL)
        leave(stop->whole, stop);
    g_mutex_lock(&stop->lock);
    stop->is_ended = TRUE;
    g_cond_broadcast(&stop->changed);
    g_mutex_unlock(&stop->lock);
    if (stop->thread != NULL)
        g_thread_join(stop->thread);
    close(stop->pipe[0]);
    close(stop->pipe[1]);
    g_hash_table_unref(stop->sessions);
    g_ptr_array_unref(stop->parts);
    g_cond_clear(&stop->changed);
    g_mutex_clear(&stop->lock);
    g_free(stop);
}

const HbSessionWatch *hb_stop_get_watch(HbStop *stop)
{
    return &stop->watch;
}

static void append_ids(HbStop *stop, const char *uri, GArray *ids)
{
    GHashTableIter iter;
    gpointer entry;

    g_mutex_lock(&stop->lock);
    g_hash_table_iter_init(&iter, stop->sessions);
    while (g_hash_table_iter_next(&iter, NULL, &entry)) {
        if (strcmp(((Entry *)entry)->uri, uri) == 0)
            g_array_append_val(ids, ((Entry *)entry)->id);
    }
    for (guint i = 0; i < stop->parts->len; i++)
        append_ids(stop->parts->pdata[i], uri, ids);
    g_mutex_unlock(&stop->lock);
}

GArray *hb_stop_list_ids(HbStop *stop, const char *uri)
{
    GArray *ids = g_array_new(FALSE, FALSE, sizeof(guint64));

    append_ids(stop->whole != NULL ? stop->whole : stop, uri, ids);
    return ids;
}

int hb_stop_get_fd(HbStop *stop)
{
    return stop->pipe[0];
}

/* ---- The thread that cancels; it holds the lock but for the engines' calls ---- */

static GPtrArray *list_hanging(HbStop *stop)
{
    GPtrArray *list = g_ptr_array_new();
    GHashTableIter iter;
    gpointer session, entry;

    g_hash_table_iter_init(&iter, stop->sessions);
    while (g_hash_table_iter_next(&iter, &session, &entry)) {
        if (((Entry *)entry)->was_there)
            g_ptr_array_add(list, session);
    }
    return list;
}

static void end_each(HbStop *stop, gboolean cut)
{
    g_autoptr(GPtrArray) list = list_hanging(stop);

    for (guint i = 0; i < list->len && !stop->is_ended; i++) {
        const Entry *entry = g_hash_table_lookup(stop->sessions, list->pdata[i]);
        const HbEngine *engine = entry != NULL ? entry->engine : NULL;
        if (engine == NULL)
            continue; /* closed meanwhile */
        stop->busy = list->pdata[i];
        g_mutex_unlock(&stop->lock);
        if (cut)
            engine->connector->cut(list->pdata[i]);
        else
            engine->connector->interrupt(list->pdata[i]);
        g_mutex_lock(&stop->lock);
        stop->busy = NULL;
        g_cond_broadcast(&stop->changed);
    }
}

static gboolean is_any_left(HbStop *stop)
{
    g_autoptr(GPtrArray) list = list_hanging(stop);

    return list->len > 0;
}

/* Until all that hung are closed, or patience is over; a user who comes later has less of it */
static void wait_for_sessions(HbStop *stop, gint64 since)
{
    while (!stop->is_ended && is_any_left(stop)) {
        gint64 until = since + (stop->is_urgent ? CUT_AFTER_BY_USER_S : CUT_AFTER_S) * G_TIME_SPAN_SECOND;
        if (!g_cond_wait_until(&stop->changed, &stop->lock, until) && g_get_monotonic_time() >= until)
            return;
    }
}

static gpointer run_cancelling(gpointer data)
{
    HbStop *stop = data;
    gint64 since = g_get_monotonic_time();

    g_mutex_lock(&stop->lock);
    end_each(stop, FALSE);
    wait_for_sessions(stop, since);
    end_each(stop, TRUE);
    g_mutex_unlock(&stop->lock);
    return NULL;
}

static void note_who_is_there(HbStop *stop)
{
    GHashTableIter iter;
    gpointer entry;

    g_hash_table_iter_init(&iter, stop->sessions);
    while (g_hash_table_iter_next(&iter, NULL, &entry))
        ((Entry *)entry)->was_there = TRUE;
}

static void trigger(HbStop *stop, gboolean by_user)
{
    g_mutex_lock(&stop->lock);
    stop->by_user = stop->by_user || (by_user && !stop->is_set);
    stop->is_urgent = stop->is_urgent || by_user;
    if (!stop->is_set) {
        stop->is_set = TRUE;
        note_who_is_there(stop);
        g_assert(write(stop->pipe[1], "!", 1) == 1);
        stop->thread = g_thread_new("stop", run_cancelling, stop);
    }
    g_cond_broadcast(&stop->changed);
    for (guint i = 0; i < stop->parts->len; i++)
        trigger(stop->parts->pdata[i], by_user);
    g_mutex_unlock(&stop->lock);
}

HbStop *hb_stop_new_part(HbStop *whole)
{
    HbStop *part = hb_stop_new();

    part->whole = whole;
    g_mutex_lock(&whole->lock);
    g_ptr_array_add(whole->parts, part);
    if (whole->is_set)
        trigger(part, whole->by_user);
    g_mutex_unlock(&whole->lock);
    return part;
}

void hb_stop_trigger(HbStop *stop)
{
    trigger(stop, FALSE);
}

static gboolean ask(HbStop *stop)
{
    gboolean is_question;

    g_mutex_lock(&stop->lock);
    is_question = !stop->is_set &&
                  (stop->is_asked ? g_get_monotonic_time() < stop->asked_us + SAME_QUESTION_US : stop->is_patient);
    if (is_question && !stop->is_asked)
        stop->asked_us = g_get_monotonic_time();
    stop->is_asked |= is_question;
    g_mutex_unlock(&stop->lock);
    return is_question;
}

gboolean hb_stop_trigger_by_user(HbStop *stop)
{
    if (ask(stop))
        return FALSE;
    trigger(stop, TRUE);
    return TRUE;
}

void hb_stop_set_patient(HbStop *stop, gboolean is_patient)
{
    g_mutex_lock(&stop->lock);
    stop->is_patient = is_patient;
    g_mutex_unlock(&stop->lock);
}

void hb_stop_ask(HbStop *stop)
{
    g_mutex_lock(&stop->lock);
    if (stop->is_patient && !stop->is_asked) {
        stop->is_asked = stop->is_handed_on = TRUE;
        stop->asked_us = g_get_monotonic_time();
    }
    g_mutex_unlock(&stop->lock);
}

gboolean hb_stop_is_handed_on(HbStop *stop)
{
    gboolean is_handed_on;

    g_mutex_lock(&stop->lock);
    is_handed_on = stop->is_handed_on;
    g_mutex_unlock(&stop->lock);
    return is_handed_on;
}

gboolean hb_stop_is_asked(HbStop *stop)
{
    gboolean is_asked;

    g_mutex_lock(&stop->lock);
    is_asked = stop->is_asked;
    g_mutex_unlock(&stop->lock);
    return is_asked;
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
        const gboolean is_last = i + 1 == G_N_ELEMENTS(waits_ms);
        GError *ours = NULL;
        if (!hb_stop_sleep(stop, waits_ms[i]))
            return hb_stop_set_error(error);
        if (attempt(data, &ours))
            return TRUE;
        if (is_last || hb_error_is(ours, HB_ERROR_BLOCKED)) {
            g_propagate_error(error, ours);
            return FALSE;
        }
        g_clear_error(&ours);
    }
    return FALSE;
}

gboolean hb_stop_set_error(GError **error)
{
    return hb_error_set(error, HB_ERROR_CANCELLED, NULL, "interrupted");
}
