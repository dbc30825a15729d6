/* SPDX-License-Identifier: Apache-2.0 */
/*
 * restore_run - doing it: the steps of a restore are taken from the plan by workers and settled, and the target's
 * journal knows at any time which are done.
 *
 *     claim, journal -> walk: plan -> N workers -> settled     (again from the journal, after a broken connection)
 *                       rows of a provider come between two walks
 *
 * Life: made once the decision is; hb_restore_run_start() once; then as often as wanted hb_restore_run_go_on(). What it
 * is given is borrowed until it is freed. Only the run has locks: everything before it is read by its threads as it is.
 */
#pragma once

#include "work/restore/restore_decision.h"
#include "work/restore/restore_plan.h"
#include "work/restore/restore_result.h"

/* NULL if no plan can be made of the manifest */
HbRestoreRun *hb_restore_run_new(const HbRestoreOptions *options, HbManifest *manifest, const HbRestoreTarget *target,
                                 const HbRestoreDecision *decision, GError **error);
void hb_restore_run_free(HbRestoreRun *run); /* accepts NULL */

/* What there is to do, before it begins and after each walk; borrowed */
const HbRestorePlan *hb_restore_run_get_plan(const HbRestoreRun *run);

/* Fails only if the work could not go on at all, or not begin; the result is filled in any case */
gboolean hb_restore_run_start(HbRestoreRun *run, HbRestoreResult *result, GError **error);

/* Tries again what is not done, rows aside. tentative: what fails is tried once more; others may be told */
gboolean hb_restore_run_go_on(HbRestoreRun *run, gboolean tentative, HbObservers *observers, HbRestoreResult *result,
                              GError **error);

/* The origin says that the target holds the manifest's moment, though there was nothing to do */
gboolean hb_restore_run_renew_origin(HbRestoreRun *run, GError **error);

/* Of several hosts: start() failed, because another one had begun or ended the work since the target was looked at */
gboolean hb_restore_run_looks_again(const HbRestoreRun *run);

/* Is everything done that the server lets us do? */
gboolean hb_restore_run_is_finished(const HbRestoreRun *run);

/* ---- The journal: is a key in it, as far as it was read? Note one; end it ---- */

gboolean hb_restore_run_is_noted(const HbRestoreRun *run, const char *key);
gboolean hb_restore_run_note(HbRestoreRun *run, const char *key, GError **error);
gboolean hb_restore_run_end_journal(HbRestoreRun *run, GError **error);

/*
 * ---- For a provider of rows ----
 *
 * What is to be filled (HbStoredRows *, by their names on the target; the original of each is the manifest's in the
 * options), borrowed; the target as sessions open it. Reading the journal settles it first: what it has then stays,
 * whatever happens to the server. Not from several threads
 */
GPtrArray *hb_restore_run_get_rows(HbRestoreRun *run);
const HbServerInfo *hb_restore_run_get_target(const HbRestoreRun *run);
const HbAddress *hb_restore_run_get_address(const HbRestoreRun *run);
gboolean hb_restore_run_read_journal(HbRestoreRun *run, GError **error);
GPtrArray *hb_restore_run_find_emptied(HbRestoreRun *run); /* of tables that a crash has emptied: HbStoredRows * */

/* A session begins to work on the target. lost: after another one that broke, which is ended on the server */
gboolean hb_restore_run_enter(const HbRestoreRun *run, HbSession *session, gboolean lost, GError **error);

/* These may be called by any thread: a connection to the target broke; did one; a row set cannot be loaded */
void hb_restore_run_note_broken(HbRestoreRun *run);
gboolean hb_restore_run_is_broken(const HbRestoreRun *run);
void hb_restore_run_fail_rows(HbRestoreRun *run, const HbRowSet *set, const GError *cause);

/* TRUE: the rows are in, although the server complained of what it computed from them, which is told once for each row
 * set; clears *error then */
gboolean hb_restore_run_keep_rows(HbRestoreRun *run, const HbRowSet *set, GError **error);

/*
 * All rows of a set are in: makes the keys and indexes of its table that need no other rows, in a session of the
 * caller's, while other rows still come. What fails is made, or told, at the end. By any thread
 */
void hb_restore_run_complete_rows(HbRestoreRun *run, HbSession *session, const HbRowSet *set);
