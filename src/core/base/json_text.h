/* SPDX-License-Identifier: Apache-2.0 */
/*
 * json_text - names and definitions as JSON can hold them, which is UTF-8 only: a database without an encoding has
 * names of any bytes.
 *
 * Each byte that is no part of a UTF-8 character stands as U+10FE00 and its value, in the last of Unicode's areas for
 * private use. A character of that range itself (U+10FE80 to U+10FEFF) is written byte by byte in the same way, so that
 * every text has one form and comes back as it was.
 */
#pragma once

#include <glib.h>

/* Both give the caller's text; for one in UTF-8 without such characters, a copy */
char *hb_json_text_write(const char *text);
char *hb_json_text_read(const char *json);
