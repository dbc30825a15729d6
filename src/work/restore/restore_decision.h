/* SPDX-License-Identifier: Apache-2.0 */
/*
 * restore_decision - what becomes of a manifest on its way to a target, and of what the target has; and everything that
 * speaks against it.
 *
 *     manifest (a copy) -> parts, selection, wishes, new names -> preflight -> fitted to the target's version
 *                       -> minus what stays, plus what is put back (target_cleanup)
 *
 * Life: hb_restore_decision_make() fills it and changes the manifest; both are only read from then on. Nothing is
 * written: a decision about what the target has is noted in the journal when the run begins, and a run that goes on
 * reads it from there.
 */
#pragma once

#include "work/restore/restore_target.h"
#include "work/restore/target_cleanup.h"

/* The journal's key of what was decided about what the target has already */
#define HB_RESTORE_DECISION "existing"

typedef struct {
    GPtrArray *findings;          /* HbFinding *, sorted */
    GPtrArray *pulled_in;         /* char *: what comes along, because it is needed */
    GHashTable *definitions;      /* of tables, where only rows are restored: identity to SQL; NULL: not known */
    HbTargetCleanup *cleanup;     /* NULL: the target's database is new, or empty */
    guint absent;                 /* how many of the catalog's omissions are the dump's own */
    gboolean is_resumed;          /* the target holds an unfinished restore of this dump, which goes on */
    gboolean is_done;             /* it was to be resumed, but everything is there already */
    gboolean replaces_unfinished; /* what another restore left unfinished is given up, its journal too */
} HbRestoreDecision;

/* Fails if the target cannot be looked at, or the options ask for what cannot be. To be cleared in any case */
gboolean hb_restore_decision_make(HbRestoreDecision *decision, const HbRestoreOptions *options,
                                  const HbRestoreTarget *target, HbManifest *manifest, GError **error);
void hb_restore_decision_clear(HbRestoreDecision *decision);

/* Notes it in the journal of the target, so that a later run can go on from it */
gboolean hb_restore_decision_note(const HbRestoreDecision *decision, const HbRestoreOptions *options,
                                  const HbManifest *manifest, HbSession *session, GError **error);
