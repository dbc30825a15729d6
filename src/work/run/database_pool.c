/* SPDX-License-Identifier: Apache-2.0 */
#include "work/run/database_pool.h"

#include "core/base/error.h"

typedef struct {
    const guint64 *bytes;
    guint count;
    HbDatabaseTask work;
    gpointer data;
    HbObservers *observers;
    GMutex lock; /* guards the rest */
    guint next;
    GError *error; /* the first */
} Items;

typedef struct {
    Items *items;
    guint number;
    GThread *thread;
} Lane;

/* Side by side, only what adds up is told: work with a total, under the lane's own number */
static void forward(gpointer data, const HbEvent *event)
{
    const Lane *worker = data;
    HbEvent copy = *event;

    if (event->type == HB_EVENT_PHASE && event->total == 0)
        return;
    copy.worker = worker->number;
    hb_observers_tell(worker->items->observers, &copy);
}

/* The next small item; FALSE if there is none, or one has failed */
static gboolean take(Items *items, guint *item)
{
    gboolean found = FALSE;

    g_mutex_lock(&items->lock);
    while (!found && items->error == NULL && items->next < items->count) {
        *item = items->next++;
        found = items->bytes[*item] < HB_LANES_LARGE_BYTES;
    }
    g_mutex_unlock(&items->lock);
    return found;
}

/* The cause rather than its echo in another lane */
static void keep_error(Items *items, GError *error)
{
    g_mutex_lock(&items->lock);
    if (items->error == NULL || hb_error_is(items->error, HB_ERROR_CANCELLED)) {
        g_clear_error(&items->error);
        items->error = error;
    } else {
        g_error_free(error);
    }
    g_mutex_unlock(&items->lock);
}

static gpointer run_lane(gpointer data)
{
    Lane *worker = data;
    HbObservers *observers = hb_observers_new();
    const HbDatabaseWorker one = {.jobs = 1, .observers = observers};
    GError *error = NULL;
    guint item;

    hb_observers_add(observers, forward, worker);
    while (take(worker->items, &item)) {
        if (!worker->items->work(worker->items->data, item, &one, &error)) {
            keep_error(worker->items, error);
            break;
        }
    }
    hb_observers_free(observers);
    return NULL;
}

static gboolean run_large(const Items *items, guint jobs, GError **error)
{
    const HbDatabaseWorker all = {.jobs = jobs, .observers = items->observers};

    for (guint i = 0; i < items->count; i++) {
        if (items->bytes[i] >= HB_LANES_LARGE_BYTES && !items->work(items->data, i, &all, error))
            return FALSE;
    }
    return TRUE;
}

gboolean hb_database_pool_run(const guint64 *bytes, guint count, guint jobs, HbObservers *observers,
                              HbDatabaseTask work, gpointer data, GError **error)
{
    Items items = {.bytes = bytes, .count = count, .work = work, .data = data, .observers = observers};
    g_autofree Lane *lanes = g_new0(Lane, jobs);

    if (!run_large(&items, jobs, error))
        return FALSE;
    g_mutex_init(&items.lock);
    for (guint i = 0; i < jobs; i++) {
        lanes[i] = (Lane){.items = &items, .number = i};
        lanes[i].thread = g_thread_new("lane", run_lane, &lanes[i]);
    }
    for (guint i = 0; i < jobs; i++)
        g_thread_join(lanes[i].thread);
    g_mutex_clear(&items.lock);
    if (items.error == NULL)
        return TRUE;
    g_propagate_error(error, items.error);
    return FALSE;
}

/* ---- Failures that end nothing else ---- */

void hb_failures_init(HbFailures *failures)
{
    g_mutex_init(&failures->lock);
    failures->all = NULL;
}

void hb_failures_clear(HbFailures *failures)
{
    g_clear_error(&failures->all);
    g_mutex_clear(&failures->lock);
}

static gboolean ends_all(const GError *failure)
{
    return hb_error_is(failure, HB_ERROR_CANCELLED) || hb_error_is(failure, HB_ERROR_CONNECT) ||
           hb_error_is(failure, HB_ERROR_LOST) || hb_error_is(failure, HB_ERROR_FILE);
}

gboolean hb_failures_add(HbFailures *failures, GError *failure, GError **error)
{
    if (ends_all(failure)) {
        g_propagate_error(error, failure);
        return FALSE;
    }
    g_mutex_lock(&failures->lock);
    if (failures->all == NULL) {
        failures->all = failure;
    } else {
        g_prefix_error(&failures->all, "%s; ", failure->message);
        g_error_free(failure);
    }
    g_mutex_unlock(&failures->lock);
    return TRUE;
}

gboolean hb_failures_tell(HbFailures *failures, GError **error)
{
    if (failures->all == NULL)
        return TRUE;
    g_propagate_error(error, g_steal_pointer(&failures->all));
    return FALSE;
}
