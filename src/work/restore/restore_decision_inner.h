/* SPDX-License-Identifier: Apache-2.0 */
/*
 * restore_decision_inner - what the files of the decision share; no other file includes it.
 *
 *     restore_decision             the way of the manifest, and what speaks against it
 *     restore_decision_conflicts   what the target has already
 *     restore_decision_privileges  what of that belongs to others
 */
#pragma once

#include "work/restore/restore_decision.h"

/* What is decided from, and the decision that is being made */
typedef struct {
    const HbRestoreOptions *options;
    const HbRestoreTarget *target;
    HbManifest *manifest;
    HbRestoreDecision *decision;
    gboolean may_be_done; /* to be resumed, but nothing is unfinished there, and something is there */
} HbDecisionInput;

gboolean hb_decision_is_rows_only(const HbDecisionInput *input);
gboolean hb_decision_requires_empty(const HbDecisionInput *input); /* must the target be empty? */

/* A blocker about the database that cannot be accepted; and the one that what it holds cannot be restored into */
void hb_decision_block(const HbDecisionInput *input, const char *name, const char *what, const char *todo);
void hb_decision_refuse_content(const HbDecisionInput *input, const char *what);

void hb_decision_keep_definitions(const HbDecisionInput *input); /* of tables, before they leave the catalog */

/* Decides what becomes of what the target has, or reads what was decided; takes out of the manifest what stays there */
gboolean hb_decision_meet_target(const HbDecisionInput *input, GError **error);

/* Who owns what is there, as it was read: identities, borrowed, to names; the caller's */
GHashTable *hb_decision_index_owners(const HbCatalog *there);

/* What of that the session's user may not change becomes a finding */
gboolean hb_decision_check_privileges(const HbDecisionInput *input, HbSession *session,
                                      const HbConflictInput *conflicts, GHashTable *owners, GError **error);
