/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/lexical.h"

/*
 * MariaDB and MySQL run what stands in a comment that begins with ! (or M!), if their version is as high as the number
 * behind it: only its two ends are space. No server has such a version, so that it is a comment for all of them
 */
#define NO_SUCH_VERSION 200000

static const char *skip_opening(const char *at)
{
    const char *mark = at + 2 + (at[2] == 'M');
    guint64 version;
    char *end;

    if (*mark != '!')
        return NULL;
    version = g_ascii_isdigit(mark[1]) ? g_ascii_strtoull(mark + 1, &end, 10) : 0;
    if (version >= NO_SUCH_VERSION)
        return NULL;
    return version > 0 ? end : mark + 1;
}

/* A comment may be run by another version, and stays in what the server keeps */
const HbLexicalRules hb_my_rules = {.backslash_escapes = TRUE,
                                    .double_quoted_texts = TRUE,
                                    .hash_comments = TRUE,
                                    .dashes_need_space = TRUE,
                                    .keeps_comments = TRUE,
                                    .skip_opening = skip_opening};

HbToken hb_my_next(const char **text)
{
    HbToken token;

    do {
        token = hb_lexer_read_token(&hb_my_rules, text);
    } while (token.type == HB_TOKEN_SPACE);
    return token;
}

gboolean hb_my_token_is_sign(const HbToken *token, char sign)
{
    return token->type == HB_TOKEN_SIGN && *token->start == sign;
}

gboolean hb_my_token_is_name(const HbToken *token)
{
    return token->type == HB_TOKEN_WORD || token->type == HB_TOKEN_NAME;
}
