/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/view_inner.h"

#include "report/text.h"

#include <jansson.h>
#include <stdlib.h>
#include <string.h>

/*
 * Redrawn at most ten times a second, and only on a terminal. Lines are cut to the terminal's width, and control bytes
 * in names are shown, never sent.
 */

#define BAR_WIDTH   30
#define PHASE_WIDTH 14
#define PAST_LEAST  4 /* spans that make a picture */

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

/* How far the session is in what it does, as far as it tells, and for how long it has been at it. The caller's */
static char *describe_session(const HbViewSession *session, gint64 now)
{
    g_autofree char *time = hb_text_duration(hb_view_seconds_since(session->began, now));

    return session->total > 0
               ? g_strdup_printf("  %3d%%  %s", (int)(MIN(session->done, session->total) * 100 / session->total), time)
               : g_strdup_printf("  %s", time);
}

static void append_session(GString *out, const HbViewSession *session, guint number, gint64 now,
                           const HbViewSpace *space)
{
    g_autofree char *label = g_strdup_printf("  %2u  ", number + 1);
    g_autofree char *state = session->what != NULL ? describe_session(session, now) : g_strdup("");
    const guint used = 7 + hb_text_width(state), room = space->columns > used ? space->columns - used : 1;

    hb_text_append_painted(out, space->color, HB_PAINT_FAINT, label);
    append_cut(out, session->what != NULL ? session->what : "-", room);
    if (space->columns > used)
        hb_text_append_painted(out, space->color, HB_PAINT_FAINT, state);
    g_string_append_c(out, '\n');
}

/* Of so many lines not all may have room; then the last one says how many more there are */
static guint count_shown(guint lines, guint most)
{
    return lines <= most ? lines : most - 1;
}

static void append_rest(GString *out, guint hidden, const char *what, const HbViewSpace *space)
{
    g_autofree char *rest = g_strdup_printf("      and %u more %s", hidden, what);

    if (hidden == 0)
        return;
    append_cut(out, rest, space->columns);
    g_string_append_c(out, '\n');
}

static void append_sessions(GString *out, const HbView *view, gint64 now, const HbViewSpace *space, guint most)
{
    const guint shown = count_shown(view->sessions->len, most);

    for (guint i = 0; i < shown; i++)
        append_session(out, &g_array_index(view->sessions, HbViewSession, i), i, now, space);
    append_rest(out, view->sessions->len - shown, "sessions", space);
}

/* "  n2:4711          34%  120 MB, its last part 3 s ago": what other hosts have done of all there is */
static void append_hosts(GString *out, const HbView *view, gint64 now, const HbViewSpace *space, guint most)
{
    const guint shown = count_shown(view->hosts->len, most);
    guint width = 0;

    for (guint i = 0; i < shown; i++)
        width = MAX(width, hb_text_width(g_array_index(view->hosts, HbViewHost, i).name));
    width = MIN(width, space->columns / 3);
    for (guint i = 0; i < shown; i++) {
        const HbViewHost *host = &g_array_index(view->hosts, HbViewHost, i);
        g_autofree char *bytes = hb_text_bytes(host->bytes),
                        *time = hb_text_duration(hb_view_seconds_since(host->moved, now));
        g_autoptr(GString) line = g_string_new("  ");
        append_cut(line, host->name, width);
        hb_text_pad(line, MIN(hb_text_width(host->name), width), width);
        g_string_append_printf(line, "  %3d%%  %s, its last part %s ago",
                               (int)(view->total > 0 ? host->cost * 100 / view->total : 0), bytes, time);
        append_cut(out, line->str, space->columns - 1);
        g_string_append_c(out, '\n');
    }
    append_rest(out, view->hosts->len - shown, "hosts", space);
}

/* What is left of a session's longest path */
static guint64 count_left(const HbViewSession *session)
{
    return session->what == NULL ? 0 : session->path - MIN(session->path, session->done);
}

static const HbViewSession *find_longest(const HbView *view)
{
    const HbViewSession *longest = NULL;

    for (guint i = 0; i < view->sessions->len; i++) {
        const HbViewSession *session = &g_array_index(view->sessions, HbViewSession, i);
        if (count_left(session) > (longest != NULL ? count_left(longest) : 0))
            longest = session;
    }
    return longest;
}

/* What decides when all is done */
static void append_longest(GString *out, const HbView *view, const HbViewSpace *space)
{
    const HbViewSession *longest = find_longest(view);
    g_autofree char *line = longest != NULL && longest->next != NULL
                                ? g_strdup_printf("  the end waits for %s, then %s", longest->what, longest->next)
                                : NULL;
    g_autoptr(GString) cut = g_string_new(NULL);

    if (line == NULL)
        return;
    append_cut(cut, line, space->columns - 1);
    hb_text_append_painted(out, space->color, HB_PAINT_FAINT, cut->str);
    g_string_append_c(out, '\n');
}

/* "  1 failed, 2 warnings; last: ...": the messages themselves may have gone by */
static void append_problems(GString *out, const HbView *view, const HbViewSpace *space)
{
    g_autofree char *warnings = hb_text_plural(view->warnings, "warning", "warnings");
    g_autofree char *line = NULL;
    g_autoptr(GString) cut = g_string_new(NULL);

    if (view->last_problem == NULL)
        return;
    line = view->failures > 0
               ? g_strdup_printf("  %u failed, %s; last: %s", view->failures, warnings, view->last_problem)
               : g_strdup_printf("  %s; last: %s", warnings, view->last_problem);
    append_cut(cut, line, space->columns - 1);
    hb_text_append_painted(out, space->color, view->failures > 0 ? HB_PAINT_BAD : HB_PAINT_WARN, cut->str);
    g_string_append_c(out, '\n');
}

/* The rate over the phase so far, in steps of height */
static void append_past(GString *out, const HbView *view, const HbViewSpace *space)
{
    static const char *const heights[] = {"▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"};
    guint64 most = 0;

    for (guint i = 0; i + 1 < view->past_count; i++) /* the last one is not over */
        most = MAX(most, view->past[i]);
    if (view->past_count <= PAST_LEAST || most == 0 || space->columns < PAST_MAX + 40)
        return;
    g_autofree char *rate = hb_text_bytes(most * G_USEC_PER_SEC / (guint64)view->past_span_us);
    g_string_append(out, "  ");
    for (guint i = 0; i + 1 < view->past_count; i++)
        g_string_append(out, heights[view->past[i] * (G_N_ELEMENTS(heights) - 1) / most]);
    g_autofree char *label = g_strdup_printf("  %s/s at most", rate);
    hb_text_append_painted(out, space->color, HB_PAINT_FAINT, label);
    g_string_append_c(out, '\n');
}

/* All of it, however narrow the terminal is: the holder of what we wait for stands at the end */
static void append_silence(GString *out, const HbView *view, gint64 now, const HbViewSpace *space)
{
    const guint columns = MAX(space->columns, 20) - 1;
    g_autofree char *text = hb_view_describe_silence(view, now);
    g_autofree char *line = text != NULL ? g_strconcat("  ", text + strlen(view->phase) + strlen(": "), NULL) : NULL;
    g_autofree char *folded = line != NULL ? hb_text_fold(line, columns) : NULL;
    g_auto(GStrv) lines = folded != NULL ? g_strsplit(g_strchomp(folded), "\n", -1) : NULL;

    for (char **at = lines; at != NULL && *at != NULL; at++) {
        g_autoptr(GString) cut = g_string_new(NULL);
        append_cut(cut, *at, columns);
        hb_text_append_painted(out, space->color, HB_PAINT_WARN, cut->str);
        g_string_append_c(out, '\n');
    }
}

static void append_head(GString *out, const HbView *view, gint64 now, const HbViewSpace *space)
{
    g_autofree char *text = hb_view_is_running(view) ? hb_view_figures(view, now) : NULL;
    const guint phase = MAX(hb_text_width(view->phase), PHASE_WIDTH);
    const gboolean has_bar = text != NULL && phase + BAR_WIDTH + 1 + hb_text_width(text) < space->columns;
    const guint used = phase + (has_bar ? BAR_WIDTH : 0);

    hb_text_append_painted(out, space->color, HB_PAINT_STRONG, view->phase);
    if (text == NULL) {
        g_string_append(out, " ...\n");
        return;
    }
    hb_text_pad(out, hb_text_width(view->phase), PHASE_WIDTH);
    if (has_bar)
        append_bar(out, view, space->color);
    g_string_append_c(out, ' ');
    append_cut(out, text, space->columns - MIN(space->columns, used + 1));
    g_string_append_c(out, '\n');
}

static guint count_lines(const char *text)
{
    guint lines = 0;

    for (; *text != '\0'; text++)
        lines += *text == '\n';
    return lines;
}

/* Lines below what is there: one at least */
static guint count_room(const GString *out, const HbViewSpace *space)
{
    const guint used = count_lines(out->str) + 2;

    return space->rows > used ? space->rows - used : 1;
}

char *hb_view_draw(HbView *view, gint64 now, const HbViewSpace *space)
{
    GString *out = g_string_new(NULL);

    if (view->phase == NULL)
        return g_string_free(out, FALSE);
    append_head(out, view, now, space);
    append_silence(out, view, now, space);
    append_past(out, view, space);
    append_problems(out, view, space);
    append_longest(out, view, space);
    append_hosts(out, view, now, space, MAX(count_room(out, space) / 2, 1));
    append_sessions(out, view, now, space, count_room(out, space));
    return g_string_free(out, FALSE);
}

/* ---- For other programs ---- */

static json_t *write_hosts(const HbView *view, gint64 now)
{
    json_t *hosts = json_array();

    for (guint i = 0; i < view->hosts->len; i++) {
        const HbViewHost *host = &g_array_index(view->hosts, HbViewHost, i);
        json_array_append_new(hosts,
                              json_pack("{s:s, s:I, s:I, s:i, s:f}", "host", host->name, "bytes",
                                        (json_int_t)host->bytes, "cost", (json_int_t)host->cost, "parts",
                                        (int)host->parts, "silent_seconds", hb_view_seconds_since(host->moved, now)));
    }
    return hosts;
}

static json_t *write_session(const HbViewSession *session, guint number, gint64 now)
{
    json_t *json = json_pack("{s:i, s:s?, s:f}", "session", (int)number + 1, "what", session->what, "seconds",
                             session->what != NULL ? hb_view_seconds_since(session->began, now) : 0.0);

    if (session->total > 0)
        json_object_set_new(json, "percent",
                            json_integer((json_int_t)(MIN(session->done, session->total) * 100 / session->total)));
    return json;
}

char *hb_view_write_json(const HbView *view, gint64 now)
{
    const double left = hb_view_guess_seconds_left(view, now);
    json_t *root = json_object(), *sessions = json_array();
    char *text, *line;

    for (guint i = 0; i < view->sessions->len; i++)
        json_array_append_new(sessions, write_session(&g_array_index(view->sessions, HbViewSession, i), i, now));
    json_object_set_new(root, "phase", json_string(view->phase != NULL ? view->phase : ""));
    json_object_set_new(root, "seconds",
                        json_real(view->phase != NULL ? hb_view_seconds_since(view->started, now) : 0));
    json_object_set_new(root, "percent",
                        view->total > 0 ? json_integer((json_int_t)(view->done * 100 / view->total)) : json_null());
    json_object_set_new(root, "bytes", json_integer((json_int_t)view->bytes));
    json_object_set_new(root, "bytes_a_second", json_integer((json_int_t)hb_view_rate(view, now)));
    json_object_set_new(root, "allowed_a_second",
                        view->limit > 0 ? json_integer((json_int_t)view->limit) : json_null());
    json_object_set_new(root, "seconds_left", view->total > 0 && left >= 0 ? json_real(left) : json_null());
    json_object_set_new(root, "warnings", json_integer(view->warnings));
    json_object_set_new(root, "failed", json_integer(view->failures));
    json_object_set_new(root, "silent_seconds", json_integer(hb_view_silence_s(view, now)));
    json_object_set_new(root, "waits_for", view->wait != NULL ? json_string(view->wait) : json_null());
    json_object_set_new(root, "sessions", sessions);
    json_object_set_new(root, "hosts", write_hosts(view, now));
    text = json_dumps(root, JSON_COMPACT | JSON_ENSURE_ASCII | JSON_REAL_PRECISION(6));
    line = g_strdup(text != NULL ? text : "{}");
    free(text);
    json_decref(root);
    return line;
}
