/* SPDX-License-Identifier: Apache-2.0 */
#include "work/run/database_pool.h"

#include "core/base/error.h"

/*
 * N sessions for many databases: each database gets as many as are left for it, the largest first, so that the end
 * does not wait for one large database with one session. Its observers number the sessions of all databases through;
 * they outlive what still tells them something.
 */

/* A worker's events go to the pool's observers, under the worker's number */
typedef struct {
    HbDatabasePool *pool;
    guint number;
    HbObservers *observers;
} Member;

struct HbDatabasePool {
    guint jobs;
    HbObservers *observers;
    Member *members;
};

typedef struct {
    const HbDatabasePool *pool;
    const guint64 *bytes;
    guint count;
    HbDatabaseTask work;
    gpointer data;
    GMutex lock; /* guards the rest */
    guint next;
    GError *error; /* the first */
} Items;

typedef struct {
    Items *items;
    const Member *member;
    GThread *thread;
} Lane;

/* Side by side, only what adds up is told: work with a total */
static void forward(gpointer data, const HbEvent *event)
{
    const Member *member = data;
    HbEvent copy = *event;

    if (event->type == HB_EVENT_PHASE && event->total == 0)
        return;
    copy.worker = member->number;
    hb_observers_notify(member->pool->observers, &copy);
}

HbDatabasePool *hb_database_pool_new(guint jobs, HbObservers *observers)
{
    HbDatabasePool *pool = g_new0(HbDatabasePool, 1);

    pool->jobs = jobs;
    pool->observers = observers;
    pool->members = g_new0(Member, jobs);
    for (guint i = 0; i < jobs; i++) {
        pool->members[i] = (Member){pool, i, hb_observers_new()};
        hb_observers_add(pool->members[i].observers, forward, &pool->members[i]);
    }
    return pool;
}

void hb_database_pool_free(HbDatabasePool *pool)
{
    if (pool == NULL)
        return;
    for (guint i = 0; i < pool->jobs; i++)
        hb_observers_free(pool->members[i].observers);
    g_free(pool->members);
    g_free(pool);
}

/* The next small item; FALSE if there is none, or one has failed */
static gboolean take(Items *items, guint *item)
{
    gboolean found = FALSE;

    g_mutex_lock(&items->lock);
    while (!found && items->error == NULL && items->next < items->count) {
        *item = items->next++;
        found = items->bytes[*item] < HB_LARGE_DATABASE_BYTES;
    }
    g_mutex_unlock(&items->lock);
    return found;
}

/* The cause rather than its echo in another worker */
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
    const HbDatabaseWorker one = {.jobs = 1, .observers = worker->member->observers};
    GError *error = NULL;
    guint item;

    while (take(worker->items, &item)) {
        if (!worker->items->work(worker->items->data, item, &one, &error)) {
            keep_error(worker->items, error);
            break;
        }
    }
    return NULL;
}

static gboolean run_large(const Items *items, GError **error)
{
    const HbDatabaseWorker all = {.jobs = items->pool->jobs, .observers = items->pool->observers};

    for (guint i = 0; i < items->count; i++) {
        if (items->bytes[i] >= HB_LARGE_DATABASE_BYTES && !items->work(items->data, i, &all, error))
            return FALSE;
    }
    return TRUE;
}

gboolean hb_database_pool_run(HbDatabasePool *pool, const guint64 *bytes, guint count, HbDatabaseTask work,
                              gpointer data, GError **error)
{
    Items items = {.pool = pool, .bytes = bytes, .count = count, .work = work, .data = data};
    g_autofree Lane *lanes = g_new0(Lane, pool->jobs);

    if (!run_large(&items, error))
        return FALSE;
    g_mutex_init(&items.lock);
    for (guint i = 0; i < pool->jobs; i++) {
        lanes[i] = (Lane){.items = &items, .member = &pool->members[i]};
        lanes[i].thread = g_thread_new("lane", run_lane, &lanes[i]);
    }
    for (guint i = 0; i < pool->jobs; i++)
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

gboolean hb_failures_report(HbFailures *failures, GError **error)
{
    if (failures->all == NULL)
        return TRUE;
    g_propagate_error(error, g_steal_pointer(&failures->all));
    return FALSE;
}
