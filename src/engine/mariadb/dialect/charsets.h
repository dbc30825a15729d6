/* SPDX-License-Identifier: Apache-2.0 */
/*
 * charsets - definitions that were written in another character set than UTF-8.
 *
 * A dump's text is UTF-8, so a stock shell must read such a definition as utf8mb4, which means the same. The server
 * records in which one it was written; a remark in the definition tells us, and we send it in that one:
 *
 *     SET character_set_client = utf8mb4 (comment: written in latin1), ...;
 *
 * And the collation that what names a character set only has.
 */
#pragma once

#include <glib.h>

/* The value for SET, with the remark; the caller's */
char *hb_my_write_charset(const char *charset);

/* The character set that a statement's remark names; NULL if it has none. The caller's */
char *hb_my_read_charset(const char *statement);

/* The text in that character set; NULL if it has none for it, or would not come back the same. The caller's */
char *hb_my_encode(const char *text, const char *charset);

/* Of a server of this version; NULL: it has no other one (binary). The caller's */
char *hb_my_get_usual_collation(const char *charset, guint version);
