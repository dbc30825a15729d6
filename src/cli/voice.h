/* SPDX-License-Identifier: Apache-2.0 */
/*
 * voice - everything that goes to standard error, and to the log: the four voices (error, warning, note, detail) and
 * the progress of the work.
 *
 * On a terminal the progress is one live view below the messages, redrawn at most ten times a second; otherwise it is a
 * plain line now and then. Thread-safe.
 */
#pragma once

#include "work/run/observer.h"

typedef struct HbVoice HbVoice;

typedef struct {
    gboolean quiet;
    gboolean verbose;
    gboolean live; /* standard error is a terminal that can move its cursor */
    gboolean color;
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

/* An observer (see work/observer.h); data is the voice */
void hb_voice_observe(gpointer voice, const HbEvent *event);
