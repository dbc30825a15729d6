/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/same_definition.h"

#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/show_create_parser.h"

#include <string.h>

/* A text as it is read, with the words that do not matter where they stand taken out of a column and put to its end */
typedef struct {
    GArray *tokens; /* HbToken */
    guint at;
    char *collation; /* of columns without their own; NULL: none is said */
} Words;

/* ---- Reading ---- */

/* A column, or all else between two commas, ends here */
static gboolean ends_item(const HbToken *token, int depth)
{
    return (depth <= 1 && (hb_my_token_is_sign(token, ',') || hb_my_token_is_sign(token, ')'))) ||
           token->type == HB_TOKEN_END;
}

static Words read_words(const char *sql)
{
    static const char word[] = "INVISIBLE";
    Words words = {g_array_new(FALSE, FALSE, sizeof(HbToken)), 0, hb_show_create_find_collation(sql)};
    gboolean is_invisible = FALSE;
    int depth = 0;
    HbToken token;

    do {
        token = hb_my_next(&sql);
        if (ends_item(&token, depth) && is_invisible) {
            const HbToken last = {HB_TOKEN_WORD, word, strlen(word)};
            g_array_append_val(words.tokens, last);
            is_invisible = FALSE;
        }
        depth += hb_my_token_is_sign(&token, '(') - hb_my_token_is_sign(&token, ')');
        if (depth == 1 && hb_token_is_word(&token, word))
            is_invisible = TRUE;
        else
            g_array_append_val(words.tokens, token);
    } while (token.type != HB_TOKEN_END);
    return words;
}

static void words_clear(Words *words)
{
    g_array_unref(words->tokens);
    g_free(words->collation);
}

/* The word so many places further on; the last one is the end for ever */
static const HbToken *look(const Words *words, guint ahead)
{
    return &g_array_index(words->tokens, HbToken, MIN(words->at + ahead, words->tokens->len - 1));
}

static const HbToken *look_back(const Words *words)
{
    return words->at > 0 ? &g_array_index(words->tokens, HbToken, words->at - 1) : NULL;
}

/* ---- Comparing ---- */

/* Without quotes; utf8 is what servers called utf8mb3. The caller's */
static char *plain(const HbToken *token)
{
    char *text = hb_token_unquote(token);

    if (token->type != HB_TOKEN_WORD)
        return text;
    if (g_ascii_strcasecmp(text, "utf8") == 0 || g_ascii_strncasecmp(text, "utf8_", 5) == 0) {
        char *renamed = g_strconcat("utf8mb3", text + strlen("utf8"), NULL);
        g_free(text);
        return renamed;
    }
    return text;
}

static gboolean is_text_of(const HbToken *text, const HbToken *word)
{
    return text->type == HB_TOKEN_TEXT && word->type == HB_TOKEN_WORD && text->length == word->length + 2 &&
           g_ascii_isdigit(*word->start) && strncmp(text->start + 1, word->start, word->length) == 0;
}

static gboolean is_alike(const HbToken *one, const HbToken *other)
{
    g_autofree char *a = NULL, *b = NULL;

    if (is_text_of(one, other) || is_text_of(other, one))
        return TRUE;
    if (!hb_my_token_is_name(one) || !hb_my_token_is_name(other))
        return one->type == other->type && one->length == other->length &&
               memcmp(one->start, other->start, one->length) == 0;
    a = plain(one);
    b = plain(other);
    return one->type == HB_TOKEN_WORD && other->type == HB_TOKEN_WORD ? g_ascii_strcasecmp(a, b) == 0
                                                                      : strcmp(a, b) == 0;
}

/* ---- What only one of two says ---- */

static gboolean is_whole_number(const HbToken *token)
{
    static const char *const types[] = {"tinyint", "smallint", "mediumint", "int", "bigint", "year"};

    for (gsize i = 0; token != NULL && i < G_N_ELEMENTS(types); i++) {
        if (hb_token_is_word(token, types[i]))
            return TRUE;
    }
    return FALSE;
}

/* How many words from here on say what may as well be left out */
static guint count_idle(const Words *words)
{
    const HbToken *here = look(words, 0), *next = look(words, 1), *before = look_back(words);

    if (hb_my_token_is_sign(here, '(') && hb_my_token_is_sign(look(words, 2), ')') && is_whole_number(before))
        return 3; /* the width of a display */
    if (hb_my_token_is_sign(here, '(') && hb_my_token_is_sign(next, ')') && before != NULL &&
        hb_token_is_word(before, "current_timestamp"))
        return 2;
    if (hb_token_is_word(here, "DEFAULT") && hb_token_is_word(next, "NULL"))
        return 2;
    if (words->collation != NULL && hb_token_is_word(here, "COLLATE") && hb_token_is_word(next, words->collation))
        return 2;
    if (hb_token_is_word(here, "REF_SYSTEM_ID") && hb_my_token_is_sign(next, '='))
        return 3; /* which MariaDB keeps, and does not print */
    if (here->type == HB_TOKEN_WORD && *here->start == '_' && next->type == HB_TOKEN_TEXT)
        return 1; /* the character set of a text */
    if (before != NULL && ((hb_my_token_is_sign(here, '(') &&
                            (hb_my_token_is_sign(before, '(') || hb_token_is_word(before, "DEFAULT"))) ||
                           (hb_my_token_is_sign(here, ')') && hb_my_token_is_sign(before, ')'))))
        return 1;
    return 0;
}

static gboolean skip_idle(Words *words)
{
    const guint idle = count_idle(words);

    words->at += idle;
    return idle > 0;
}

gboolean hb_my_is_same_definition(const char *one, const char *other)
{
    Words a = read_words(one), b = read_words(other);
    gboolean same = TRUE;

    while (same && !(look(&a, 0)->type == HB_TOKEN_END && look(&b, 0)->type == HB_TOKEN_END)) {
        if (is_alike(look(&a, 0), look(&b, 0))) {
            a.at++;
            b.at++;
        } else {
            same = skip_idle(&a) || skip_idle(&b);
        }
    }
    words_clear(&a);
    words_clear(&b);
    return same;
}
