/* SPDX-License-Identifier: Apache-2.0 */
/*
 * row_text - how a field of a row is written in a dump; see row_counter.h.
 */
#pragma once

#include <glib.h>

/* The byte that a backslash and this letter stand for */
char hb_row_text_unescape(char letter);

/* A value's bytes as a field has them */
void hb_row_text_append(GString *text, const char *bytes, gsize length);
