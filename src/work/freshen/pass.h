/* SPDX-License-Identifier: Apache-2.0 */
/*
 * pass - the use case: a copy is brought up to date by comparing. Afterwards the target holds what the source held at a
 * moment after the pass began.
 *
 *     source:   snapshot, catalog ----\                      rows that came or changed
 *                                      by_rows: what differs ------\
 *     target:   snapshot, catalog ----/                             \
 *     restore:                  what is missing -> structure -> apply -> keys, indexes, triggers -> sequences,
 * refreshes
 *
 * In two halves, like a restore: open() reads both sides and writes nothing; run() writes. A pass needs no note of how
 * far it came: whatever breaks it off, the next one compares again, and brings what is left.
 */
#pragma once

#include "core/rows/row_difference.h"
#include "work/follow/follow.h"
#include "work/origin/origin.h"
#include "work/restore/restore.h"
#include "work/source/snapshot_source.h"
#include "work/verify/verify.h"

typedef struct HbPass HbPass;

/* How changes are found: by the log what it can tell, and by comparing the rest, or everything; all by comparing; or
 * not at all, where there is no log */
typedef enum { HB_PASS_BY_AUTO, HB_PASS_BY_ROWS, HB_PASS_BY_LOG } HbPassBy;

/* Borrowed until the pass is freed */
typedef struct {
    HbSnapshotSourceOptions from; /* where FROM is a dump: parts, selection and jobs; the rest is for servers */
    const HbReader *dump;         /* FROM is a dump of one database; NULL: a server's */
    HbRestoreOptions to;          /* what is to be restored, and how rows come, is the pass's own */
    HbPassBy by;
    gboolean keeps_up; /* goes on with the log until it is asked to end; see HbFollowOptions */
    double until_lag_s;
    const HbOrigin *origin; /* what TO remembers, whose choice and names the options have; NULL: nothing */
} HbPassOptions;

/* A table whose rows differ */
typedef struct {
    char *table;                  /* as the target calls it */
    const HbRowSet *from, *to;    /* to: NULL, the table is not there yet */
    guint64 counts[HB_ROW_FATES]; /* to be inserted, deleted, updated: of rows that are missing, extra, changed */
    gboolean all_anew;            /* all rows go, and all come: they have no short key, or too many differ */
    guint64 bytes;                /* that come, estimated */
    char *refusal;                /* why its rows are left as they are; NULL: they are brought */
    GError *failure;              /* why they were not brought; NULL: they were, or it is the restore that tells */
    gboolean is_done;             /* set by run() */
    GArray *coming, *going;       /* HbSketchedRow; NULL: all */
} HbPassTable;

/* The options become what TO remembers of its choice and names; origin outlives them. HB_ERROR_USAGE: they say
 * otherwise
 */
gboolean hb_pass_adopt_origin(HbPassOptions *options, const HbOrigin *origin, GError **error);

/* Looks at both sides. Fails if one cannot be read, or TO can be no copy of FROM */
HbPass *hb_pass_open(const HbPassOptions *options, GError **error);
void hb_pass_free(HbPass *pass); /* accepts NULL */

const GPtrArray *hb_pass_get_tables(const HbPass *pass);  /* HbPassTable *, the largest work first */
const HbRestore *hb_pass_get_restore(const HbPass *pass); /* what of the structure is missing, and stands in the way */
const HbManifest *hb_pass_get_source(const HbPass *pass); /* the moment that the target will hold */
const HbManifest *hb_pass_get_copy(const HbPass *pass);   /* TO's catalog before the pass; NULL: its large
                                                           * objects have changed since */
const HbOrigin *hb_pass_get_origin(const HbPass *pass);   /* that TO had; NULL: none */
guint64 hb_pass_count_compared(const HbPass *pass);       /* rows of the source */
guint hb_pass_count_compared_tables(const HbPass *pass);
guint hb_pass_count_missing(const HbPass *pass); /* objects of the source that the target has not */
gboolean hb_pass_is_blocked(const HbPass *pass);

/* Of a pass that has run: what came from the log; NULL: it was not read */
const HbFollowResult *hb_pass_get_follow(const HbPass *pass);
guint hb_pass_count_followed(const HbPass *pass); /* tables */
/* It compared what was not aligned with the log: to read that is for the next one */
gboolean hb_pass_leaves_log(const HbPass *pass);

/* Adds the tables (char *, owned) whose rows this pass brought, and, of those that it follows, those that are called so
 * in TO (changed: char *), as each side calls them */
void hb_pass_list_changed(const HbPass *pass, const GPtrArray *changed, GHashTable *from, GHashTable *to);

/* After run(): does FROM's log tell of rows that came after what this pass has brought? *table: the first of the tables
 * that it follows in which any did, the caller's; NULL: none, or the log is not read */
gboolean hb_pass_find_unread(const HbPass *pass, char **table, GError **error);

/* How long it took to compare, and, guessed from what a small machine does, how long bringing it over will */
double hb_pass_get_seconds_compared(const HbPass *pass);
double hb_pass_guess_seconds(const HbPass *pass);

/* As hb_restore_run(). Once */
gboolean hb_pass_run(HbPass *pass, HbRestoreResult *result, GError **error);

/* After run(): what differs and is not rows, which a pass does not change. rest: cleared by the caller, also on failure
 */
gboolean hb_pass_compare_rest(const HbPass *pass, const HbRestoreResult *result, HbVerification *rest, GError **error);
