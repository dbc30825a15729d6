/* SPDX-License-Identifier: Apache-2.0 */
/*
 * lexer - reading SQL text as the tokens that it is made of, never as a bare string.
 *
 * What all servers share is ISO SQL ("Lexical elements" of part 2): words, names in double quotes or backticks, texts
 * in single quotes, comments. Where they differ, the rules say it, and each engine has its own. Bytes above 127 belong
 * to words.
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

/* Where servers read SQL differently; all FALSE: as ISO SQL has it */
typedef struct {
    gboolean backslash_escapes;   /* a backslash in a text takes the byte behind it with it */
    gboolean double_quoted_texts; /* "..." is a text, not a name */
    gboolean dollar_quotes;       /* $tag$...$tag$ is a text */
    gboolean hash_comments;       /* # begins a comment that the line end ends */
    gboolean dashes_need_space;   /* -- is a comment before white space only: 5--1 is arithmetic */
    gboolean nested_comments;
    gboolean keeps_comments;   /* the server keeps them with a definition: they count when two are compared */
    gboolean quotes_key_words; /* the server prints quotes around names that only some of its versions need quoted */
    /* Behind the opening of a comment which the server runs; NULL: this one is a comment. NULL: it runs none */
    const char *(*skip_opening)(const char *at);
} HbLexicalRules;

/* Plain ISO SQL: what identities and names are read by */
extern const HbLexicalRules hb_lexer_plain;

/* The words before texts that must not be shown; lists ended by NULL, each may be NULL */
typedef struct {
    const char *const *announcing; /* wherever they stand */
    const char *const *of_account; /* from these on, to the end of the statement, ... */
    const char *const *in_account; /* ... these announce one, too */
} HbSecretWords;

/* The token at *text; moves *text behind it. An unterminated quote or comment runs to the end */
HbToken hb_lexer_read_token(const HbLexicalRules *rules, const char **text);

gboolean hb_token_is_word(const HbToken *token, const char *word); /* case is ignored */
char *hb_token_unquote(const HbToken *token);  /* a word, or what a quoted identifier says; the caller's */
char *hb_lexer_unquote_name(const char *name); /* likewise, of a text that is one name. The caller's */

/*
 * Equal for texts that differ in white space only, or in what the rules say means nothing: one blank between tokens.
 * The caller's
 */
char *hb_lexer_normalise(const HbLexicalRules *rules, const char *sql);

/* A copy in which each announced text, such as a password or the hash of one, is hidden. The caller's */
char *hb_lexer_hide_secrets(const HbLexicalRules *rules, const HbSecretWords *words, const char *sql);

/* A copy in which the name after each such word, if it is old_name (unquoted), is new_name (quoted). The caller's */
char *hb_lexer_rename_after(const HbLexicalRules *rules, const char *word, const char *sql, const char *old_name,
                            const char *new_name);
