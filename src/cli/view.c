/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/view.h"

#include "report/text.h"

#include <string.h>

/*
 * What is going on, redrawn at most ten times a second, and only on a terminal: what each worker does, how far all is,
 * what is waited for. It is an observer like the log: it is told, and asks nothing. Lines are cut to the terminal's
 * width, and control bytes in names are shown, never sent.
 */

#define BAR_WIDTH       30
#define RATE_WINDOW_US  (5 * G_USEC_PER_SEC)
#define SAMPLES         64
#define SAMPLE_EVERY_US (RATE_WINDOW_US / SAMPLES)

typedef struct {
    gint64 time;
    guint64 bytes;
} Sample;

struct HbView {
    char *phase; /* NULL before the first */
    guint64 total;
    guint64 done;
    guint64 bytes;
    gint64 started;
    gint64 moved;            /* when the work last got on */
    char *wait;              /* whom it waits for since then; NULL: nobody told */
    GPtrArray *workers;      /* char *: what each does, NULL when idle */
    Sample samples[SAMPLES]; /* a ring: bytes at moments of the last seconds */
    guint sample_count;
};

HbView *hb_view_new(void)
{
    HbView *view = g_new0(HbView, 1);

    view->workers = g_ptr_array_new_with_free_func(g_free);
    return view;
}

void hb_view_free(HbView *view)
{
    if (view == NULL)
        return;
    g_free(view->phase);
    g_free(view->wait);
    g_ptr_array_unref(view->workers);
    g_free(view);
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
    g_ptr_array_set_size(view->workers, 0);
}

static void set_worker(HbView *view, guint worker, const char *what)
{
    if (worker >= view->workers->len)
        g_ptr_array_set_size(view->workers, (int)worker + 1);
    g_free(view->workers->pdata[worker]);
    view->workers->pdata[worker] = what != NULL ? hb_text_visible(what) : NULL;
}

static void take_sample(HbView *view, gint64 now)
{
    const Sample *last = &view->samples[(view->sample_count - 1) % SAMPLES];

    if (view->sample_count == 0 || now - last->time >= SAMPLE_EVERY_US)
        view->samples[view->sample_count++ % SAMPLES] = (Sample){now, view->bytes};
}

static void set_wait(HbView *view, const char *wait)
{
    g_free(view->wait);
    view->wait = wait != NULL ? hb_text_visible(wait) : NULL;
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
        set_worker(view, event->worker, event->what);
        break;
    case HB_EVENT_ADVANCED:
        take_sample(view, now);
        view->done = MIN(view->done + event->cost, view->total);
        view->bytes += event->bytes;
        break;
    case HB_EVENT_FINISHED:
        set_worker(view, event->worker, NULL);
        break;
    case HB_EVENT_WAITING:
        set_wait(view, event->what);
        break;
    case HB_EVENT_NOTED:
        break;
    }
}

/* ---- Figures ---- */

static double seconds_since(gint64 then, gint64 now)
{
    return (double)(now - then) / G_USEC_PER_SEC;
}

/* Over the last seconds, or since the beginning while that is shorter */
static guint64 rate(const HbView *view, gint64 now)
{
    guint oldest = view->sample_count > SAMPLES ? view->sample_count - SAMPLES : 0;
    const Sample *sample = &view->samples[oldest % SAMPLES];
    double seconds;

    if (view->sample_count == 0)
        return 0;
    seconds = seconds_since(sample->time, now);
    return seconds > 0.2 ? (guint64)((double)(view->bytes - sample->bytes) / seconds) : 0;
}

/* NULL while it is too early to say */
static char *time_left(const HbView *view, gint64 now)
{
    double seconds = seconds_since(view->started, now);

    if (view->done == 0 || seconds < 1)
        return NULL;
    return hb_text_duration(seconds * (double)(view->total - view->done) / (double)view->done);
}

gboolean hb_view_is_running(const HbView *view)
{
    return view->phase != NULL && view->total > 0;
}

static char *figures(const HbView *view, gint64 now)
{
    GString *text = g_string_new(NULL);
    g_autofree char *left = time_left(view, now);
    g_autofree char *bytes = hb_text_bytes(view->bytes);
    g_autofree char *speed = hb_text_bytes(rate(view, now));

    g_string_append_printf(text, "%3d%%  %s  %s/s", (int)(view->done * 100 / view->total), bytes, speed);
    if (left != NULL)
        g_string_append_printf(text, "  %s left", left);
    return g_string_free(text, FALSE);
}

char *hb_view_describe(HbView *view, gint64 now)
{
    g_autofree char *text = hb_view_is_running(view) ? figures(view, now) : g_strdup("");

    return g_strdup_printf("%s: %s", view->phase != NULL ? view->phase : "", g_strstrip(text));
}

static guint silence_s(const HbView *view, gint64 now)
{
    return view->phase != NULL ? (guint)((now - view->moved) / G_USEC_PER_SEC) : 0;
}

char *hb_view_describe_silence(const HbView *view, gint64 now)
{
    const guint seconds = silence_s(view, now);

    if (seconds < HB_SILENCE_S)
        return NULL;
    return g_strdup_printf("%s: nothing new for %u s%s%s", view->phase, seconds, view->wait != NULL ? "; " : "",
                           view->wait != NULL ? view->wait : "");
}

const char *hb_view_get_wait(const HbView *view)
{
    return view->wait;
}

/* ---- Drawing ---- */

static void append_bar(GString *out, const HbView *view, gboolean color)
{
    g_autoptr(GString) bar = g_string_new(NULL);
    guint filled = (guint)(view->done * BAR_WIDTH / view->total);

    for (guint i = 0; i < filled; i++)
        g_string_append(bar, "▪");
    hb_text_append_painted(out, color, HB_PAINT_GOOD, bar->str);
    g_string_truncate(bar, 0);
    for (guint i = filled; i < BAR_WIDTH; i++)
        g_string_append(bar, "·");
    hb_text_append_painted(out, color, HB_PAINT_FAINT, bar->str);
}

/* As much of the text as fits */
static void append_cut(GString *out, const char *text, guint columns)
{
    guint width = 0;

    for (; *text != '\0'; text = g_utf8_next_char(text)) {
        gunichar c = g_utf8_get_char(text);
        width += g_unichar_iszerowidth(c) ? 0 : g_unichar_iswide(c) ? 2 : 1;
        if (width > columns)
            return;
        g_string_append_unichar(out, c);
    }
}

static guint append_workers(GString *out, const HbView *view, guint columns, gboolean color)
{
    guint lines = 0;

    for (guint i = 0; i < view->workers->len; i++) {
        const char *what = view->workers->pdata[i];
        g_autofree char *label = g_strdup_printf("  %2u  ", i + 1);
        hb_text_append_painted(out, color, HB_PAINT_FAINT, label);
        append_cut(out, what != NULL ? what : "-", columns > 8 ? columns - 7 : 1);
        g_string_append_c(out, '\n');
        lines++;
    }
    return lines;
}

/* All of it, however narrow the terminal is: the holder of what we wait for stands at the end */
static guint append_silence(GString *out, const HbView *view, gint64 now, guint columns, gboolean color)
{
    g_autofree char *text = hb_view_describe_silence(view, now);
    g_autofree char *line = text != NULL ? g_strconcat("  ", text + strlen(view->phase) + strlen(": "), NULL) : NULL;
    g_autofree char *folded = line != NULL ? hb_text_fold(line, MAX(columns, 20) - 1) : NULL;
    g_auto(GStrv) lines = folded != NULL ? g_strsplit(g_strchomp(folded), "\n", -1) : NULL;
    guint count = 0;

    for (char **at = lines; at != NULL && *at != NULL; at++, count++) {
        g_autoptr(GString) cut = g_string_new(NULL);
        append_cut(cut, *at, MAX(columns, 20) - 1);
        hb_text_append_painted(out, color, HB_PAINT_WARN, cut->str);
        g_string_append_c(out, '\n');
    }
    return count;
}

char *hb_view_draw(HbView *view, gint64 now, guint columns, gboolean color, guint *lines)
{
    GString *out = g_string_new(NULL);

    *lines = 0;
    if (view->phase == NULL)
        return g_string_free(out, FALSE);
    hb_text_append_painted(out, color, HB_PAINT_STRONG, view->phase);
    if (hb_view_is_running(view)) {
        g_autofree char *text = figures(view, now);
        guint room = columns > BAR_WIDTH + 4 ? columns - BAR_WIDTH - 4 : 0;
        hb_text_pad(out, hb_text_width(view->phase), 14);
        if (hb_text_width(text) + 14 < room)
            append_bar(out, view, color);
        g_string_append_c(out, ' ');
        append_cut(out, text, room);
    } else {
        g_string_append(out, " ...");
    }
    g_string_append_c(out, '\n');
    *lines = 1 + append_silence(out, view, now, columns, color);
    *lines += append_workers(out, view, columns, color);
    return g_string_free(out, FALSE);
}
