/* SPDX-License-Identifier: Apache-2.0 */
/*
 * restore_result - what a restore did: how much, and one entry for everything that is not as it was in the source. The
 * run fills it; reports read it.
 */
#pragma once

#include <glib.h>

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
    guint elsewhere;   /* of those done: by other hosts on the same restore */
    guint open;        /* neither done nor given up: the restore was stopped */
    guint64 rows;      /* loaded by this run */
    guint64 bytes;
    GPtrArray *exceptions; /* HbException * */
    double seconds;
} HbRestoreResult;

void hb_restore_result_init(HbRestoreResult *result);
void hb_restore_result_clear(HbRestoreResult *result);
guint hb_restore_result_count(const HbRestoreResult *result, HbOutcome outcome);

/* Adds an entry, whose texts are copied; borrowed from the result */
HbException *hb_restore_result_add(HbRestoreResult *result, HbOutcome outcome, const char *what, const char *message,
                                   const char *hint);
