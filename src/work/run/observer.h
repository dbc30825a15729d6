/* SPDX-License-Identifier: Apache-2.0 */
/*
 * observer - how the work tells the outside what happens.
 *
 * Any number of observers (a progress view, a log, a test) are told of typed events. Events come from several threads,
 * but one at a time: hb_observers_tell() holds a lock while it tells, so an observer needs none of its own.
 */
#pragma once

#include <glib.h>

typedef enum {
    HB_EVENT_PHASE,    /* what begins now; total: its cost in bytes, 0 if unknown. The same again adds to its total */
    HB_EVENT_STARTED,  /* a worker begins: what; total: its cost, if it tells how far it is, path and next */
    HB_EVENT_ADVANCED, /* a worker got on: cost of the total, bytes of real data */
    HB_EVENT_FINISHED, /* a worker ended what it did */
    HB_EVENT_HOST,     /* another host on the same work (what) has ended a part of it: cost of the total, bytes */
    HB_EVENT_WAITING,  /* nothing has come for a while: what it waits for, NULL if that is not known */
    HB_EVENT_NOTED     /* something that the user should know: severity, what, hint */
} HbEventType;

/* This process, as HB_EVENT_HOST names it to others: "n2:4711"; the caller's */
char *hb_observers_name_host(void);

typedef enum { HB_SEVERITY_DETAIL, HB_SEVERITY_NOTE, HB_SEVERITY_WARNING, HB_SEVERITY_ERROR } HbSeverity;

typedef struct {
    HbEventType type;
    guint worker; /* from 0 */
    const char *what;
    guint64 total;
    guint64 cost;
    guint64 bytes;
    guint64 path;     /* cost of what it begins and of all that must follow it, one after the other; 0: not known */
    const char *next; /* the first that follows it there; NULL: nothing, or not known */
    HbSeverity severity;
    const char *hint; /* may be NULL */
} HbEvent;

/* Has the work begun, got on or ended something? */
gboolean hb_event_is_progress(const HbEvent *event);

typedef void (*HbObserve)(gpointer data, const HbEvent *event);

typedef struct HbObservers HbObservers;

HbObservers *hb_observers_new(void);
void hb_observers_free(HbObservers *observers);
void hb_observers_add(HbObservers *observers, HbObserve observe, gpointer data); /* before the work begins */

/* Nothing has come for so long: it is worth a word */
#define HB_SILENCE_S 10

/* Since the last event of work that began, got on or ended */
guint hb_observers_get_silence_s(HbObservers *observers);

/* All accept NULL for observers: then nothing is reported */
void hb_observers_notify(HbObservers *observers, const HbEvent *event);
void hb_observers_note(HbObservers *observers, HbSeverity severity, const char *hint, const char *format, ...)
    G_GNUC_PRINTF(4, 5);
void hb_observers_begin_phase(HbObservers *observers, const char *what, guint64 total);
