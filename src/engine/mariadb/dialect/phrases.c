/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/phrases.h"

#include "engine/mariadb/dialect/features.h"
#include "engine/mariadb/dialect/lexical.h"

#include <string.h>

#define WORDS_MAX 4
#define NEVER     G_MAXUINT
#define ANY       "*" /* a name, or any word */

/* In parentheses of which function, if that matters */
typedef enum { ANYWHERE, IN_CAST, IN_JSON_VALUE, NOT_IN_JSON_VALUE } Place;

/* Words, and single signs, one after the other; the first versions that read it, of MariaDB and of MySQL */
static const struct {
    const char *words[WORDS_MAX];
    Place place;
    guint maria, mysql;
    const char *shown;
} phrases[] = {
    {{"-", ">"}, ANYWHERE, NEVER, 50709, "->"},
    {{"LATERAL", "("}, ANYWHERE, NEVER, 80014, "LATERAL"},
    {{"MEMBER", "OF"}, ANYWHERE, NEVER, 80017, "MEMBER OF"},
    {{"FOR", "SHARE"}, ANYWHERE, NEVER, 80000, "FOR SHARE"},
    {{"SKIP", "LOCKED"}, ANYWHERE, 100600, 80000, "SKIP LOCKED"},
    {{"VALUES", "ROW", "("}, ANYWHERE, NEVER, 80019, "VALUES ROW"},
    {{"SET", "PERSIST"}, ANYWHERE, NEVER, 80000, "SET PERSIST"},
    {{"SET", "PERSIST_ONLY"}, ANYWHERE, NEVER, 80000, "SET PERSIST_ONLY"},
    {{"AS", "JSON", ")"}, IN_CAST, NEVER, 50708, "CAST AS JSON"},
    {{"RETURNING"}, IN_JSON_VALUE, NEVER, 80021, "JSON_VALUE ... RETURNING"},
    {{"JSON_TABLE", "("}, ANYWHERE, 100600, 80004, "JSON_TABLE"},
    {{"WITH", "RECURSIVE"}, ANYWHERE, 100202, 80001, "WITH RECURSIVE"},
    {{"OVER", "("}, ANYWHERE, 100200, 80002, "OVER"},
    {{"RETURNING"}, NOT_IN_JSON_VALUE, 100005, NEVER, "RETURNING"},
    {{"EXECUTE", "IMMEDIATE"}, ANYWHERE, 100203, NEVER, "EXECUTE IMMEDIATE"},
    {{"NEXT", "VALUE", "FOR"}, ANYWHERE, 100300, NEVER, "NEXT VALUE FOR"},
    {{"PREVIOUS", "VALUE", "FOR"}, ANYWHERE, 100300, NEVER, "PREVIOUS VALUE FOR"},
    {{"BEGIN", "NOT", "ATOMIC"}, ANYWHERE, 100100, NEVER, "BEGIN NOT ATOMIC"},
    {{"SET", "STATEMENT"}, ANYWHERE, 100102, NEVER, "SET STATEMENT"},
    {{"FOR", "SYSTEM_TIME"}, ANYWHERE, 100304, NEVER, "FOR SYSTEM_TIME"},
    {{"DELETE", "HISTORY"}, ANYWHERE, 100304, NEVER, "DELETE HISTORY"},
    {{"FOR", ANY, "IN"}, ANYWHERE, 100300, NEVER, "FOR ... IN"},
    {{"TYPE", "OF"}, ANYWHERE, 100303, NEVER, "TYPE OF"},
    {{"ROWS", "EXAMINED"}, ANYWHERE, 0, NEVER, "ROWS EXAMINED"},
    {{"WITHIN", "GROUP", "("}, ANYWHERE, 100303, NEVER, "WITHIN GROUP"},
    {{"DECLARE", ANY, "UUID"}, ANYWHERE, 100700, NEVER, "DECLARE ... UUID"},
    {{"DECLARE", ANY, "INET6"}, ANYWHERE, 100500, NEVER, "DECLARE ... INET6"},
    {{"DECLARE", ANY, "ROW", "("}, ANYWHERE, 100300, NEVER, "DECLARE ... ROW"},
};

static gboolean matches(const HbToken *token, const char *word)
{
    if (strcmp(word, ANY) == 0)
        return hb_my_token_is_name(token);
    return g_ascii_isalpha(*word) ? hb_token_is_word(token, word) : hb_my_token_is_sign(token, *word);
}

/* Where each open parenthesis stands behind: 'c' CAST, 'j' JSON_VALUE, ' ' anything else */
static gboolean is_in_place(Place place, const GString *open)
{
    const char innermost = open->len > 0 ? open->str[open->len - 1] : '\0';

    switch (place) {
    case IN_CAST:
        return innermost == 'c';
    case IN_JSON_VALUE:
        return innermost == 'j';
    case NOT_IN_JSON_VALUE:
        return innermost != 'j';
    default:
        return TRUE;
    }
}

static void follow_parentheses(GString *open, const HbToken *token, const HbToken *before)
{
    if (hb_my_token_is_sign(token, '('))
        g_string_append_c(open, hb_token_is_word(before, "CAST")         ? 'c'
                                : hb_token_is_word(before, "JSON_VALUE") ? 'j'
                                                                         : ' ');
    else if (hb_my_token_is_sign(token, ')') && open->len > 0)
        g_string_truncate(open, open->len - 1);
}

static gboolean begins_here(gsize phrase, HbToken token, const char *sql, const GString *open)
{
    for (gsize w = 0; w < WORDS_MAX && phrases[phrase].words[w] != NULL; w++) {
        if (w > 0 && strcmp(phrases[phrase].shown, "->") == 0 && *sql != '>')
            return FALSE; /* a - > b is something else */
        token = w > 0 ? hb_my_next(&sql) : token;
        if (!matches(&token, phrases[phrase].words[w]))
            return FALSE;
    }
    return is_in_place(phrases[phrase].place, open);
}

const char *hb_my_find_foreign_phrase(const char *sql, guint version)
{
    g_autoptr(GString) open = g_string_new(NULL);
    HbToken token = {.type = HB_TOKEN_END}, before;

    for (before = token; (token = hb_my_next(&sql)).type != HB_TOKEN_END; before = token) {
        for (gsize i = 0; !hb_my_token_is_sign(&before, '.') && i < G_N_ELEMENTS(phrases); i++) {
            const guint since = hb_my_version_is_maria(version) ? phrases[i].maria : phrases[i].mysql;
            if (version < since && begins_here(i, token, sql, open))
                return phrases[i].shown;
        }
        follow_parentheses(open, &token, &before);
    }
    return NULL;
}
