/* SPDX-License-Identifier: Apache-2.0 */
/*
 * restore - the use case: a dump becomes a database.
 *
 * In two halves, so that the user can be told what will be written, and where, before anything is: open() looks at dump
 * and target and refuses what is not fit; run() writes. A step that fails does not stop the others; those that hang on
 * it are left out. The journal stays in the target until everything is done, so that a later run can go on.
 */
#pragma once

#include "core/compare/preflight.h"
#include "dump/reader.h"
#include "work/restore/restore_plan.h"
#include "work/restore/target_cleanup.h"
#include "work/run/observer.h"
#include "work/run/stop.h"
#include "work/source/adapt.h"

typedef struct HbRestore HbRestore;

/*
 * Rows that do not lie in a dump but come from elsewhere, once: load() is called when the structure stands. It fills
 * hb_restore_get_rows(), notes each piece in the target's journal under a key of its own, and tells of row sets that
 * could not be loaded by hb_restore_fail_rows(). FALSE: the restore cannot go on
 */
typedef struct {
    gboolean (*load)(gpointer data, HbRestore *restore, GError **error);
    gpointer data;
} HbRowProvider;

typedef struct {
    const HbManifest *manifest;    /* what is to be restored, borrowed */
    const HbReader *dump;          /* where its rows are, borrowed; NULL: only to look ahead */
    const HbRowProvider *provider; /* where they are instead; NULL: in the dump */
    const GPtrArray *pulled_in;    /* char *: of the manifest, what came along when it was chosen; NULL: nothing */
    const char *source;            /* identity of the source's database, if that is a server; NULL: not known */
    char *const *accept;           /* findings to go on with; see hb_findings_accept(); NULL: none */
    const HbEngine *engine;
    HbAddress to; /* a database in it overrides the dump's name */
    guint parts;
    const HbSelection *selection; /* NULL: everything */
    HbExistingWish existing;      /* what becomes of what the target has already */
    HbWishes wishes;
    const char *new_passwords; /* path of a file for them; NULL: roles without a password stay so */
    guint jobs;
    gboolean resume;
    gboolean tentative;      /* what fails will be tried again: it is not told at once */
    gboolean part_of_server; /* one database of a whole server */
    gboolean whole_server;   /* the users and tablespaces of a whole server's dump; keeps the journal open */
    gboolean analyze;
    HbStop *stop;
    HbObservers *observers;
} HbRestoreOptions;

typedef enum {
    HB_OUTCOME_FAILED,
    HB_OUTCOME_REFUSED,  /* for lack of privileges; a role that has them can do it afterwards */
    HB_OUTCOME_LEFT_OUT, /* because of another that failed or was refused */
    HB_OUTCOME_CHANGED,  /* so as to fit the target */
    HB_OUTCOME_ABSENT,   /* left out when the dump was made */
    HB_OUTCOME_KEPT,
    HB_OUTCOME_GONE, /* taken away from the target, and not back */
    HB_OUTCOME_COUNT
} HbOutcome;

const char *hb_outcome_get_name(HbOutcome outcome); /* "failed", "left_out", ... */

/* A step that was not simply done */
typedef struct {
    HbOutcome outcome;
    char *what;       /* the object, or chunk */
    char *message;    /* the server's; of a step left out: the failed step behind it; of a change: what and why */
    char *hint;       /* may be NULL */
    gboolean damaged; /* it failed because the dump is not what was written */
} HbException;

typedef struct {
    guint done;        /* steps, those of earlier runs not counted */
    guint done_before; /* by the run that is resumed */
    guint open;        /* neither done nor given up: the restore was stopped */
    guint64 rows;      /* loaded by this run */
    guint64 bytes;
    GPtrArray *exceptions; /* HbException * */
    double seconds;
} HbRestoreResult;

void hb_restore_result_clear(HbRestoreResult *result);

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
gboolean hb_restore_is_resumed(const HbRestore *restore);

/*
 * It was to be resumed, but an earlier run has finished it: nothing is unfinished on the target, all objects of the
 * dump are there, and rows in each table that has some in the dump. run() then does nothing
 */
gboolean hb_restore_is_done_before(const HbRestore *restore);

/* What was found: HbFinding *, sorted, borrowed. A blocker that is not accepted forbids run() */
const GPtrArray *hb_restore_get_findings(const HbRestore *restore);
gboolean hb_restore_is_blocked(const HbRestore *restore);

/* What run() would do, in a stable order that their needs allow. Borrowed */
const HbRestorePlan *hb_restore_get_steps(const HbRestore *restore);
gboolean hb_restore_set_blocked_error(const HbRestore *restore, GError **error); /* HB_ERROR_BLOCKED; returns FALSE */

/* What run() does with what is there already; NULL: there is nothing. Borrowed */
const HbTargetCleanup *hb_restore_get_cleanup(const HbRestore *restore);

const HbManifest *hb_restore_get_manifest(const HbRestore *restore); /* as it arrives: adapted to the target */

/*
 * For a provider of rows: what is to be filled (HbStoredRows *, by their names on the target; the original of each is
 * the manifest's in the options), borrowed; the target as sessions open it; and which keys its journal has. Not from
 * several threads
 */
GPtrArray *hb_restore_get_rows(HbRestore *restore);
const HbAddress *hb_restore_get_address(const HbRestore *restore);
gboolean hb_restore_read_journal(HbRestore *restore, GError **error);
gboolean hb_restore_is_broken(const HbRestore *restore);
/* A session begins to work on the target. lost: after another one that broke, which is ended on the server */
gboolean hb_restore_enter(const HbRestore *restore, HbSession *session, gboolean lost, GError **error);
void hb_restore_note_broken(HbRestore *restore);        /* a connection to the target broke; thread-safe */
GPtrArray *hb_restore_find_emptied(HbRestore *restore); /* of tables that a crash has emptied: HbStoredRows * */
/*
 * All rows of a set are in: makes the keys and indexes of its table that need no other rows, in a session of the
 * caller's, while other rows still come. What fails is made, or told, at the end; thread-safe
 */
void hb_restore_complete_rows(HbRestore *restore, HbSession *session, const HbRowSet *set);
void hb_restore_fail_rows(HbRestore *restore, const HbRowSet *set, const GError *cause); /* thread-safe */

/* Is everything done that the server lets us do? After run() */
gboolean hb_restore_is_finished(const HbRestore *restore);

gboolean hb_restore_is_whole_server(const HbRestore *restore);

/* For a whole server, whose journal also knows which databases are finished: is the key there? Add it. Close it */
gboolean hb_restore_is_noted(const HbRestore *restore, const char *key);
gboolean hb_restore_note(HbRestore *restore, const char *key, GError **error);
gboolean hb_restore_close_journal(HbRestore *restore, GError **error);

/* Fails only if the work could not go on at all, or not begin (HB_ERROR_BLOCKED); the result is filled in any case.
 * Once
 */
gboolean hb_restore_run(HbRestore *restore, HbRestoreResult *result, GError **error);

/* After run() of a tentative restore that is not finished: tries again what is not done, rows aside. Others may be told
 */
gboolean hb_restore_go_on(HbRestore *restore, gboolean tentative, HbObservers *observers, HbRestoreResult *result,
                          GError **error);
