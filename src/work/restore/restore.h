/* SPDX-License-Identifier: Apache-2.0 */
/*
 * restore - the use case: a dump becomes a database.
 *
 *     what is there    what becomes of it      what is to be done     doing it
 *     restore_target -> restore_decision ----> restore_plan --------> restore_run
 *
 * In two halves, so that the user can be told what will be written, and where, before anything is: open() looks at dump
 * and target and refuses what is not fit; run() writes. A step that fails does not stop the others; those that hang on
 * it are left out. The journal stays in the target until everything is done, so that a later run can go on.
 */
#pragma once

#include "work/restore/restore_run.h"

typedef struct HbRestore HbRestore;

/*
 * Looks at everything without writing anything. What speaks against the restore is a finding, not an error; errors are
 * that the target cannot be looked at, or is no target for this dump at all
 */
HbRestore *hb_restore_open(const HbRestoreOptions *options, GError **error);
void hb_restore_free(HbRestore *restore); /* accepts NULL */

/* What run() will write to; borrowed */
const HbServerInfo *hb_restore_get_target(const HbRestore *restore); /* its database is the one connected to */
const char *hb_restore_get_database(const HbRestore *restore);
gboolean hb_restore_is_new_database(const HbRestore *restore);
gboolean hb_restore_is_carried(const HbRestore *restore); /* its rows come from a provider */
gboolean hb_restore_can_resume(const HbRestore *restore); /* where it breaks off: they do not come out of a stream */
gboolean hb_restore_is_resumed(const HbRestore *restore);
gboolean hb_restore_is_whole_server(const HbRestore *restore);

/*
 * It was to be resumed, but an earlier run has finished it: nothing is unfinished on the target, all objects of the
 * dump are there, and rows in each table that has some in the dump. run() then does nothing
 */
gboolean hb_restore_is_done_before(const HbRestore *restore);

/* What was found: HbFinding *, sorted, borrowed. A blocker that is not accepted forbids run() */
const GPtrArray *hb_restore_get_findings(const HbRestore *restore);
gboolean hb_restore_is_blocked(const HbRestore *restore);
gboolean hb_restore_set_blocked_error(const HbRestore *restore, GError **error); /* HB_ERROR_BLOCKED; returns FALSE */

/* What run() would do, in a stable order that their needs allow. Borrowed */
const HbRestorePlan *hb_restore_get_steps(const HbRestore *restore);

/* What run() does with what is there already; NULL: there is nothing. Borrowed */
const HbTargetCleanup *hb_restore_get_cleanup(const HbRestore *restore);

const HbManifest *hb_restore_get_manifest(const HbRestore *restore); /* as it arrives: adapted to the target */

/* Fails only if the work could not go on at all, or not begin (HB_ERROR_BLOCKED); the result is filled in any case.
 * Once
 */
gboolean hb_restore_run(HbRestore *restore, HbRestoreResult *result, GError **error);

/* Is there an unfinished restore's journal that this one takes the place of? */
gboolean hb_restore_replaces_unfinished(const HbRestore *restore);

/* The target's origin, if it has one, says that it holds the manifest's moment: for who has found nothing to do */
gboolean hb_restore_renew_origin(HbRestore *restore, GError **error);

/* After run() of a tentative restore that is not finished: tries again what is not done, rows aside. Others may be told
 */
gboolean hb_restore_go_on(HbRestore *restore, gboolean tentative, HbObservers *observers, HbRestoreResult *result,
                          GError **error);

/* Is everything done that the server lets us do? After run() */
gboolean hb_restore_is_finished(const HbRestore *restore);

/* For a whole server, whose journal also knows which databases are finished: is the key there? Add it. Close it */
gboolean hb_restore_is_noted(const HbRestore *restore, const char *key);
gboolean hb_restore_note(HbRestore *restore, const char *key, GError **error);
gboolean hb_restore_close_journal(HbRestore *restore, GError **error);
