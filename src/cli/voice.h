/* SPDX-License-Identifier: Apache-2.0 */
/*
 * voice - everything that goes to standard error, and to the log: the four voices (error, warning, note, detail) and
 * the progress of the work.
 *
 * On a terminal the progress is one live view below the messages, redrawn at most ten times a second; otherwise it is a
 * plain line now and then, or, for other programs, a line of JSON each second. Thread-safe.
 */
#pragma once

#include "work/run/observer.h"
#include "work/run/throttle.h"

typedef struct HbVoice HbVoice;

typedef struct {
    gboolean quiet;
    gboolean verbose;
    gboolean live; /* standard error is a terminal that can move its cursor */
    gboolean color;
    gboolean
        json; /* what is told is one line of JSON each, for other programs: messages, and once a second how far it is */
    const char *log; /* path, or NULL */
} HbVoiceOptions;

/* HB_ERROR_FILE if the log cannot be opened */
HbVoice *hb_voice_new(const HbVoiceOptions *options, GError **error);
/* Closes the log. FALSE, and told, if a line of it did not get there; nothing is written to it any more */
gboolean hb_voice_is_log_whole(HbVoice *voice);
void hb_voice_free(HbVoice *voice); /* takes the live view away */

gboolean hb_voice_has_color(const HbVoice *voice);

void hb_voice_say(HbVoice *voice, HbSeverity severity, const char *what, const char *hint);

/* A text of several lines that stands before or after the work: to standard error, and to the log */
void hb_voice_show(HbVoice *voice, const char *text, gboolean even_if_quiet);

/* To the log only */
void hb_voice_write_log(HbVoice *voice, const char *text);

/* Takes the live view away, before a result is printed */
void hb_voice_end_view(HbVoice *voice);

/* What holds the work back, shown beside its rate; NULL: nothing. It must outlive what is observed */
void hb_voice_set_throttle(HbVoice *voice, const HbThrottle *throttle);

/* Tells at once how far it is, whatever is told otherwise: somebody asked, by a signal. data is the voice */
void hb_voice_answer(gpointer voice);

/* An observer (see work/observer.h); data is the voice */
void hb_voice_observe(gpointer voice, const HbEvent *event);
