/* SPDX-License-Identifier: Apache-2.0 */
/*
 * lexer - reading SQL text as the tokens that it is made of, never as a bare string.
 *
 * The lexical rules are those of ISO SQL with PostgreSQL's additions (E'' strings, dollar quotes, nested comments), or
 * those of MariaDB and MySQL in their usual sql_mode (backslash escapes, "" strings, `` names, # comments); see
 * "Lexical Structure" in their manuals. Bytes above 127 belong to words. What MariaDB runs although it stands in a
 * comment (slash, star, exclamation mark, version) is read like the rest.
 */
#pragma once

#include <glib.h>

typedef enum {
    HB_TOKEN_END,
    HB_TOKEN_SPACE, /* white space and comments */
    HB_TOKEN_WORD,  /* an unquoted identifier or key word, or a number */
    HB_TOKEN_NAME,  /* a quoted identifier, quotes included */
    HB_TOKEN_TEXT,  /* a string literal, quotes and prefix included */
    HB_TOKEN_SIGN   /* any other single byte */
} HbTokenType;

typedef struct {
    HbTokenType type;
    const char *start; /* within the text that is read */
    gsize length;
} HbToken;

typedef enum { HB_DIALECT_POSTGRES, HB_DIALECT_MARIADB } HbDialect;

/* The token at *text; moves *text behind it. An unterminated quote or comment runs to the end */
HbToken hb_lexer_read_token(HbDialect dialect, const char **text);

gboolean hb_token_is_word(const HbToken *token, const char *word); /* case is ignored */
char *hb_token_unquote(const HbToken *token);  /* a word, or what a quoted identifier says; the caller's */
char *hb_lexer_unquote_name(const char *name); /* likewise, of a text that is one name. The caller's */

/*
 * Equal for texts that differ in white space only (PostgreSQL's: and in comments, which it never keeps, and in quotes
 * around names that are plain words): one blank between tokens. The caller's
 */
char *hb_lexer_normalise(HbDialect dialect, const char *sql);

/* A copy in which each literal that is a password, or the hash of one, is hidden. The caller's */
char *hb_lexer_hide_passwords(HbDialect dialect, const char *sql);

/* A copy in which the name after each word DATABASE, if it is old_name (unquoted), is new_name (quoted) */
char *hb_lexer_rename_database(const char *sql, const char *old_name, const char *new_name);
