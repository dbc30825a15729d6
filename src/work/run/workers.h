/* SPDX-License-Identifier: Apache-2.0 */
/*
 * workers - several workers, each a thread with a session of its own, doing one piece of work together.
 *
 * The workers opens the sessions, runs the work in all of them, and ends when all have ended. The first error of a
 * worker stops the others. A worker whose connection broke may open it again with hb_worker_reopen() and go on.
 */
#pragma once

#include "work/run/observer.h"
#include "work/run/stop.h"

typedef struct {
    guint number;
    HbSession *session;
    gboolean lost; /* its session is not the first: another one broke */
    const struct HbWorkers *workers;
} HbWorker;

typedef struct HbWorkers {
    const HbEngine *engine;
    const HbAddress *address;
    guint jobs;
    guint first_number; /* of the workers, where two workers work side by side */
    HbStop *stop;
    HbObservers *observers;
    GPtrArray *sessions;     /* HbSession *, entered already, for the first workers, who take them over; NULL: none */
    gboolean keeps_sessions; /* they are in sessions again at the end, those of all workers that did not fail */
    gboolean are_fed;        /* their sessions send them much, which they have only to take */
    gboolean (*enter)(HbWorker *worker, gpointer data, GError **error); /* after each opening; NULL: nothing to do */
    gboolean (*work)(HbWorker *worker, gpointer data, GError **error);  /* takes its jobs until there are none */
    gpointer data;
} HbWorkers;

gboolean hb_workers_run(const HbWorkers *workers, GError **error);

/* After HB_ERROR_LOST. Tries for a while */
gboolean hb_worker_reopen(HbWorker *worker, GError **error);

/* Events in a worker's name */
typedef struct {
    const char *what;
    guint64 cost;     /* if it is told bit by bit how far it is; 0: it is not */
    guint64 path;     /* see HbEvent */
    const char *next; /* likewise */
} HbWorkerTask;

void hb_worker_notify_started(const HbWorker *worker, const HbWorkerTask *task);
void hb_worker_notify_advanced(const HbWorker *worker, guint64 cost, guint64 bytes);
void hb_worker_notify_finished(const HbWorker *worker);
