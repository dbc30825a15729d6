/* SPDX-License-Identifier: Apache-2.0 */
/*
 * restore_inner - what the files of a restore share; no other file includes it.
 *
 *     restore             opens, runs, begins and ends the journal
 *     restore_target      what is there: HbRestoreTarget
 *     restore_decision    what becomes of it: HbRestoreDecision
 *     restore_privileges  what of that belongs to others
 *     restore_plan        what is to be done: HbRestorePlan
 *     restore_walk        workers take steps from the plan and settle them: HbRestoreRun
 *     restore_step        carries one step out
 *     restore_index_ahead keys and indexes while other rows still come
 *     restore_unlogged    tables that a crash of the server empties
 *     restore_roles       users that exist already; passwords for those that bring none
 *     restore_result      counts what was done, lists what was not
 *
 * A restore goes one way: target, decision and plan are made while it is opened, and only read afterwards; the plan is
 * made anew from the journal after a broken connection, when no worker runs. Only the run has locks.
 */
#pragma once

#include "work/restore/claim.h"
#include "work/restore/restore.h"
#include "work/restore/restore_plan.h"
#include "work/restore/restore_roles.h"
#include "work/run/workers.h"

/* Attempts at a step that fails for a passing reason */
#define ATTEMPTS 6

/* The journal's note on a role that was there before us */
#define NOTE_KEPT "kept"

/* The journal's key of what was decided about what the target has already */
#define HB_RESTORE_DECISION "existing"

/* What is there. Valid after hb_restore_inspect_target() */
typedef struct {
    HbAddress address; /* options.to with the database filled in */
    char *database;
    HbServerInfo info;
    gboolean exists;      /* the database does */
    gboolean is_ours;     /* it holds an unfinished restore of this dump, which is to be resumed */
    gboolean may_be_done; /* to be resumed, but nothing is unfinished there, and something is there */
    gboolean is_done;     /* indeed: everything is there. Valid after hb_restore_decide() */
} HbRestoreTarget;

/* What becomes of it, and what speaks against that. Valid after hb_restore_adapt() */
typedef struct {
    GPtrArray *findings;
    HbTargetCleanup *cleanup;     /* NULL: the target's database is new, or empty */
    gboolean replaces_unfinished; /* what another restore left unfinished is given up, its journal too */
    GPtrArray *pulled_in;         /* char *: what comes along, because it is needed */
    GHashTable *definitions;      /* of tables, where only rows are restored: identity to SQL; NULL: not known */
    guint absent;                 /* how many of the catalog's omissions are the dump's own */
} HbRestoreDecision;

/* What is to be done. Valid once the restore is open; steps are made anew before each walk */
typedef struct {
    HbRestorePlan *steps;
    gboolean before_rows;      /* they are only those that must be done before rows that come from a provider */
    HbRestorePlan *after_rows; /* what follows these; NULL: none come */
    GHashTable *ahead;         /* of that, what may be made as soon as its table's rows are in: tables to HbStep * */
} HbRestorePlans;

/* Doing it. Valid from hb_restore_run() on */
typedef struct {
    HbClaim *claim;
    HbRestoreResult *result;
    const char *note;    /* a key to write into the journal */
    GHashTable *journal; /* steps that are finished as far as the target knows: key to note; workers only read it */
    GHashTable *done_earlier; /* those that the run which we resume had finished; NULL without one */
    GHashTable *failed_rows;  /* identities of row sets that a provider could not load, to messages */
    gboolean rows_came;       /* those of a dump, or all of a provider */
    gboolean is_finished;
    gint broken;       /* atomic: a connection broke, and perhaps the server did */
    int password_file; /* -1: none */

    /* Held while a session changes rights and memberships, which two sessions cannot do at once; no other code waits
     * for it */
    GMutex privileges;
    GHashTable *joined; /* keys of steps that made us members of owners; to SQL that ends it, NULL: refused */

    GMutex lock;                 /* guards the fields below, the plan's states, and the result's exceptions */
    GCond settled;               /* a step was settled */
    GPtrArray *role_differences; /* HbDifference *: of users that exist already; NULL: not looked at */
    GHashTable *kept;            /* identities of roles that were there before us */
    GError *lost;                /* a connection broke: no worker begins another step */
} HbRestoreRun;

struct HbRestore {
    HbRestoreOptions options;
    HbManifest *manifest; /* a copy of that in the options, adapted to the target */
    HbRestoreTarget target;
    HbRestoreDecision decision;
    HbRestorePlans plan;
    HbRestoreRun run;
};

/* restore_result: what was done, and what was not. Before and after the walk */
GPtrArray *hb_restore_new_exceptions(void);
void hb_restore_list_changes(HbRestore *restore);  /* that fitting the target takes */
void hb_restore_list_left_out(HbRestore *restore); /* because of other steps */
guint hb_restore_count_exceptions(const HbRestoreResult *result, HbOutcome outcome);
void hb_restore_count_steps(const HbRestore *restore, HbRestoreResult *result);

/* With the lock held, or before and after the walk */
/* Borrowed from the result */
HbException *hb_restore_add_exception(HbRestore *restore, HbOutcome outcome, const char *what, const char *message,
                                      const char *hint);

/* Acts in a session of its own, beside the workers */
gboolean hb_restore_with_session(HbRestore *restore, gboolean (*act)(HbRestore *, HbSession *, GError **),
                                 GError **error);

/* restore_walk: until no step is left, or a connection breaks: then restore->run.lost says why */
gboolean hb_restore_walk(HbRestore *restore, GError **error);

/* restore_step */
gboolean hb_restore_run_step(HbRestore *restore, HbWorker *worker, const HbStep *step, GError **error);
/* What a role with the rights can run, without secrets; the caller's */
char *hb_restore_hint_statement(const HbDialect *dialect, const char *sql);

/* restore_target: before anything is written, in this order */
void hb_restore_pick_database(HbRestore *restore);
gboolean hb_restore_check_dump(const HbRestore *restore, GError **error);
gboolean hb_restore_inspect_target(HbRestore *restore, GError **error);
gboolean hb_restore_adapt(HbRestore *restore, GError **error);

/* restore_decision */
gboolean hb_restore_is_rows_only(const HbRestore *restore);
gboolean hb_restore_requires_empty(const HbRestore *restore); /* must the target be empty? */
void hb_restore_keep_definitions(HbRestore *restore);         /* of tables, before they are taken out of the catalog */
gboolean hb_restore_decide(HbRestore *restore, GError **error); /* decides, or reads the decision; applies it */
/* restore_privileges: what is there may belong to other roles. owners: of all that is there, as it was read */
GHashTable *hb_restore_index_owners(const HbCatalog *there); /* identities, borrowed, to names */
gboolean hb_restore_read_privileges(HbRestore *restore, HbSession *session, const HbConflictInput *input,
                                    GHashTable *owners, GError **error);

gboolean hb_restore_note_decision(HbRestore *restore, HbSession *session, GError **error);
void hb_restore_list_gone(HbRestore *restore); /* at the end: what was taken away, and is not back */

/* restore_target: what the target has cannot be restored into; what: says so of the database */
void hb_restore_refuse_content(HbRestore *restore, const char *what);

/* restore: what the journal has, in a session of the caller's */
gboolean hb_restore_read_keys(HbRestore *restore, HbSession *session, GError **error);

/* restore_index_ahead: before the rows of a provider come */
void hb_restore_index_ahead(HbRestore *restore);

/* restore_unlogged */
gboolean hb_restore_mend_unlogged(HbRestore *restore, HbSession *session, GError **error); /* loads them again */
void hb_restore_list_unlogged(HbRestore *restore); /* at the end, after a connection broke: those that are empty */

/* restore_roles: a role, or what is about one, was there before us. With the lock held */
void hb_restore_note_kept(HbRestore *restore, const HbStep *step);
