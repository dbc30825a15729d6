/* SPDX-License-Identifier: Apache-2.0 */
/*
 * pieces - what pages are made of: headings, facts, the verdict at the end.
 */
#pragma once

#include <glib.h>

void hb_piece_append_heading(GString *out, gboolean color, const char *text);

/* "  label      value" */
void hb_piece_append_fact(GString *out, gboolean color, const char *label, const char *format, ...) G_GNUC_PRINTF(4, 5);

/* The last line: what it all comes to */
void hb_piece_append_verdict(GString *out, gboolean color, gboolean good, const char *format, ...) G_GNUC_PRINTF(4, 5);

/* "label: one, two, three", wrapped between the names; names: char * */
void hb_piece_append_list(GString *out, const char *label, const GPtrArray *names);
