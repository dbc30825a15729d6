/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/voice.h"

#include "cli/terminal.h"
#include "cli/view.h"
#include "core/base/error.h"
#include "report/text.h"

#include <errno.h>
#include <jansson.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#define REDRAW_EVERY_US (G_USEC_PER_SEC / 10)
#define LOOK_EVERY_US   G_USEC_PER_SEC
#define LINE_EVERY_US   (15 * G_USEC_PER_SEC)

/* Lines about work that stands still */
#define SILENCE_EVERY_US (60 * G_USEC_PER_SEC)

struct HbVoice {
    HbVoiceOptions options;
    FILE *log;     /* NULL without one */
    int log_error; /* of the first line that did not get there; 0: all did */
    GMutex lock;   /* guards everything below, and both streams */
    HbView *view;
    GArray *drawn; /* guint: how wide the lines of the live view are that stand on the terminal */
    const HbThrottle *throttle;
    gint64 last_line;    /* when a plain line was last printed */
    gint64 last_silence; /* when it was last said that nothing comes; 0: not since something came */
    char *last_wait;     /* whom that named; NULL: nobody */
    GThread *ticker;     /* redraws the live view, and notices silence; NULL before the work begins */
    GCond ended;
    gboolean is_ended;
};

static const struct {
    const char *word;
    HbPaint paint;
} voices[] = {
    [HB_SEVERITY_DETAIL] = {"", HB_PAINT_FAINT},
    [HB_SEVERITY_NOTE] = {"note: ", HB_PAINT_STRONG},
    [HB_SEVERITY_WARNING] = {"warning: ", HB_PAINT_WARN},
    [HB_SEVERITY_ERROR] = {"error: ", HB_PAINT_BAD},
};

/* ---- The log; the lock is held ---- */

static void write_log(HbVoice *voice, const char *word, const char *text)
{
    g_autoptr(GDateTime) now = NULL;
    g_autofree char *stamp = NULL;

    if (voice->log == NULL)
        return;
    now = g_date_time_new_now_utc();
    stamp = g_date_time_format(now, "%Y-%m-%dT%H:%M:%SZ");
    if ((fprintf(voice->log, "%s %s%s\n", stamp, word, text) < 0 || fflush(voice->log) != 0) && voice->log_error == 0)
        voice->log_error = errno;
}

/* ---- The live view; the lock is held ---- */

/* Up to the view's first line, each line is cleared: to clear the screen from there on makes some terminals keep what
 * was there. A terminal that has become narrower since then shows a line as several */
static void erase(HbVoice *voice)
{
    const guint columns = MAX(hb_terminal_get_columns(STDERR_FILENO), 1);
    guint lines = 0;

    for (guint i = 0; i < voice->drawn->len; i++)
        lines += MAX((g_array_index(voice->drawn, guint, i) + columns - 1) / columns, 1);
    for (guint i = 0; i < lines; i++)
        fputs("\033[A\r\033[2K", stderr);
    g_array_set_size(voice->drawn, 0);
}

static void remember_drawn(HbVoice *voice, const char *text)
{
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);

    for (char **line = lines; *line != NULL && line[1] != NULL; line++) {
        const guint width = hb_text_width(*line);
        g_array_append_val(voice->drawn, width);
    }
}

static void look_at_throttle(HbVoice *voice)
{
    g_autoptr(GDateTime) now = voice->throttle != NULL ? g_date_time_new_now_local() : NULL;

    if (now != NULL)
        hb_view_set_limit(voice->view, hb_throttle_get_rate(voice->throttle, (guint)(g_date_time_get_hour(now) * 60 +
                                                                                     g_date_time_get_minute(now))));
}

static void draw(HbVoice *voice)
{
    const HbViewSpace space = {hb_terminal_get_columns(STDERR_FILENO), hb_terminal_get_rows(STDERR_FILENO),
                               voice->options.color};
    g_autofree char *text = NULL;

    if (!voice->options.live || voice->options.quiet || voice->is_ended)
        return;
    look_at_throttle(voice);
    text = hb_view_draw(voice->view, g_get_monotonic_time(), &space);
    erase(voice);
    fputs(text, stderr);
    fflush(stderr);
    remember_drawn(voice, text);
}

static void print_json(HbVoice *voice)
{
    g_autofree char *line = NULL;

    if (!voice->options.json || voice->is_ended)
        return;
    look_at_throttle(voice);
    line = hb_view_write_json(voice->view, g_get_monotonic_time());
    fprintf(stderr, "%s\n", line);
}

/* A plain line for people, where there is no view */
static void print_line(const HbVoice *voice, const char *line)
{
    if (!voice->options.live && !voice->options.quiet && !voice->options.json)
        fprintf(stderr, "%s\n", line);
}

/* Once soon, then now and then, and whenever the holder changes */
static void say_silence(HbVoice *voice)
{
    const gint64 now = g_get_monotonic_time();
    g_autofree char *line = hb_view_describe_silence(voice->view, now);
    const char *wait = hb_view_get_wait(voice->view);

    if (line == NULL) {
        voice->last_silence = 0;
        return;
    }
    if (voice->last_silence != 0 && now - voice->last_silence < SILENCE_EVERY_US &&
        (wait == NULL || g_strcmp0(wait, voice->last_wait) == 0))
        return;
    voice->last_silence = now;
    g_free(voice->last_wait);
    voice->last_wait = g_strdup(wait);
    write_log(voice, "", line);
    print_line(voice, line);
}

static gpointer tick(gpointer data)
{
    HbVoice *voice = data;

    g_mutex_lock(&voice->lock);
    while (!voice->is_ended) {
        gint64 until = g_get_monotonic_time() + (voice->options.live ? REDRAW_EVERY_US : LOOK_EVERY_US);
        draw(voice);
        print_json(voice);
        say_silence(voice);
        while (!voice->is_ended && g_cond_wait_until(&voice->ended, &voice->lock, until))
            continue;
    }
    g_mutex_unlock(&voice->lock);
    return NULL;
}

/* ---- Life ---- */

HbVoice *hb_voice_new(const HbVoiceOptions *options, GError **error)
{
    FILE *log = options->log != NULL ? fopen(options->log, "ae") : NULL;
    HbVoice *voice;

    if (options->log != NULL && log == NULL) {
        hb_error_set(error, HB_ERROR_FILE, "name a file that you may write", "the log %s cannot be opened: %s",
                     options->log, g_strerror(errno));
        return NULL;
    }
    voice = g_new0(HbVoice, 1);
    voice->options = *options;
    voice->log = log;
    voice->view = hb_view_new();
    voice->drawn = g_array_new(FALSE, FALSE, sizeof(guint));
    g_mutex_init(&voice->lock);
    g_cond_init(&voice->ended);
    return voice;
}

void hb_voice_end_view(HbVoice *voice)
{
    g_mutex_lock(&voice->lock);
    voice->is_ended = TRUE;
    erase(voice);
    fflush(stderr);
    g_cond_broadcast(&voice->ended);
    g_mutex_unlock(&voice->lock);
    if (voice->ticker != NULL)
        g_thread_join(g_steal_pointer(&voice->ticker));
}

gboolean hb_voice_is_log_whole(HbVoice *voice)
{
    g_autofree char *text = NULL;

    if (voice->log != NULL && fclose(g_steal_pointer(&voice->log)) != 0 && voice->log_error == 0)
        voice->log_error = errno;
    if (voice->log_error == 0)
        return TRUE;
    text = g_strdup_printf("the log %s is not whole: %s", voice->options.log, g_strerror(voice->log_error));
    hb_voice_say(voice, HB_SEVERITY_ERROR, text, "make room, or write it to another disk");
    return FALSE;
}

void hb_voice_free(HbVoice *voice)
{
    if (voice == NULL)
        return;
    hb_voice_end_view(voice);
    if (voice->log != NULL)
        fclose(voice->log);
    g_free(voice->last_wait);
    g_array_unref(voice->drawn);
    hb_view_free(voice->view);
    g_mutex_clear(&voice->lock);
    g_cond_clear(&voice->ended);
    g_free(voice);
}

gboolean hb_voice_has_color(const HbVoice *voice)
{
    return voice->options.color;
}

/* ---- Speaking ---- */

static gboolean is_heard(const HbVoice *voice, HbSeverity severity)
{
    if (severity == HB_SEVERITY_DETAIL)
        return voice->options.verbose;
    return severity >= HB_SEVERITY_WARNING || !voice->options.quiet;
}

/* A message for other programs */
static void print_json_message(HbSeverity severity, const char *what, const char *hint)
{
    static const char *const words[] = {"detail", "note", "warning", "error"};
    json_t *root = json_pack("{s:s, s:s?, s:s?}", "severity", words[severity], "message", what, "hint", hint);
    char *text = root != NULL ? json_dumps(root, JSON_COMPACT | JSON_ENSURE_ASCII) : NULL;

    fprintf(stderr, "%s\n", text != NULL ? text : "{}");
    free(text);
    json_decref(root);
}

static void print_message(HbVoice *voice, HbSeverity severity, const char *what, const char *hint)
{
    g_autoptr(GString) out = g_string_new(NULL);

    hb_text_append_painted(out, voice->options.color, voices[severity].paint, voices[severity].word);
    g_string_append_printf(out, "%s\n", what);
    if (hint != NULL)
        g_string_append_printf(out, "  what to do: %s\n", hint);
    erase(voice);
    fputs(out->str, stderr);
    fflush(stderr);
}

static void say(HbVoice *voice, HbSeverity severity, const char *what, const char *hint)
{
    g_autofree char *visible = hb_text_visible(what);
    g_autofree char *visible_hint = hint != NULL ? hb_text_visible(hint) : NULL;

    write_log(voice, voices[severity].word, visible);
    if (visible_hint != NULL)
        write_log(voice, "  what to do: ", visible_hint);
    if (is_heard(voice, severity) && voice->options.json)
        print_json_message(severity, visible, visible_hint);
    else if (is_heard(voice, severity))
        print_message(voice, severity, visible, visible_hint);
}

void hb_voice_say(HbVoice *voice, HbSeverity severity, const char *what, const char *hint)
{
    g_mutex_lock(&voice->lock);
    say(voice, severity, what, hint);
    g_mutex_unlock(&voice->lock);
}

void hb_voice_write_log(HbVoice *voice, const char *text)
{
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);

    g_mutex_lock(&voice->lock);
    for (char **line = lines; *line != NULL; line++) {
        if (**line != '\0')
            write_log(voice, "", *line);
    }
    g_mutex_unlock(&voice->lock);
}

void hb_voice_show(HbVoice *voice, const char *text, gboolean even_if_quiet)
{
    hb_voice_write_log(voice, text);
    g_mutex_lock(&voice->lock);
    if ((even_if_quiet || !voice->options.quiet) && !voice->options.json) {
        g_autofree char *folded =
            voice->options.live ? hb_text_fold(text, hb_terminal_get_columns(STDERR_FILENO)) : g_strdup(text);
        erase(voice);
        fputs(folded, stderr);
        fflush(stderr);
    }
    g_mutex_unlock(&voice->lock);
}

/* ---- Observing ---- */

static void start_ticker(HbVoice *voice)
{
    if (voice->ticker == NULL && !voice->is_ended)
        voice->ticker = g_thread_new("view", tick, voice);
}

static void say_progress(HbVoice *voice)
{
    g_autofree char *line = hb_view_describe(voice->view, g_get_monotonic_time());

    voice->last_line = g_get_monotonic_time();
    write_log(voice, "", line);
    print_line(voice, line);
}

void hb_voice_set_throttle(HbVoice *voice, const HbThrottle *throttle)
{
    g_mutex_lock(&voice->lock);
    voice->throttle = throttle;
    g_mutex_unlock(&voice->lock);
}

void hb_voice_answer(gpointer data)
{
    HbVoice *voice = data;
    g_autofree char *line = NULL;

    g_mutex_lock(&voice->lock);
    if (voice->options.json) {
        print_json(voice);
    } else {
        look_at_throttle(voice);
        line = hb_view_describe(voice->view, g_get_monotonic_time());
        write_log(voice, "", line);
        erase(voice);
        fprintf(stderr, "%s\n", line);
    }
    g_mutex_unlock(&voice->lock);
}

static void begin_phase(HbVoice *voice, const HbEvent *event)
{
    g_autofree char *total = event->total > 0 ? hb_text_bytes(event->total) : NULL;
    g_autofree char *line =
        total != NULL ? g_strdup_printf("%s (about %s)", event->what, total) : g_strdup(event->what);

    voice->last_line = g_get_monotonic_time();
    write_log(voice, "", line);
    print_line(voice, line);
    start_ticker(voice);
}

static void say_step(HbVoice *voice, const HbEvent *event)
{
    g_autofree char *line = g_strdup_printf("%u: %s", event->worker + 1, event->what);

    if (voice->options.verbose)
        say(voice, HB_SEVERITY_DETAIL, line, NULL);
}

void hb_voice_observe(gpointer data, const HbEvent *event)
{
    HbVoice *voice = data;
    gboolean is_known;

    g_mutex_lock(&voice->lock);
    is_known = event->type == HB_EVENT_PHASE && hb_view_is_in_phase(voice->view, event->what);
    hb_view_follow(voice->view, event, g_get_monotonic_time());
    switch (event->type) {
    case HB_EVENT_PHASE:
        if (!is_known)
            begin_phase(voice, event);
        break;
    case HB_EVENT_STARTED:
        say_step(voice, event);
        break;
    case HB_EVENT_HOST:
    case HB_EVENT_ADVANCED:
        if (hb_view_is_running(voice->view) && g_get_monotonic_time() - voice->last_line >= LINE_EVERY_US)
            say_progress(voice);
        break;
    case HB_EVENT_NOTED:
        say(voice, event->severity, event->what, event->hint);
        break;
    case HB_EVENT_FINISHED:
    case HB_EVENT_WAITING:
        break;
    }
    g_mutex_unlock(&voice->lock);
}
