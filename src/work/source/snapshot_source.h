/* SPDX-License-Identifier: Apache-2.0 */
/*
 * snapshot_source - a database as it is at one moment: its catalog in a manifest, and sessions that read its rows.
 *
 *     new: keeper session, what the server says of itself
 *     read: locks, snapshot, readers join -> catalog, survey -> order -> choice      (again, if the structure changes)
 *     ... the rows are read (work/reading) ...
 *     end: was the structure the same all the time?
 *
 * One thread calls these functions. The manifest is owned by the source until it is taken.
 */
#pragma once

#include "dump/manifest.h"
#include "work/run/lookout.h"
#include "work/run/observer.h"
#include "work/run/stop.h"
#include "work/run/throttle.h"

/*
 * A moment that several hosts read. One of them begins it as always, and tells the others, which find and join it.
 * Where the engine cannot be joined after the seal (see engine/source.h), all must join before
 */
typedef struct {
    gboolean joins; /* another host begins it */
    guint hosts;    /* so many at least */
    /* Who begins: they may join from now on; returns when those that must have */
    gboolean (*tell)(gpointer data, const HbSnapshot *snapshot, GError **error);
    /* It was given up, and is begun anew */
    gboolean (*withdraw)(gpointer data, GError **error);
    /* Who joins: waits until there is a moment, and fills the snapshot in; then, when all sessions have joined:
     * HB_ERROR_RETRY if it was given up meanwhile */
    gboolean (*find)(gpointer data, HbSnapshot *snapshot, GError **error);
    gboolean (*check)(gpointer data, GError **error);
    gpointer data;
} HbSharedMoment;

typedef struct {
    const HbEngine *engine;
    HbAddress from;
    guint parts;
    const HbSelection *selection; /* NULL: everything */
    guint for_version;            /* of the servers that the definitions are written for; 0: the source's own */
    const char *for_version_text;
    guint jobs;
    gboolean is_copy;     /* it is the target of a pass: FROM's remarks serve for both */
    gboolean keep_log;    /* have the server keep its log from the moment on; see engine/log.h */
    gboolean name_losses; /* look for values that are more than their text says, and name them */
    gboolean hold_tables; /* keep what no snapshot holds from changing until the end */
    guint lock_wait_ms;
    const HbSharedMoment *shared; /* with other hosts; NULL: it is this one's alone */
    HbThrottle *throttle;         /* how fast it is read; NULL: as fast as can be */
    HbStop *stop;
    HbObservers *observers;
} HbSnapshotSourceOptions;

typedef struct {
    const HbSnapshotSourceOptions *options;
    HbManifest *manifest;
    char *identity; /* of the server's database; see HbServerInfo */
    HbSnapshot snapshot;
    GPtrArray *readers; /* HbSession *: joined, and not yet taken over by a reader */

    /* The kept log stays when the source is freed: somebody remembers it. To be set by who does */
    gboolean leaves_log;

    /* Its own */
    HbSession *keeper;
    HbLookout *lookout;   /* NULL: there are no observers */
    GPtrArray *pulled_in; /* char *: what comes along, because it is needed */
    gboolean again;       /* the structure had to be read another time */
} HbSnapshotSource;

/* Opens the keeper and fills in the manifest's head. options are borrowed until free() */
HbSnapshotSource *hb_snapshot_source_new(const HbSnapshotSourceOptions *options, GError **error);
gboolean hb_snapshot_source_read(HbSnapshotSource *source, GError **error);
/*
 * Gives the manifest another id: "carry 0123456789abcdef " and a random one, in which the digits stand for the source's
 * identity. The target's journal says by that which source an unfinished work came from
 */
void hb_snapshot_source_name_work(HbManifest *manifest, const char *work);
gboolean hb_snapshot_source_is_same_source(const char *one, const char *other); /* ids of that form */

gboolean hb_snapshot_source_end(HbSnapshotSource *source, GError **error);
void hb_snapshot_source_free(HbSnapshotSource *source); /* accepts NULL */

/* Frees the source; NULL of NULL */
HbManifest *hb_snapshot_source_take_manifest(HbSnapshotSource *source);

/* Fills in a manifest's head from what the server of a session says of itself. identity: NULL, or the caller's */
gboolean hb_snapshot_source_describe(const HbSnapshotSourceOptions *options, HbManifest *manifest, HbSession *session,
                                     char **identity, GError **error);
