/* SPDX-License-Identifier: Apache-2.0 */
/*
 * view - the state of the work as it is told, and what it looks like: a bar, a rate, the time left, a line for each
 * worker. Knows no stream and no clock: times come in, text goes out.
 */
#pragma once

#include "work/run/observer.h"

typedef struct HbView HbView;

HbView *hb_view_new(void);
void hb_view_free(HbView *view);

/* now: microseconds of a steady clock */
void hb_view_follow(HbView *view, const HbEvent *event, gint64 now);

/* Lines for a terminal of that many columns, each ended by a line end; *lines says how many. "" while nothing runs */
char *hb_view_draw(HbView *view, gint64 now, guint columns, gboolean color, guint *lines);

/* One plain line for a log, without line end: "reading rows: 45% of 1.2 GB, 98 MB/s, 0:12 min left" */
char *hb_view_describe(HbView *view, gint64 now);
/* "reading rows: nothing new for 42 s; the source: ..." once that is worth a word; NULL before. The caller's */
char *hb_view_describe_silence(const HbView *view, gint64 now);
/* What it waits for, as reported since the work last moved; NULL: nothing was reported */
const char *hb_view_get_wait(const HbView *view);
gboolean hb_view_is_in_phase(const HbView *view, const char *what);
gboolean hb_view_is_running(const HbView *view); /* a phase with a known total is under way */
