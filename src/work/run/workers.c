/* SPDX-License-Identifier: Apache-2.0 */
#define _GNU_SOURCE /* SCHED_BATCH */
#include "work/run/workers.h"

#include <pthread.h>
#include <sched.h>

typedef struct {
    HbWorker worker;
    GThread *thread;
    GError *error;
} Member;

/* The next of the sessions that are open already; NULL if there is none left */
static HbSession *take_session(const HbWorkers *workers)
{
    return workers->sessions != NULL && workers->sessions->len > 0 ? g_ptr_array_steal_index(workers->sessions, 0)
                                                                   : NULL;
}

static gboolean open_session(HbWorker *worker, GError **error)
{
    const HbWorkers *workers = worker->workers;

    worker->session = workers->engine->connector->open(workers->address, error);
    if (worker->session == NULL)
        return FALSE;
    return workers->enter == NULL || workers->enter(worker, workers->data, error);
}

static void close_session(HbWorker *worker)
{
    if (worker->session == NULL)
        return;
    worker->workers->engine->connector->close(worker->session);
    worker->session = NULL;
}

static gboolean open_anew(gpointer data, GError **error)
{
    HbWorker *worker = data;

    if (open_session(worker, error))
        return TRUE;
    close_session(worker);
    return FALSE;
}

gboolean hb_worker_reopen(HbWorker *worker, GError **error)
{
    close_session(worker);
    worker->lost = TRUE;
    return hb_stop_retry(worker->workers->stop, open_anew, worker, error);
}

/* A connection can break as soon as it is there */
static gboolean begin(HbWorker *worker, GError **error)
{
    g_autoptr(GError) ours = NULL;

    if (worker->session != NULL || open_session(worker, &ours))
        return TRUE;
    if (hb_error_is(ours, HB_ERROR_LOST) && !hb_stop_is_set(worker->workers->stop))
        return hb_worker_reopen(worker, error);
    g_propagate_error(error, g_steal_pointer(&ours));
    return FALSE;
}

/*
 * A server on the same machine sends some kilobytes at a time, and each wakes the worker, which takes the processor
 * from the server. As a batch job it leaves the server there until much has come: a twentieth of the switches, and a
 * tenth of the time. A process that runs under another policy keeps it, and a system that refuses this one changes
 * nothing.
 */
static void wait_as_batch_job(void)
{
    struct sched_param parameters;
    int policy;

    if (pthread_getschedparam(pthread_self(), &policy, &parameters) == 0 && policy == SCHED_OTHER)
        pthread_setschedparam(pthread_self(), SCHED_BATCH, &parameters);
}

static gpointer run_member(gpointer data)
{
    Member *member = data;
    const HbWorkers *workers = member->worker.workers;

    if (workers->are_fed)
        wait_as_batch_job();
    if (!begin(&member->worker, &member->error) || !workers->work(&member->worker, workers->data, &member->error))
        hb_stop_trigger(workers->stop);
    if (!workers->keeps_sessions || member->error != NULL)
        close_session(&member->worker);
    return NULL;
}

/* The cause rather than its echo: an error that is no interruption, if there is one */
static gboolean collect(Member *members, guint count, HbStop *stop, GError **error)
{
    GError *cause = NULL;

    for (guint i = 0; i < count; i++) {
        g_thread_join(members[i].thread);
        if (members[i].error == NULL)
            continue;
        if (cause == NULL || (hb_error_is(cause, HB_ERROR_CANCELLED) && !hb_stop_is_by_user(stop))) {
            g_clear_error(&cause);
            cause = g_steal_pointer(&members[i].error);
        }
        g_clear_error(&members[i].error);
    }
    if (cause == NULL)
        return TRUE;
    if (hb_stop_is_by_user(stop)) {
        g_error_free(cause);
        return hb_stop_set_error(error);
    }
    g_propagate_error(error, cause);
    return FALSE;
}

gboolean hb_workers_run(const HbWorkers *workers, GError **error)
{
    g_autofree Member *members = g_new0(Member, workers->jobs);
    gboolean ok;

    for (guint i = 0; i < workers->jobs; i++) {
        members[i].worker =
            (HbWorker){.number = workers->first_number + i, .session = take_session(workers), .workers = workers};
        members[i].thread = g_thread_new("worker", run_member, &members[i]);
    }
    ok = collect(members, workers->jobs, workers->stop, error);
    for (guint i = 0; i < workers->jobs; i++) {
        if (members[i].worker.session != NULL)
            g_ptr_array_add(workers->sessions, members[i].worker.session);
    }
    return ok;
}

void hb_worker_notify_started(const HbWorker *worker, const HbWorkerTask *task)
{
    hb_observers_notify(worker->workers->observers, &(HbEvent){.type = HB_EVENT_STARTED,
                                                               .worker = worker->number,
                                                               .what = task->what,
                                                               .total = task->cost,
                                                               .path = task->path,
                                                               .next = task->next});
}

void hb_worker_notify_advanced(const HbWorker *worker, guint64 cost, guint64 bytes)
{
    hb_observers_notify(worker->workers->observers,
                        &(HbEvent){.type = HB_EVENT_ADVANCED, .worker = worker->number, .cost = cost, .bytes = bytes});
}

void hb_worker_notify_finished(const HbWorker *worker)
{
    hb_observers_notify(worker->workers->observers, &(HbEvent){.type = HB_EVENT_FINISHED, .worker = worker->number});
}
