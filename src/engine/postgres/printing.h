/* SPDX-License-Identifier: Apache-2.0 */
/*
 * printing - what the server prints, so that it reads back as what it was.
 */
#pragma once

#include <glib.h>

/*
 * A list of character varying compared as text (v IN ('a', 'b')) is printed with a cast around the list; read back, the
 * cast moves to each element, and the expression is another one, though of the same meaning. Without that cast it reads
 * back as it was. The text without it, or NULL if there is nothing to change; the caller's.
 */
char *hb_pg_steady(const char *sql);

/*
 * The first version that can read what a definition says (of expressions, outside of literals): 160000 for one with
 * IS JSON; 0 if all that this program knows can. what: the words that came with it, for people
 */
guint hb_pg_find_first_version(const char *sql, const char **what);
