/* SPDX-License-Identifier: Apache-2.0 */
#include "core/sql/lexer.h"

#include <string.h>

/*
 * One pass over a text, token by token, with the rules of an engine as data: which quotes there are, what escapes in
 * them, which comments, whether they nest. The tokens cover the text without a gap, so that a text can be changed at
 * one place and put together again; a token points into the text, and owns nothing. Whatever the bytes are, the end is
 * reached: an open quote ends with the text.
 */

const HbLexicalRules hb_lexer_plain = {0};

static gboolean is_word_byte(char byte)
{
    return g_ascii_isalnum(byte) || byte == '_' || byte == '$' || (byte & 0x80) != 0;
}

/* ---- Where each sort of token ends; `at` stands on its first byte ---- */

static const char *end_of_quoted(const char *at, gboolean backslashes)
{
    char quote = *at++;

    while (*at != '\0') {
        if (backslashes && *at == '\\' && at[1] != '\0')
            at += 2;
        else if (*at == quote && at[1] == quote)
            at += 2;
        else if (*at++ == quote)
            break;
    }
    return at;
}

static const char *end_of_line_comment(const char *at)
{
    return at + strcspn(at, "\n");
}

static const char *end_of_block_comment(const char *at, gboolean nested)
{
    int depth = 0;

    do {
        if (at[0] == '/' && at[1] == '*' && (nested || depth == 0)) {
            depth++;
            at += 2;
        } else if (at[0] == '*' && at[1] == '/') {
            depth--;
            at += 2;
        } else {
            at++;
        }
    } while (depth > 0 && *at != '\0');
    return at;
}

static gboolean begins_line_comment(const HbLexicalRules *rules, const char *at)
{
    if (rules->hash_comments && *at == '#')
        return TRUE;
    return at[0] == '-' && at[1] == '-' &&
           (!rules->dashes_need_space || at[2] == '\0' || g_ascii_isspace(at[2]) || g_ascii_iscntrl(at[2]));
}

static const char *end_of_comment(const HbLexicalRules *rules, const char *at)
{
    const char *opening = rules->skip_opening != NULL ? rules->skip_opening(at) : NULL;

    return opening != NULL ? opening : end_of_block_comment(at, rules->nested_comments);
}

static const char *end_of_space(const HbLexicalRules *rules, const char *at)
{
    for (;;) {
        if (g_ascii_isspace(*at))
            at++;
        else if (begins_line_comment(rules, at))
            at = end_of_line_comment(at);
        else if (at[0] == '/' && at[1] == '*')
            at = end_of_comment(rules, at);
        else if (rules->skip_opening != NULL && at[0] == '*' && at[1] == '/')
            at += 2; /* the other end of what is run */
        else
            return at;
    }
}

/* $tag$ ... $tag$; NULL if the dollar begins no quote (a parameter such as $1) */
static const char *end_of_dollar_quoted(const char *at)
{
    const char *tag_end = at + 1;

    while (is_word_byte(*tag_end) && *tag_end != '$')
        tag_end++;
    if (*tag_end != '$' || g_ascii_isdigit(at[1]))
        return NULL;
    g_autofree char *tag = g_strndup(at, (gsize)(tag_end - at) + 1);
    const char *close = strstr(tag_end + 1, tag);
    return close != NULL ? close + strlen(tag) : at + strlen(at);
}

static const char *end_of_word(const char *at)
{
    while (is_word_byte(*at))
        at++;
    return at;
}

static gboolean begins_prefixed_text(const char *at)
{
    return strchr("eEbBxXnN", *at) != NULL && at[1] == '\'';
}

static const char *end_of_token(const HbLexicalRules *rules, const char *at, HbTokenType *type)
{
    const char *end = end_of_space(rules, at);

    *type = HB_TOKEN_SPACE;
    if (end != at)
        return end;
    *type = HB_TOKEN_TEXT;
    if (*at == '\'' || (rules->double_quoted_texts && *at == '"'))
        return end_of_quoted(at, rules->backslash_escapes);
    if (begins_prefixed_text(at))
        return end_of_quoted(at + 1, rules->backslash_escapes || *at == 'e' || *at == 'E');
    if (rules->dollar_quotes && *at == '$' && (end = end_of_dollar_quoted(at)) != NULL)
        return end;
    *type = HB_TOKEN_NAME;
    if (*at == '"' || *at == '`')
        return end_of_quoted(at, FALSE);
    *type = HB_TOKEN_WORD;
    if (is_word_byte(*at))
        return end_of_word(at);
    *type = HB_TOKEN_SIGN;
    return at + 1;
}

HbToken hb_lexer_read_token(const HbLexicalRules *rules, const char **text)
{
    HbToken token = {HB_TOKEN_END, *text, 0};

    if (**text == '\0')
        return token;
    *text = end_of_token(rules, *text, &token.type);
    token.length = (gsize)(*text - token.start);
    return token;
}

char *hb_token_unquote(const HbToken *token)
{
    char quote = *token->start;
    GString *name;

    if (token->type != HB_TOKEN_NAME)
        return g_strndup(token->start, token->length);
    name = g_string_new(NULL);
    for (gsize i = 1; i + 1 < token->length; i++) {
        g_string_append_c(name, token->start[i]);
        if (token->start[i] == quote)
            i++;
    }
    return g_string_free(name, FALSE);
}

char *hb_lexer_unquote_name(const char *name)
{
    const HbToken token = {*name == '"' || *name == '`' ? HB_TOKEN_NAME : HB_TOKEN_WORD, name, strlen(name)};

    return hb_token_unquote(&token);
}

gboolean hb_token_is_word(const HbToken *token, const char *word)
{
    return token->type == HB_TOKEN_WORD && strlen(word) == token->length &&
           g_ascii_strncasecmp(token->start, word, token->length) == 0;
}

static gboolean counts(const HbLexicalRules *rules, const HbToken *token)
{
    if (token->type != HB_TOKEN_SPACE)
        return TRUE;
    return rules->keeps_comments && strspn(token->start, " \t\r\n\f\v") < token->length;
}

/* The quotes say nothing around a name that would be read alike without them */
static gboolean is_quoted_for_nothing(const HbLexicalRules *rules, const HbToken *token)
{
    if (!rules->quotes_key_words || token->type != HB_TOKEN_NAME || token->length < 3 ||
        !(g_ascii_islower(token->start[1]) || token->start[1] == '_'))
        return FALSE;
    for (gsize i = 1; i + 1 < token->length; i++) {
        const char c = token->start[i];
        if (!g_ascii_islower(c) && !g_ascii_isdigit(c) && c != '_')
            return FALSE;
    }
    return TRUE;
}

char *hb_lexer_normalise(const HbLexicalRules *rules, const char *sql)
{
    GString *result = g_string_new(NULL);
    HbToken token;

    while ((token = hb_lexer_read_token(rules, &sql)).type != HB_TOKEN_END) {
        g_autofree char *text = NULL;
        if (!counts(rules, &token))
            continue;
        if (result->len > 0)
            g_string_append_c(result, ' ');
        text = is_quoted_for_nothing(rules, &token) ? g_strndup(token.start + 1, token.length - 2)
                                                    : g_strndup(token.start, token.length);
        g_string_append(result, token.type == HB_TOKEN_SPACE ? g_strstrip(text) : text);
    }
    return g_string_free(result, FALSE);
}

static gboolean is_among(const HbToken *token, const char *const *words)
{
    for (; words != NULL && *words != NULL; words++) {
        if (hb_token_is_word(token, *words))
            return TRUE;
    }
    return FALSE;
}

char *hb_lexer_hide_secrets(const HbLexicalRules *rules, const HbSecretWords *words, const char *sql)
{
    GString *result = g_string_new(NULL);
    gboolean announced = FALSE, of_account = FALSE;
    HbToken token;

    while ((token = hb_lexer_read_token(rules, &sql)).type != HB_TOKEN_END) {
        if (announced &&
            (token.type == HB_TOKEN_TEXT || (token.start[0] == '0' && strchr("xX", token.start[1]) != NULL)))
            g_string_append(result, "'(hidden)'");
        else
            g_string_append_len(result, token.start, (gssize)token.length);
        if (token.type == HB_TOKEN_SPACE)
            continue;
        of_account = (of_account || is_among(&token, words->of_account)) && *token.start != ';';
        announced = is_among(&token, words->announcing) || (of_account && is_among(&token, words->in_account)) ||
                    (announced && strchr("(=", *token.start) != NULL);
    }
    return g_string_free(result, FALSE);
}

static gboolean is_name(const HbToken *token, const char *name)
{
    g_autofree char *own = NULL;

    if (token->type != HB_TOKEN_WORD && token->type != HB_TOKEN_NAME)
        return FALSE;
    own = hb_token_unquote(token);
    return strcmp(own, name) == 0;
}

char *hb_lexer_rename_after(const HbLexicalRules *rules, const char *word, const char *sql, const char *old_name,
                            const char *new_name)
{
    GString *result = g_string_new(NULL);
    gboolean after_word = FALSE;
    HbToken token;

    while ((token = hb_lexer_read_token(rules, &sql)).type != HB_TOKEN_END) {
        if (after_word && is_name(&token, old_name))
            g_string_append(result, new_name);
        else
            g_string_append_len(result, token.start, (gssize)token.length);
        if (token.type != HB_TOKEN_SPACE)
            after_word = hb_token_is_word(&token, word);
    }
    return g_string_free(result, FALSE);
}
