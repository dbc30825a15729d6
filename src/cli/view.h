/* SPDX-License-Identifier: Apache-2.0 */
/*
 * view - the state of the work as it is told, and what it looks like: a bar, a rate over time, the time left, what went
 * wrong so far, a line for each session with its own progress, the longest path that decides the end. Knows no stream
 * and no clock: times come in, text goes out.
 */
#pragma once

#include "work/run/observer.h"

typedef struct HbView HbView;

HbView *hb_view_new(void);
void hb_view_free(HbView *view);

/* now: microseconds of a steady clock */
void hb_view_follow(HbView *view, const HbEvent *event, gint64 now);

/* How many bytes a second are allowed just now, to be shown beside those that come; 0: as many as can be */
void hb_view_set_limit(HbView *view, guint64 bytes_a_second);

typedef struct {
    guint columns, rows; /* of the terminal */
    gboolean color;
} HbViewSpace;

/* Lines for a terminal, each ended by a line end, and fewer than it has rows. "" while nothing runs. The caller's */
char *hb_view_draw(HbView *view, gint64 now, const HbViewSpace *space);

/* The same as one line of JSON, without line end, for other programs; docs/json.md describes it. The caller's */
char *hb_view_write_json(const HbView *view, gint64 now);

/* One plain line for a log, without line end: "reading rows: 45% of 1.2 GB, 98 MB/s, 0:12 min left" */
char *hb_view_describe(HbView *view, gint64 now);
/* "reading rows: nothing new for 42 s; the source: ..." once that is worth a word; NULL before. The caller's */
char *hb_view_describe_silence(const HbView *view, gint64 now);
/* What it waits for, as reported since the work last moved; NULL: nothing was reported */
const char *hb_view_get_wait(const HbView *view);
gboolean hb_view_is_in_phase(const HbView *view, const char *what);
gboolean hb_view_is_running(const HbView *view); /* a phase with a known total is under way */
