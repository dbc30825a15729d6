/* SPDX-License-Identifier: Apache-2.0 */
/*
 * restore - the use case: a dump becomes a database.
 *
 * In two halves, so that the user can be told what will be written, and where, before anything is: open() looks at dump
 * and target and refuses what is not fit; run() writes. A step that fails does not stop the others; those that hang on
 * it are left out. The journal stays in the target until everything is done, so that a later run can go on.
 */
#pragma once

#include "dump/reader.h"
#include "work/adapt.h"
#include "work/observer.h"
#include "work/stop.h"

typedef struct {
    HbReader *dump; /* borrowed */
    const HbEngine *engine;
    HbAddress to; /* a database in it overrides the dump's name */
    guint parts;
    const HbChoice *choice; /* NULL: everything */
    HbWishes wishes;
    const char *new_passwords; /* path of a file for them; NULL: roles without a password stay so */
    guint jobs;
    gboolean resume;
    gboolean tentative;    /* what fails will be tried again: it is not told at once */
    gboolean whole_server; /* the users and tablespaces of a whole server's dump; keeps the journal open */
    gboolean analyze;
    HbStop *stop;
    HbObservers *observers;
} HbRestoreOptions;

typedef enum {
    HB_OUTCOME_FAILED,
    HB_OUTCOME_REFUSED,  /* for lack of rights; whoever has them can do it afterwards */
    HB_OUTCOME_LEFT_OUT, /* because of another that failed or was refused */
    HB_OUTCOME_CHANGED,  /* so as to fit the target */
    HB_OUTCOME_ABSENT,   /* left out when the dump was made */
    HB_OUTCOME_KEPT,
    HB_OUTCOME_COUNT
} HbOutcome;

const char *hb_outcome_get_name(HbOutcome outcome); /* "failed", "left_out", ... */

/* A step that was not simply done */
typedef struct {
    HbOutcome outcome;
    char *what;    /* the object, or chunk */
    char *message; /* the server's; of a step left out: the failed step behind it; of a change: what and why */
    char *hint;    /* may be NULL */
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

typedef struct HbRestore HbRestore;

/* HB_ERROR_BLOCKED if the target holds something, or the dump cannot go there */
HbRestore *hb_restore_open(const HbRestoreOptions *options, GError **error);
void hb_restore_free(HbRestore *restore); /* accepts NULL */

/* What run() will write to; borrowed */
const HbServerInfo *hb_restore_get_target(const HbRestore *restore); /* its database is the one connected to */
const char *hb_restore_get_database(const HbRestore *restore);
gboolean hb_restore_is_new_database(const HbRestore *restore);
gboolean hb_restore_is_resumed(const HbRestore *restore);

/* What will not arrive as it was, and why: HbOmission *, borrowed, those of the dump itself first */
const GPtrArray *hb_restore_get_changes(const HbRestore *restore, guint *count_of_dump);

/* Is everything done that the server lets us do? After run() */
gboolean hb_restore_is_finished(const HbRestore *restore);

gboolean hb_restore_is_whole_server(const HbRestore *restore);

/* For a whole server, whose journal also knows which databases are finished: is the key there? Add it. Close it */
gboolean hb_restore_is_noted(const HbRestore *restore, const char *key);
gboolean hb_restore_note(HbRestore *restore, const char *key, GError **error);
gboolean hb_restore_close_journal(HbRestore *restore, GError **error);

/* Fails only if the work could not go on at all; the result is filled in any case. Once */
gboolean hb_restore_run(HbRestore *restore, HbRestoreResult *result, GError **error);
