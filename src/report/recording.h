/* SPDX-License-Identifier: Apache-2.0 */
/*
 * recording - what happened when, as a run tells it: which session did what, and how fast bytes came. An observer, with
 * bounded memory: of very many steps the longest are kept, and of a long run fewer moments.
 */
#pragma once

#include "work/run/observer.h"

typedef struct {
    char *what;
    guint worker; /* from 0 */
    gint64 began_us;
    gint64 ended_us; /* 0: it was still at work at the end */
} HbRecordedStep;

typedef struct {
    char *what;
    gint64 began_us;
} HbRecordedPhase;

/* All bytes so far, at a moment */
typedef struct {
    gint64 at_us;
    guint64 bytes;
} HbRecordedMoment;

/* Times are microseconds since the recording began */
typedef struct {
    GPtrArray *steps;  /* HbRecordedStep *, in no order */
    guint dropped;     /* steps that were shorter than those kept */
    GPtrArray *phases; /* HbRecordedPhase * */
    GArray *moments;   /* HbRecordedMoment, rising */
    guint workers;     /* the highest number of one, and 1 */
    gint64 ended_us;   /* when the last event came */

    /* Its own */
    GPtrArray *at_work; /* HbRecordedStep *: of each worker, NULL when idle; borrowed from steps */
    gint64 start_us;
    gint64 moment_every_us;
    guint64 bytes;
} HbRecording;

HbRecording *hb_recording_new(void);
void hb_recording_free(HbRecording *recording); /* accepts NULL */

/* An observer (see work/run/observer.h); data is the recording */
void hb_recording_observe(gpointer recording, const HbEvent *event);

/* The same at a time of its own, for tests: microseconds since it began */
void hb_recording_follow(HbRecording *recording, const HbEvent *event, gint64 now_us);
gint64 hb_recording_get_length(const HbRecordedStep *step,
                               const HbRecording *recording); /* of a step, in microseconds */

/* For sorting places of HbRecordedStep *, the longest first; data: the recording */
gint hb_recording_compare_lengths(gconstpointer one, gconstpointer other, gpointer recording);
