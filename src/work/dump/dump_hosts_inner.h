/* SPDX-License-Identifier: Apache-2.0 */
/*
 * dump_hosts_inner - the hosts on one dump: dump_hosts.c lets them meet, dump_hosts_moment.c agrees on the moment and
 * the plan, dump_hosts_groups.c shares the groups; no other file includes it.
 */
#pragma once

#include "dump/object_access.h"
#include "dump/shared_folder.h"
#include "work/dump/dump_hosts.h"

struct HbDumpHosts {
    HbDumpHostsOptions options;
    HbSession *session; /* has the locks that say who is there; the watching thread's while that runs */
    char *name;         /* on which the first host has a lock */
    char *label;        /* of this host, for people */
    char tag[7];
    gboolean joins;
    guint number; /* of a host that joins, from 1 */
    HbSharedMoment moment;

    HbWriter *writer; /* borrowed */
    HbFolder *folder; /* the writer's */
    char *place;      /* of who joins: where the first one writes */
    char *dump_id;
    char *moment_name; /* on which the first host has a lock while its moment can be joined */
    char *plan_name;   /* likewise, until all groups are collected */

    GMutex lock;        /* guards what follows */
    GHashTable *known;  /* numbers of groups that are published, plus 1 */
    GHashTable *others; /* labels of other hosts that have published any */
    HbDumpShare own;
    HbGroupBoard *board; /* while it watches */
    GThread *watcher;
    GCond ended;
    gboolean is_ended;
};

#define HB_HOSTS_LOOK_MS     20 /* for a moment: others are held up meanwhile */
#define HB_HOSTS_LOOK_FAR_MS 200

/* Locks on names in the hosts' own session, and notes; the texts that make names are the caller's */
char *hb_dump_hosts_make_note_name(const char *what, const char *text);
gboolean hb_dump_hosts_lock(const HbDumpHosts *hosts, const char *name, gboolean *taken, GError **error);
gboolean hb_dump_hosts_is_locked(const HbDumpHosts *hosts, const char *name, gboolean *locked, GError **error);
void hb_dump_hosts_unlock(const HbDumpHosts *hosts, char **name); /* and frees it; accepts NULL in it */

/* HB_ERROR_CANCELLED */
gboolean hb_dump_hosts_sleep(const HbDumpHosts *hosts, guint milliseconds, GError **error);

/* The dump has its name before the first host's lock ends. HB_ERROR_ALREADY_DONE: it has it by now; HB_ERROR_BLOCKED:
 * there is none */
gboolean hb_dump_hosts_check_first(const HbDumpHosts *hosts, GError **error);

/* Waits until all hosts but the first have a lock on what make() calls them. *count: so many have in time */
gboolean hb_dump_hosts_await_others(const HbDumpHosts *hosts, char *(*make)(const HbDumpHosts *, guint), guint seconds,
                                    guint *count, GError **error);

/* What the hosts' moment calls them */
HbSharedMoment hb_dump_hosts_make_moment(HbDumpHosts *hosts);
