/* SPDX-License-Identifier: Apache-2.0 */
/*
 * restore_run_inner - what the files of a run share; no other file includes it.
 *
 *     restore_run              begins and ends the journal, walks, and walks again
 *     restore_run_walk         workers take steps from the plan and settle them
 *     restore_run_step         carries one step out
 *     restore_run_hosts        several hosts on one restore: who does which step
 *     restore_run_index_ahead  keys and indexes while other rows still come
 *     restore_run_unlogged     tables that a crash of the server empties
 *     restore_run_roles        users that exist already; passwords for those that bring none
 *     restore_run_origin       what the target remembers of where it came from
 *     restore_run_report       lists what was not simply done
 */
#pragma once

#include "work/restore/claim.h"
#include "work/restore/restore_run.h"
#include "work/run/workers.h"

/* Attempts at a step that fails for a passing reason */
#define ATTEMPTS 6

/* The journal's note on a role that was there before us */
#define NOTE_KEPT "kept"

/* What is to be done; steps are made anew from the journal before each walk, when no worker runs */
typedef struct {
    HbRestorePlan *steps;
    gboolean before_rows;      /* they are only those that must be done before rows that come from a provider */
    HbRestorePlan *after_rows; /* what follows these; NULL: none come */
    GHashTable *ahead;         /* of that, what may be made as soon as its table's rows are in: tables to HbStep * */
} HbRestorePlans;

/* Several hosts on one restore; all 0 without --join */
typedef struct {
    gboolean begins;      /* this one is the first */
    gboolean looks_again; /* what was decided is not good any more: another host was faster */
    gboolean is_ended;    /* the journal is gone: others have done the rest */
    gboolean has_broken;  /* a table without transactions holds a part of what a killed host did: to be done alone */
    gboolean is_asking;   /* a worker reads the journal */
    gint64 ask_at;        /* not before */
    GArray *elsewhere;    /* guint: steps of the plan that other hosts do, or have done */
    guint own;            /* steps that this one has done */
    char *signature;      /* the journal's note on these; NULL: none */
    guint8 *told;         /* of each step of the plan: the observers know that another host has done it */
    gint64 look_at;       /* not before then what the others have done */
} HbRestoreHosts;

/*
 * What a worker takes from the other hosts at once: one large step, or many small ones, so that agreeing costs little
 * even where there are ten thousand. A worker's own
 */
#define HB_STEPS_TOGETHER_MAX 32
typedef struct {
    guint numbers[HB_STEPS_TOGETHER_MAX]; /* of steps that are ours; those before next were done */
    guint count, next;
    GPtrArray *held; /* char *: keys whose locks the worker's session has */
} HbStepsTaken;

struct HbRestoreRun {
    const HbRestoreOptions *options;
    HbManifest *manifest;
    const HbRestoreTarget *target;
    const HbRestoreDecision *decision;
    HbObservers *observers;
    gboolean tentative; /* what fails will be tried again: it is not told at once */
    HbRestorePlans plan;

    HbClaim *claim;
    HbRestoreResult *result;
    const char *note;    /* a key to write into the journal */
    GHashTable *journal; /* steps that are finished as far as the target knows: key to note; workers only read it */
    GHashTable *done_earlier; /* those that the run which we resume had finished; NULL without one */
    GHashTable *failed_rows;  /* identities of row sets that a provider could not load, to messages */
    GHashTable *complaints;   /* identities of row sets that are in, to what the server said of computed values */
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
    GHashTable *blamed;          /* keys of steps of several objects, borrowed: which of these failed is told already */
    GError *lost;                /* a connection broke: no worker begins another step */
    HbRestoreHosts hosts;
};

/* Acts in a session of its own, beside the workers */
gboolean hb_restore_run_with_session(HbRestoreRun *run, gboolean (*act)(HbRestoreRun *, HbSession *, GError **),
                                     GError **error);
/* What the journal has, in a session of the caller's */
gboolean hb_restore_run_read_keys(HbRestoreRun *run, HbSession *session, GError **error);

/* restore_run_walk: until no step is left, or a connection breaks: then run->lost says why */
gboolean hb_restore_run_walk(HbRestoreRun *run, GError **error);

/* restore_run_step */
gboolean hb_restore_run_step(HbRestoreRun *run, HbWorker *worker, const HbStep *step, GError **error);
/* What a role with the rights can run, without secrets; the caller's */
char *hb_restore_run_hint_statement(const HbDialect *dialect, const char *sql);

/*
 * ---- restore_run_hosts ----
 *
 * HB_ERROR_RETRY with run->hosts.looks_again: begin with a look at the target. claim(): with the lock held, which it
 * gives up meanwhile; keeps of the steps those that are ours, and sets aside those that another host does or has done;
 * the locks of before are given up. give_up(): likewise, all of them. ask_hosts(): likewise; waits, or asks the journal
 * what others have done. tell(): of a step that the journal has, with the lock held; FALSE: no other host did it.
 * mend_alone(): after a walk; *again: this host is alone, and is to walk once more.
 * leave_hosts(): all is done; the last host ends the journal
 */
gboolean hb_restore_run_join_hosts(HbRestoreRun *run, GError **error);
void hb_restore_run_forget_hosts(HbRestoreRun *run); /* with a new plan */
gboolean hb_restore_run_claim(HbRestoreRun *run, const HbWorker *worker, HbStepsTaken *taken, GError **error);
void hb_restore_run_give_up(HbRestoreRun *run, const HbWorker *worker, HbStepsTaken *taken);
void hb_restore_run_ask_hosts(HbRestoreRun *run, HbWorker *worker);
gboolean hb_restore_run_tell_host(HbRestoreRun *run, guint number);
gboolean hb_restore_run_mend_alone(HbRestoreRun *run, gboolean *again, GError **error);
gboolean hb_restore_run_leave_hosts(HbRestoreRun *run, GError **error);

/* restore_run: begins the journal, or goes on with it; ends it */
gboolean hb_restore_run_prepare_journal(HbRestoreRun *run, HbSession *session, GError **error);
gboolean hb_restore_run_settle_keys(HbRestoreRun *run, HbSession *session, GError **error);
gboolean hb_restore_run_make_steps(HbRestoreRun *run, GError **error);
void hb_restore_run_forget_exceptions(HbRestoreRun *run);
gboolean hb_restore_run_end_in_session(HbRestoreRun *run, HbSession *session, GError **error);

/* restore_run_report: what was done, and what was not. Before and after the walk */
void hb_restore_run_list_changes(HbRestoreRun *run); /* that fitting the target takes */
/* What the server said of values that it computed from rows that are in */
void hb_restore_run_list_complaints(HbRestoreRun *run);
void hb_restore_run_list_left_out(HbRestoreRun *run); /* because of other steps */
void hb_restore_run_list_gone(HbRestoreRun *run);     /* what was taken away, and is not back */
void hb_restore_run_count_steps(const HbRestoreRun *run, HbRestoreResult *result);

/* restore_run_origin: at the beginning, and, is_whole, at the end, if one is wanted or there already */
gboolean hb_restore_run_mark_origin(HbRestoreRun *run, HbSession *session, gboolean is_whole, GError **error);

/* restore_run_index_ahead: before the rows of a provider come */
void hb_restore_run_index_ahead(HbRestoreRun *run);

/* restore_run_unlogged */
gboolean hb_restore_run_mend_unlogged(HbRestoreRun *run, HbSession *session, GError **error); /* loads them again */
void hb_restore_run_list_unlogged(HbRestoreRun *run); /* at the end, after a connection broke: those that are empty */

/*
 * ---- restore_run_roles ----
 *
 * A user that exists on the target is kept as it is, and differences are reported. A user that arrives without a
 * password may get a new one. The restoring role may have to join the owners of objects.
 */

/* What differs between the manifest's users and those of the target, for the ones that are there already */
gboolean hb_restore_run_compare_roles(HbRestoreRun *run, HbSession *session, GError **error);

/* Is the step about a user that was on the target before this restore? If so, keep: the step is only noted */
gboolean hb_restore_run_is_role_kept(HbRestoreRun *run, HbWorker *worker, const HbStep *step, gboolean *kept,
                                     GError **error);
gboolean hb_restore_run_keep_role(HbRestoreRun *run, HbWorker *worker, const HbStep *step, GError **error);
/* The same for a step that the journal has noted so. With the lock held */
void hb_restore_run_note_kept(HbRestoreRun *run, const HbStep *step);

/*
 * The owner of what a step makes accepts objects from its members only: makes this role a member, once. FALSE: it is no
 * matter of that, or is refused
 */
gboolean hb_restore_run_join_owner(HbRestoreRun *run, HbWorker *worker, const HbStep *step);
void hb_restore_run_list_joined(HbRestoreRun *run); /* at the end: of whom we are members now */

/* New passwords: the file (0600) gets a line "role<tab>password" before the server gets the password */
gboolean hb_restore_run_open_passwords(HbRestoreRun *run, GError **error);
void hb_restore_run_close_passwords(HbRestoreRun *run);

/* SQL that gives a role a new password, and has noted it in the file; NULL if it gets none, or with *error. The
 * caller's */
char *hb_restore_run_renew_password(HbRestoreRun *run, HbSession *session, const HbObject *role, GError **error);
