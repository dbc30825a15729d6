/* SPDX-License-Identifier: Apache-2.0 */
/*
 * pass_inner - what the files of a pass share; no other file includes it.
 *
 *     pass           the order of things
 *     pass_compare   by rows: what differs
 *     pass_apply     bringing it over
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

/* A HbRowProvider's load() */
gboolean hb_pass_apply(gpointer pass, HbRestoreRun *run, GError **error);

/* Before rows are brought, and afterwards, whatever became of them; what is not back then is in pass->not_back */
gboolean hb_pass_quiet(HbPass *pass, HbSession *session, GError **error);
void hb_pass_unquiet(HbPass *pass, HbSession *session);

/* Runs SQL in the target's session, and notes "WHAT IDENTITY" in its journal; done before is as good */
gboolean hb_pass_run_step(const HbPass *pass, HbSession *session, const char *sql, const char *what,
                          const char *identity, GError **error);
