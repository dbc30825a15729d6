/* SPDX-License-Identifier: Apache-2.0 */
/*
 * html - pages that stand alone, to be kept with a change ticket. Texts are made visible and escaped on their way in.
 */
#pragma once

#include <glib.h>

void hb_html_begin(GString *out, const char *title);
void hb_html_end(GString *out); /* with the program's version and the time */

/* begin and end are markup of ours */
void hb_html_append_text(GString *out, const char *begin, const char *text, const char *end);
void hb_html_append_lines(GString *out, const char *begin, const char *text, const char *end); /* line ends stay such */
void hb_html_append_fact(GString *out, const char *label, const char *value);                  /* in a <dl> */
void hb_html_append_verdict(GString *out, gboolean good, const char *text);
