/* SPDX-License-Identifier: Apache-2.0 */
/*
 * handover - the use case: the end of a move. Applications stop writing to FROM, the copy gets the rest, is checked,
 * and takes FROM's place.
 *
 *     rehearse -> stop writes -> last pass -> check -> connection strings -> way back   undone, if one of them fails
 *         ---- the point of no return ----
 *     source -> open                                                                    gone on with, if they fail
 *
 * What was done is noted in the copy's origin before it is done, so that whatever ends the program, and wherever it is
 * started again, resume and undo know what there is to do. Invariants: FROM and TO are never both open to applications
 * by our word; FROM is let in again unless TO takes its place; whatever is left closed is said.
 */
#pragma once

#include "work/freshen/pass.h"
#include "work/verify/verify.h"

typedef enum {
    HB_STEP_REHEARSE,
    HB_STEP_STOP,
    HB_STEP_PASS,
    HB_STEP_CHECK,
    HB_STEP_STRINGS,
    HB_STEP_WAY_BACK,
    HB_STEP_SOURCE,
    HB_STEP_OPEN,
    HB_STEP_COUNT
} HbHandoverStepKind;

typedef enum {
    HB_HANDOVER_WAITS,
    HB_HANDOVER_RUNS,
    HB_HANDOVER_DONE,
    HB_HANDOVER_FAILED,
    HB_HANDOVER_SKIPPED
} HbHandoverStepState;

typedef struct {
    HbHandoverStepState state;
    char *did;                 /* what was done, or what failed; NULL: nothing yet */
    gint64 began_us, ended_us; /* since 1970 */
} HbHandoverStep;

const char *hb_handover_step_get_name(HbHandoverStepKind kind);  /* for programs: "stop_writes" */
const char *hb_handover_step_get_title(HbHandoverStepKind kind); /* for people: "Stop writes" */

typedef enum { HB_WAY_AUTO, HB_WAY_SESSIONS, HB_WAY_READ_ONLY, HB_WAY_ASK, HB_WAY_COMMAND } HbStopWay;
typedef enum { HB_CHECK_CHANGED, HB_CHECK_ALL, HB_CHECK_NONE } HbHandoverCheck;
typedef enum { HB_SOURCE_READ_ONLY, HB_SOURCE_OPEN, HB_SOURCE_RENAME, HB_SOURCE_DROP } HbSourceFate;

/* The words of the options, ended by NULL */
extern const char *const hb_stop_way_words[];
extern const char *const hb_handover_check_words[];
extern const char *const hb_source_fate_words[];

/* A connection string for a user of the application */
typedef struct {
    char *user; /* NULL: the address's own */
    HbConnectionForm *form;
    enum { HB_STRING_NOT_TRIED, HB_STRING_CONNECTS, HB_STRING_FAILS } outcome;
    char *remark; /* why it was not tried, or how it failed; NULL */
} HbTriedString;

typedef struct {
    HbPassOptions pass; /* both sides */
    HbStopWay way;
    char *const *command; /* of HB_WAY_COMMAND: program and arguments, ended by NULL; "stop" or "open" is added */
    HbHandoverCheck check;
    HbSourceFate fate;
    gboolean way_back;
    char *const *users; /* of applications, ended by NULL; NULL: the one of TO's address */
    gboolean resumes;   /* one that has begun; way, fate and way_back are as it noted */
    /* A person is to do something, and to say that it is done. FALSE with the error: nobody is there, or it is not */
    gboolean (*ask)(gpointer data, const char *what, GError **error);
    gpointer data;
} HbHandoverOptions;

/* What was found and done; the texts and lists are the hand-over's */
typedef struct {
    HbHandoverStep steps[HB_STEP_COUNT];
    GPtrArray *findings; /* HbFinding *: of the rehearsal */
    GPtrArray *writers;  /* char *: who was writing at the rehearsal */
    HbServerInfo from, to;
    const HbOrigin *origin; /* TO's, borrowed; NULL: it has none any more */
    HbStopWay way;          /* that was taken */
    char *gate;             /* what stopping does, for people */
    double lag_s;           /* seconds that the rehearsal's pass took, which the last one will take, too */
    double check_s;         /* that the check will take, guessed */
    guint64 log_bytes;      /* that FROM keeps for TO */
    guint64 check_bytes;
    guint check_tables;
    guint64 rows, transactions; /* that came over in the window */
    guint64 checked_rows;
    guint checked_tables;
    HbVerification differences;   /* of the rehearsal, then of the check */
    HbRestoreResult pass_result;  /* of the last pass that ran */
    GPtrArray *strings;           /* HbTriedString * */
    GPtrArray *left_to_do;        /* char * */
    gint64 stopped_us, opened_us; /* the window, since 1970; 0: not yet */
    gboolean is_over;             /* TO has taken FROM's place */
    gboolean is_incomplete;       /* but something of what is left to do keeps applications out */
    gboolean is_undone;           /* FROM was let in again */
} HbHandoverReport;

typedef struct HbHandover HbHandover;

/*
 * Rehearses: brings TO up to date unless is_rehearsal, and looks at all that can be known. Fails if that cannot be
 * done; what stands in the way is a finding
 */
HbHandover *hb_handover_open(const HbHandoverOptions *options, gboolean is_rehearsal, GError **error);
void hb_handover_free(HbHandover *handover); /* accepts NULL */

const HbHandoverReport *hb_handover_get_report(const HbHandover *handover);
gboolean hb_handover_is_blocked(const HbHandover *handover);
double hb_handover_guess_window(const HbHandover *handover); /* seconds */

/* All steps. Once. What fails before the point of no return is undone */
gboolean hb_handover_run(HbHandover *handover, GError **error);

/* FROM of a hand-over that broke off before its point of no return is let in again. way: what had been done, for
 * people; the caller's */
gboolean hb_handover_undo(const HbHandoverOptions *options, char **what, GError **error);
