/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/view_inner.h"

#include "report/text.h"

#include <string.h>

/* What is going on, as an observer is told it; and the figures of it that text, view and JSON have alike */

#define RATE_WINDOW_US  (5 * G_USEC_PER_SEC)
#define SAMPLE_EVERY_US (RATE_WINDOW_US / SAMPLES)

/* The rate over the whole phase: so many spans, at first as long as this */
#define PAST_SPAN_US G_USEC_PER_SEC

static void session_clear(gpointer data)
{
    HbViewSession *session = data;

    g_free(session->what);
    g_free(session->next);
    *session = (HbViewSession){0};
}

static void host_clear(gpointer data)
{
    g_free(((HbViewHost *)data)->name);
}

HbView *hb_view_new(void)
{
    HbView *view = g_new0(HbView, 1);

    view->sessions = g_array_new(FALSE, TRUE, sizeof(HbViewSession));
    g_array_set_clear_func(view->sessions, session_clear);
    view->hosts = g_array_new(FALSE, TRUE, sizeof(HbViewHost));
    g_array_set_clear_func(view->hosts, host_clear);
    return view;
}

void hb_view_free(HbView *view)
{
    if (view == NULL)
        return;
    g_free(view->phase);
    g_free(view->wait);
    g_free(view->last_problem);
    g_array_unref(view->sessions);
    g_array_unref(view->hosts);
    g_free(view);
}

void hb_view_set_limit(HbView *view, guint64 bytes_a_second)
{
    view->limit = bytes_a_second;
}

/* ---- Following ---- */

gboolean hb_view_is_in_phase(const HbView *view, const char *what)
{
    return view->phase != NULL && strcmp(view->phase, what) == 0;
}

static void begin_phase(HbView *view, const HbEvent *event, gint64 now)
{
    if (hb_view_is_in_phase(view, event->what)) {
        view->total += event->total;
        return;
    }
    g_free(view->phase);
    view->phase = g_strdup(event->what);
    view->total = event->total;
    view->done = 0;
    view->bytes = 0;
    view->started = now;
    view->sample_count = 0;
    view->past_count = 0;
    view->past_span_us = PAST_SPAN_US;
    g_array_set_size(view->sessions, 0);
    g_array_set_size(view->hosts, 0);
}

static HbViewSession *get_session(HbView *view, guint number)
{
    if (number >= view->sessions->len)
        g_array_set_size(view->sessions, number + 1);
    return &g_array_index(view->sessions, HbViewSession, number);
}

static void begin_session(HbView *view, const HbEvent *event, gint64 now)
{
    HbViewSession *session = get_session(view, event->worker);

    session_clear(session);
    session->what = hb_text_visible(event->what);
    session->next = event->next != NULL ? hb_text_visible(event->next) : NULL;
    session->total = event->total;
    session->path = event->path;
    session->began = now;
}

static void take_sample(HbView *view, gint64 now)
{
    const HbViewSample *last = &view->samples[(view->sample_count - 1) % SAMPLES];

    if (view->sample_count == 0 || now - last->time >= SAMPLE_EVERY_US)
        view->samples[view->sample_count++ % SAMPLES] = (HbViewSample){now, view->bytes};
}

/* The bytes of the phase's spans; when there are too many of these, they become twice as long */
static void take_past(HbView *view, gint64 now, guint64 bytes)
{
    guint at = (guint)((now - view->started) / view->past_span_us);

    while (at >= PAST_MAX) {
        for (guint i = 0; i < PAST_MAX; i++)
            view->past[i] = i < PAST_MAX / 2 ? view->past[2 * i] + view->past[2 * i + 1] : 0;
        view->past_count = (view->past_count + 1) / 2;
        view->past_span_us *= 2;
        at = (guint)((now - view->started) / view->past_span_us);
    }
    for (; view->past_count <= at; view->past_count++)
        view->past[view->past_count] = 0;
    view->past[at] += bytes;
}

static void advance(HbView *view, const HbEvent *event, gint64 now)
{
    take_sample(view, now);
    take_past(view, now, event->bytes);
    view->done = MIN(view->done + event->cost, view->total);
    view->bytes += event->bytes;
    get_session(view, event->worker)->done += event->cost;
}

static HbViewHost *get_host(HbView *view, const char *name)
{
    g_autofree char *visible = hb_text_visible(name);
    HbViewHost host = {0};

    for (guint i = 0; i < view->hosts->len; i++) {
        if (strcmp(g_array_index(view->hosts, HbViewHost, i).name, visible) == 0)
            return &g_array_index(view->hosts, HbViewHost, i);
    }
    host.name = g_steal_pointer(&visible);
    g_array_append_val(view->hosts, host);
    return &g_array_index(view->hosts, HbViewHost, view->hosts->len - 1);
}

/* Its bytes are none that pass here: the rate is this host's */
static void advance_host(HbView *view, const HbEvent *event, gint64 now)
{
    HbViewHost *host = get_host(view, event->what);

    view->done = MIN(view->done + event->cost, view->total);
    host->cost += event->cost;
    host->bytes += event->bytes;
    host->parts++;
    host->moved = now;
}

static void set_wait(HbView *view, const char *wait)
{
    g_free(view->wait);
    view->wait = wait != NULL ? hb_text_visible(wait) : NULL;
}

static void note_problem(HbView *view, const HbEvent *event)
{
    if (event->severity < HB_SEVERITY_WARNING)
        return;
    view->failures += event->severity == HB_SEVERITY_ERROR;
    view->warnings += event->severity == HB_SEVERITY_WARNING;
    g_free(view->last_problem);
    view->last_problem = hb_text_visible(event->what);
}

void hb_view_follow(HbView *view, const HbEvent *event, gint64 now)
{
    if (hb_event_is_progress(event)) {
        view->moved = now;
        set_wait(view, NULL);
    }
    switch (event->type) {
    case HB_EVENT_PHASE:
        begin_phase(view, event, now);
        break;
    case HB_EVENT_STARTED:
        begin_session(view, event, now);
        break;
    case HB_EVENT_ADVANCED:
        advance(view, event, now);
        break;
    case HB_EVENT_FINISHED:
        session_clear(get_session(view, event->worker));
        break;
    case HB_EVENT_HOST:
        advance_host(view, event, now);
        break;
    case HB_EVENT_WAITING:
        set_wait(view, event->what);
        break;
    case HB_EVENT_NOTED:
        note_problem(view, event);
        break;
    }
}

/* ---- Figures ---- */

double hb_view_seconds_since(gint64 then, gint64 now)
{
    return (double)(now - then) / G_USEC_PER_SEC;
}

/* Over the last seconds, or since the beginning while that is shorter */
guint64 hb_view_rate(const HbView *view, gint64 now)
{
    guint oldest = view->sample_count > SAMPLES ? view->sample_count - SAMPLES : 0;
    const HbViewSample *sample = &view->samples[oldest % SAMPLES];
    double seconds;

    if (view->sample_count == 0)
        return 0;
    seconds = hb_view_seconds_since(sample->time, now);
    return seconds > 0.2 ? (guint64)((double)(view->bytes - sample->bytes) / seconds) : 0;
}

/* Below 0 while it is too early to say */
double hb_view_guess_seconds_left(const HbView *view, gint64 now)
{
    const double seconds = hb_view_seconds_since(view->started, now);

    return view->done == 0 || seconds < 1 ? -1 : seconds * (double)(view->total - view->done) / (double)view->done;
}

gboolean hb_view_is_running(const HbView *view)
{
    return view->phase != NULL && view->total > 0;
}

char *hb_view_figures(const HbView *view, gint64 now)
{
    GString *text = g_string_new(NULL);
    const double seconds_left = hb_view_guess_seconds_left(view, now);
    g_autofree char *left = seconds_left >= 0 ? hb_text_duration(seconds_left) : NULL;
    g_autofree char *limit = view->limit > 0 ? hb_text_bytes(view->limit) : NULL;
    g_autofree char *bytes = hb_text_bytes(view->bytes);
    g_autofree char *speed = hb_text_bytes(hb_view_rate(view, now));

    g_string_append_printf(text, "%3d%%  %s  %s/s", (int)(view->done * 100 / view->total), bytes, speed);
    if (limit != NULL)
        g_string_append_printf(text, " of %s/s allowed", limit);
    if (left != NULL)
        g_string_append_printf(text, "  %s left", left);
    return g_string_free(text, FALSE);
}

char *hb_view_describe(HbView *view, gint64 now)
{
    g_autofree char *text = hb_view_is_running(view) ? hb_view_figures(view, now) : g_strdup("");

    return g_strdup_printf("%s: %s", view->phase != NULL ? view->phase : "", g_strstrip(text));
}

guint hb_view_silence_s(const HbView *view, gint64 now)
{
    return view->phase != NULL ? (guint)((now - view->moved) / G_USEC_PER_SEC) : 0;
}

char *hb_view_describe_silence(const HbView *view, gint64 now)
{
    const guint seconds = hb_view_silence_s(view, now);

    if (seconds < HB_SILENCE_S)
        return NULL;
    return g_strdup_printf("%s: nothing new for %u s%s%s", view->phase, seconds, view->wait != NULL ? "; " : "",
                           view->wait != NULL ? view->wait : "");
}

const char *hb_view_get_wait(const HbView *view)
{
    return view->wait;
}
