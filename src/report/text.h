/* SPDX-License-Identifier: Apache-2.0 */
/*
 * text - pieces of output for people: widths, colours, sizes, times.
 *
 * Everything that comes from a server or a file passes through hb_text_visible() on its way to a terminal.
 */
#pragma once

#include <glib.h>

typedef enum { HB_PAINT_PLAIN, HB_PAINT_STRONG, HB_PAINT_FAINT, HB_PAINT_GOOD, HB_PAINT_WARN, HB_PAINT_BAD } HbPaint;

/* Appends text, in colour if wanted */
void hb_text_append_painted(GString *out, gboolean color, HbPaint paint, const char *text);

/* A control character, or a mark that turns the direction of writing */
gboolean hb_text_is_harmful(gunichar c);

/* A copy in which control characters and broken UTF-8 are spelled out (\x1B, \n); the caller's */
char *hb_text_visible(const char *text);

/* Columns that the text takes on a terminal: two for wide characters, none for combining ones */
guint hb_text_width(const char *text);

/*
 * A copy whose lines are no wider than that, where they can be broken at a blank; what follows is indented a little
 * more. Colours take no room. The caller's
 */
char *hb_text_fold(const char *text, guint columns);

/* Appends blanks up to a width */
void hb_text_pad(GString *out, guint have, guint want);

/* "12,345"; "1.2 MB"; "4.2 s", "1:05 min" or "2:03:04 h". The caller's */
char *hb_text_count(guint64 number);
char *hb_text_bytes(guint64 bytes);
char *hb_text_duration(double seconds);

/* "1 table", "2 tables"; the caller's */
char *hb_text_plural(guint64 number, const char *one, const char *many);
