/* SPDX-License-Identifier: Apache-2.0 */
/*
 * pass_inner - what the files of a pass share; no other file includes it.
 *
 *     pass           the order of things
 *     pass_compare   by rows: what differs
 *     pass_log       by the source's log
 *     pass_apply     bringing it over
 *     pass_copy      what TO remembers, and what differs beside rows
 *     pass_quiet     what would act upon it, or hold it up, meanwhile
 */
#pragma once

#include "work/freshen/pass.h"
#include "work/source/differing_rows.h"

struct HbPass {
    HbPassOptions options;
    HbSnapshotSourceOptions target_options;
    HbSnapshotSource *source; /* NULL: a dump */
    HbManifest *manifest;     /* the source's; of a dump a copy */
    GHashTable *stored;       /* of a dump: its rows by their sets' identities; NULL of a server */
    HbManifest *without_rows; /* of a dump: the same for the restore, which is not to load them; NULL of a server */
    HbSnapshotSource *target; /* until run(): its catalog stays */
    GError *target_error;     /* while it is read */
    HbCatalog *wanted;        /* the source's catalog by the target's names */
    HbRowSums from, to;
    GPtrArray *tables;          /* HbPassTable * */
    guint compared;             /* tables that were */
    gboolean has_large_objects; /* on both sides: those of either may be more */
    gboolean is_aligned;        /* some were made, or taken away */
    gboolean is_quiet;          /* what would act upon rows is taken off; otherwise the engine keeps it still */
    GPtrArray *off;             /* HbObject *, borrowed from the target's catalog: to be put back */
    GHashTable *not_back;       /* identities, borrowed, of those that could not be, to GError * */
    GHashTable *logged;         /* HbRowSet * of the source that its log tells about; NULL: no log is kept */
    GHashTable *followed;       /* those whose changes are read, to HbRowSet * of the target */
    gboolean follows;           /* the log is read */
    gboolean compares_logged;   /* tables are compared that the log tells about, too */
    gboolean leaves_log;        /* it can be read, by the next pass */
    GPtrArray *unfollowed; /* char *, borrowed: tables that the log tells about, but that differ in their columns */
    HbFollowResult follow;
    HbRowProvider provider;
    HbRestore *restore;
    guint64 rows;
    double seconds; /* that comparing took */
};

/* The rows of one of the source's sets, as its dump has them; NULL of a server */
const HbStoredRows *hb_pass_find_stored(const HbPass *pass, const HbRowSet *from);

/* Nothing of the source is read any more. Fails if its structure has changed meanwhile */
gboolean hb_pass_end_source(HbPass *pass, GError **error);

/* Fills tables from what both sides hold */
gboolean hb_pass_compare(HbPass *pass, GError **error);

/* Is there anything beside rows that follows them: a sequence that is behind, a view to be refreshed? */
gboolean hb_pass_has_followers(const HbPass *pass);

/* ---- By the log ---- */

/* Which tables it tells about, if it is kept. Fails if it cannot be read and must be */
gboolean hb_pass_choose_logged(HbPass *pass, GError **error);
/* TRUE: the changes of this table come from it, in this pass or the next one; FALSE: it is to be compared */
gboolean hb_pass_takes_from_log(HbPass *pass, const HbRowSet *from, const HbRowSet *to);
gboolean hb_pass_follow(HbPass *pass, HbRestoreRun *run, gboolean keeps_up, GError **error);

/* A HbRowProvider's load() */
gboolean hb_pass_apply(gpointer pass, HbRestoreRun *run, GError **error);

/* Before rows are brought, and afterwards, whatever became of them; what is not back then is in pass->not_back */
gboolean hb_pass_quiet(HbPass *pass, HbSession *session, GError **error);
void hb_pass_unquiet(HbPass *pass, HbSession *session);

/* Runs SQL in the target's session, and notes "WHAT IDENTITY" in its journal; done before is as good */
gboolean hb_pass_run_step(const HbPass *pass, HbSession *session, const char *sql, const char *what,
                          const char *identity, GError **error);
