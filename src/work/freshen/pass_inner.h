/* SPDX-License-Identifier: Apache-2.0 */
/*
 * pass_inner - what the files of a pass share; no other file includes it.
 *
 *     pass           the order of things
 *     pass_compare   by rows: what differs
 *     pass_apply     bringing it over
 */
#pragma once

#include "work/freshen/pass.h"
#include "work/source/differing_rows.h"

struct HbPass {
    HbPassOptions options;
    HbSnapshotSourceOptions target_options;
    HbSnapshotSource *source;
    HbSnapshotSource *target; /* until run(): its catalog stays */
    GError *target_error;     /* while it is read */
    HbCatalog *wanted;        /* the source's catalog by the target's names */
    HbRowSums from, to;
    GPtrArray *tables;    /* HbPassTable * */
    guint compared;       /* tables that were */
    GHashTable *triggers; /* the target's: tables' identities to GPtrArray of HbObject *, borrowed */
    HbRowProvider provider;
    HbRestore *restore;
    guint64 rows;
};

/* Fills tables from what both sides hold */
gboolean hb_pass_compare(HbPass *pass, GError **error);

/* Is there anything beside rows that follows them: a sequence that is behind, a view to be refreshed? */
gboolean hb_pass_has_followers(const HbPass *pass);

/* A HbRowProvider's load() */
gboolean hb_pass_apply(gpointer pass, HbRestoreRun *run, GError **error);
