/* SPDX-License-Identifier: Apache-2.0 */
/*
 * dump_hosts - several hosts on one dump: equal processes, which know of each other by locks on names at the source,
 * and by notes in the unfinished dump.
 *
 *     meet:    the first to lock the dump's name begins it; each other one takes a number
 *     moment:  who begins the snapshot leaves the note "moment", the others find it and join the snapshot
 *     plan:    likewise the note "plan": the pieces of all row sets, in groups
 *     groups:  each is taken by a lock of the session that reads it, and is done when the note "group-N" is there,
 *              which names the chunks that were written
 *     end:     who began waits until all groups are done, takes over the chunks, and finishes the dump
 *
 * A host that is killed loses its locks with its sessions, and others read what it had begun. If that happens to the
 * one that began, there is no dump: the others say so.
 *
 * The notes "moment" and "plan" hold what becomes a part of SQL. Anybody who may write into the folder could change
 * them, so they are believed only while the source has a lock on the name that their SHA-256 gives: only a role of the
 * source can have that.
 */
#pragma once

#include "dump/writer.h"
#include "work/dump/dump_notes.h"
#include "work/source/snapshot_source.h"

#define HB_DUMP_HOSTS_MAX 255

typedef struct HbDumpHosts HbDumpHosts;

typedef struct {
    const HbEngine *engine;
    const HbAddress *from;
    const char *path; /* of the dump: the hosts need not have the same folder, but the last part is one name */
    guint hosts;      /* so many work on it, and none begins without the others; 0: they come and go */
    HbStop *stop;
    HbObservers *observers;
} HbDumpHostsOptions;

/* Finds out who begins. HB_ERROR_BLOCKED: there are as many as there may be; HB_ERROR_FILE: the dump exists */
HbDumpHosts *hb_dump_hosts_meet(const HbDumpHostsOptions *options, GError **error);
void hb_dump_hosts_free(HbDumpHosts *hosts); /* accepts NULL */

gboolean hb_dump_hosts_joins(const HbDumpHosts *hosts); /* another host has begun it */
const HbSharedMoment *hb_dump_hosts_get_moment(HbDumpHosts *hosts);
const char *hb_dump_hosts_get_tag(const HbDumpHosts *hosts); /* for the names of this host's files */

/*
 * Where all write. Who begins gives its writer before the moment, and names the dump; the others give theirs after the
 * moment, for which they learn the place (see hb_writer_join()). Borrowed; NULL: it is gone
 */
void hb_dump_hosts_set_writer(HbDumpHosts *hosts, HbWriter *writer, const char *dump_id);
const char *hb_dump_hosts_get_place(const HbDumpHosts *hosts);

/* Who begins waits for the others, if their number is given. HB_ERROR_BLOCKED */
gboolean hb_dump_hosts_gather(HbDumpHosts *hosts, GError **error);

/* The pieces of the manifest's row sets: who begins tells the others. find: HB_ERROR_RETRY if the moment was given up
 * and is begun anew; the caller's */
gboolean hb_dump_hosts_tell_plan(HbDumpHosts *hosts, const HbManifest *manifest, const GArray *pieces, GError **error);
GArray *hb_dump_hosts_find_plan(HbDumpHosts *hosts, const HbManifest *manifest, GError **error);

/* For HbSharedReading, from any thread. publish: another host may have published it before; then our chunks go */
gboolean hb_dump_hosts_take(HbDumpHosts *hosts, HbSession *session, guint group, HbGroupState *state, GError **error);
gboolean hb_dump_hosts_publish(HbDumpHosts *hosts, HbSession *session, const HbGroupNote *note, guint group,
                               GError **error);
HbGroupNote *hb_dump_hosts_new_note(const HbDumpHosts *hosts);

/* Follows what the other hosts do, in a thread of its own: progress on the board, and an event for each host */
void hb_dump_hosts_watch(HbDumpHosts *hosts, HbGroupBoard *board);
void hb_dump_hosts_unwatch(HbDumpHosts *hosts);

/* Who began, when all groups are done: gives the manifest the chunks of all, and the dump their files */
gboolean hb_dump_hosts_collect(HbDumpHosts *hosts, HbManifest *manifest, guint groups, GError **error);
/* After a failure, before the writer is discarded: what others have written goes, too */
void hb_dump_hosts_give_up(HbDumpHosts *hosts);

/* Who joined: waits until the host that began ends. Always FALSE: HB_ERROR_ALREADY_DONE if the dump has its name then,
 * which also the functions above say in that case; HB_ERROR_BLOCKED if there is none */
gboolean hb_dump_hosts_await_end(HbDumpHosts *hosts, GError **error);

typedef struct {
    guint hosts;  /* that wrote something, as far as is known; this one counted */
    guint groups; /* of this host */
    guint64 bytes;
} HbDumpShare;
HbDumpShare hb_dump_hosts_get_share(HbDumpHosts *hosts);
