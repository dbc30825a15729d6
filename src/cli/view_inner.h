/* SPDX-License-Identifier: Apache-2.0 */
/*
 * view_inner - the state of the work, which view.c follows and view_draw.c shows; no other file includes it.
 */
#pragma once

#include "cli/view.h"

#define PAST_MAX 32

#define SAMPLES 64

typedef struct {
    gint64 time;
    guint64 bytes;
} HbViewSample;

/* What one session does */
typedef struct {
    char *what; /* NULL: nothing */
    char *next; /* on its longest path; NULL: nothing, or not known */
    guint64 total;
    guint64 done;
    guint64 path;
    gint64 began;
} HbViewSession;

/* What another host has done */
typedef struct {
    char *name;
    guint64 cost;
    guint64 bytes;
    guint parts;
    gint64 moved;
} HbViewHost;

struct HbView {
    char *phase; /* NULL before the first */
    guint64 total;
    guint64 done;
    guint64 bytes;
    guint64 limit; /* bytes a second; 0: none */
    gint64 started;
    gint64 moved;                  /* when the work last got on */
    char *wait;                    /* whom it waits for since then; NULL: nobody told */
    GArray *sessions;              /* HbViewSession, by number */
    GArray *hosts;                 /* HbViewHost, as they became known */
    HbViewSample samples[SAMPLES]; /* a ring: bytes at moments of the last seconds */
    guint sample_count;
    guint64 past[PAST_MAX]; /* bytes of each span of the phase, past_span_us long */
    guint past_count;
    gint64 past_span_us;
    guint failures;
    guint warnings;
    char *last_problem; /* of them; NULL: there was none */
};

double hb_view_seconds_since(gint64 then, gint64 now);
guint64 hb_view_rate(const HbView *view, gint64 now);
double hb_view_guess_seconds_left(const HbView *view, gint64 now);
char *hb_view_figures(const HbView *view, gint64 now);
guint hb_view_silence_s(const HbView *view, gint64 now);
