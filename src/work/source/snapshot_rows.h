/* SPDX-License-Identifier: Apache-2.0 */
/*
 * snapshot_rows - the rows of many tables out of one snapshot, by several sessions at once.
 *
 * Large tables are split into ranges, so that one huge table keeps all workers busy; the largest pieces go first. What
 * becomes of the rows is a consumer's business: dump packs them into chunks, verify only sums them up.
 */
#pragma once

#include "work/run/throttle.h"
#include "work/source/piece_groups.h"

/* What a worker does with rows; each worker has a context of its own. A piece is ended once for each beginning */
typedef struct {
    gpointer (*open)(gpointer data);
    void (*close)(gpointer context);
    void (*begin)(gpointer context, const HbRowSet *set, guint64 first);
    HbRowSink take;                                                   /* its data is the context */
    gboolean (*end)(gpointer context, gboolean good, GError **error); /* !good: the rows of this piece do not count */
    gpointer data;
    /* Before anything is read: into how many pieces a set was cut. NULL: not wanted */
    void (*cut)(gpointer data, const HbRowSet *set, guint pieces);
} HbRowConsumer;

typedef struct {
    const HbEngine *engine;
    const HbAddress *address;
    const HbSnapshot *snapshot;
    const GPtrArray *sets;   /* const HbRowSet * */
    GPtrArray *sessions;     /* HbSession *: joined already, for the first workers; NULL: none */
    gboolean keeps_sessions; /* they are in sessions again at the end; see HbWorkers */
    guint jobs;
    guint first_worker;   /* number of the first; see HbWorkers */
    HbThrottle *throttle; /* NULL: as fast as can be */
    HbStop *stop;
    HbObservers *observers;
    const char *phase; /* "reading rows" */
    const HbRowConsumer *consumer;
    HbGroupBoard *board; /* of a reading that is shared with other hosts; NULL: this one reads all */
} HbSnapshotRows;

/*
 * Sessions that read one snapshot. They are opened before it begins and join it as soon as it is there: while they
 * join, its keeper holds others up, and somebody who asks for a lock then is in their way
 */
typedef struct {
    const HbEngine *engine;
    const HbAddress *address;
    HbSnapshot *snapshot; /* when they join: begun; its sessions may be fewer than jobs */
    guint jobs;
    HbStop *stop;
} HbSnapshotSessions;

/* Fills sessions up to jobs; all are known to the stop */
gboolean hb_snapshot_sessions_open(const HbSnapshotSessions *readers, GPtrArray *sessions, GError **error);
/* All that the snapshot has room for; the others are closed. Then the keeper seals it */
gboolean hb_snapshot_sessions_join(const HbSnapshotSessions *readers, GPtrArray *sessions, GError **error);
void hb_snapshot_sessions_close(const HbEngine *engine, GPtrArray *sessions);

/* The pieces of all sets, for so many hosts, in groups; see work/source/piece_groups.h. NULL on error; the caller's */
GArray *hb_snapshot_rows_cut(const HbSnapshotRows *reading, guint hosts, GError **error);

/* The sessions that run() takes from reading->sessions are its own from then on */
gboolean hb_snapshot_rows_read(const HbSnapshotRows *reading, GError **error);
