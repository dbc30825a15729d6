/* SPDX-License-Identifier: Apache-2.0 */
/*
 * terminal - what the program has to do with its terminal and its process: signals, prompts, its own command line.
 */
#pragma once

#include "work/run/stop.h"

gboolean hb_terminal_is_output(void);     /* standard output is a terminal */
gboolean hb_terminal_is_error_live(void); /* standard error is one that can move its cursor */
guint hb_terminal_get_columns(int fd);    /* a usual width if that cannot be known */
guint hb_terminal_get_rows(int fd);       /* likewise */
gboolean hb_terminal_can_ask(void);       /* a person can be asked */

/* Asks without echo; NULL if there is no answer. The caller's, to be wiped */
char *hb_terminal_ask_password(const char *server);

/* Asks a question; TRUE only if the answer is the word yes */
gboolean hb_terminal_ask_yes(const char *question);

/* Asks for a line of text, the caller's; NULL if there is no answer */
char *hb_terminal_ask_line(const char *question);

/*
 * SIGINT, SIGTERM and SIGHUP trigger the stop; the second one ends the program at once. SIGPIPE, SIGXFSZ: ignored.
 * SIGUSR1, and SIGINFO where there is one: answer is called, in a thread of its own
 */
void hb_terminal_watch_signals(HbStop *stop, void (*answer)(gpointer data), gpointer data);
void hb_terminal_forget_signals(void);

/* Overwrites passwords inside URIs on the command line, which other users of this machine can read */
void hb_terminal_hide_passwords(int argc, char **argv);
