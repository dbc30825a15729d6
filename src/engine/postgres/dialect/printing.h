/* SPDX-License-Identifier: Apache-2.0 */
/*
 * printing - what the server prints, so that it reads back as what it was.
 */
#pragma once

#include <glib.h>

/*
 * A list of character varying compared as text (v IN ('a', 'b')) is printed with a cast around the list; read back, the
 * cast moves to each element, and the expression is another one, though of the same meaning. Without that cast it reads
 * back as it was. And newer servers print IN before a procedure's arguments, older ones do not. The text without
 * either, or NULL if there is nothing to change; the caller's.
 */
char *hb_pg_write_canonical(const char *sql);

/*
 * The first version that can read what a definition says (of expressions, outside of literals): 160000 for one with
 * IS JSON; 0 if all that this program knows can. what: the words that came with it, for people
 */
guint hb_pg_find_first_version(const char *sql, const char **what);

/*
 * Words that newer servers read as key words, and that older ones print without quotes where they are names: the text
 * with quotes around them, as newer ones print it. NULL if there are none; the caller's. is_name: all of it is the name
 * of an object, perhaps with arguments in parentheses
 */
#define HB_PG_QUOTES_NEW_WORDS 170000 /* servers from this version on do so themselves */
char *hb_pg_quote_new_words(const char *text, gboolean is_name);

/* How a definition begins whose object stands in a tablespace; the name follows */
#define HB_PG_SETS_PLACE "SET default_tablespace = "

/* The word after a mark of a definition, quotes included; NULL if the mark is not there. The caller's */
char *hb_pg_word_after(const char *definition, const char *mark);
