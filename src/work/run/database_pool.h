/* SPDX-License-Identifier: Apache-2.0 */
/*
 * database_pool - many databases by one pool of sessions: the large ones one after the other, each with all sessions;
 * then the small ones side by side, each with one.
 */
#pragma once

#include "work/run/observer.h"

/* A database from this size on is worth all sessions at once */
#define HB_LARGE_DATABASE_BYTES ((guint64)64 * 1024 * 1024)

typedef struct HbDatabasePool HbDatabasePool;

typedef struct {
    guint jobs;             /* sessions for it */
    HbObservers *observers; /* to tell of it; its workers have numbers of their own. The pool's, as long as it lives */
} HbDatabaseWorker;

/* One piece of work; FALSE ends the others as soon as they have done theirs. Called from several threads */
typedef gboolean (*HbDatabaseTask)(gpointer data, guint item, const HbDatabaseWorker *worker, GError **error);

/*
 * What failed with items whose failure need not end the others. add() takes the failure; TRUE: the others go on. One
 * that they would meet, too (interrupted, no connection, no disk), becomes *error, and FALSE. tell() at the end: FALSE
 * with all that was added, as one error of the first's kind
 */
typedef struct {
    GMutex lock;
    GError *all;
} HbFailures;

void hb_failures_init(HbFailures *failures);
void hb_failures_clear(HbFailures *failures);
gboolean hb_failures_add(HbFailures *failures, GError *failure, GError **error); /* from any thread */
gboolean hb_failures_report(HbFailures *failures, GError **error);

/*
 * jobs: sessions in all. observers are borrowed. What works on after run(), such as a thread that watches a session,
 * must have ended before the pool is freed: it may tell its worker's observers
 */
HbDatabasePool *hb_database_pool_new(guint jobs, HbObservers *observers);
void hb_database_pool_free(HbDatabasePool *pool); /* accepts NULL */

/* bytes: the size of each item. Items are begun in their order, the large ones before the small ones */
gboolean hb_database_pool_run(HbDatabasePool *pool, const guint64 *bytes, guint count, HbDatabaseTask work,
                              gpointer data, GError **error);
