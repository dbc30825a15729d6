/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/dialect/printing.h"

#include "core/sql/lexer.h"
#include "engine/postgres/dialect/lexical.h"

#include <string.h>

#define LIST_BEGINS  "((ARRAY["
#define LIST_ENDS    "])::text[])"
#define ELEMENT_CAST "::character varying"

/* Behind a word at `at`, or NULL if it does not stand there */
static const char *skip(const char *at, const char *word)
{
    return g_str_has_prefix(at, word) ? at + strlen(word) : NULL;
}

/* Behind an element, 'text'::character varying or 'text'::character varying(5); NULL if it is another */
static const char *skip_element(const char *at)
{
    HbToken token = hb_lexer_read_token(&hb_pg_rules, &at);
    const char *end;

    if (token.type != HB_TOKEN_TEXT || (at = skip(at, ELEMENT_CAST)) == NULL)
        return NULL;
    if (*at != '(')
        return at;
    end = at + 1 + strspn(at + 1, "0123456789");
    return *end == ')' ? end + 1 : NULL;
}

/* Where the elements of a list end that begins at `at`; NULL if it is no such list */
static const char *find_list_end(const char *at)
{
    for (;;) {
        at = skip_element(at);
        if (at == NULL || g_str_has_prefix(at, LIST_ENDS))
            return at;
        at = skip(at, ", ");
        if (at == NULL)
            return NULL;
    }
}

static gboolean is_comparison(const GString *before)
{
    return g_str_has_suffix(before->str, ")::text = ANY ") || g_str_has_suffix(before->str, ")::text <> ALL ");
}

static gboolean is_exactly(const HbToken *token, const char *word)
{
    return token->type == HB_TOKEN_WORD && token->length == strlen(word) &&
           memcmp(token->start, word, token->length) == 0;
}

/* Without IN before a procedure's arguments, which servers print from version 14 on: it is what an argument is anyway
 */
static char *write_arguments(const char *sql)
{
    GString *result = g_string_new(NULL);
    HbToken before = {0}; /* the last one that says something */
    guint depth = 0;

    do {
        HbToken token = hb_lexer_read_token(&hb_pg_rules, &sql);
        const gboolean begins = depth == 1 && before.type == HB_TOKEN_SIGN && strchr("(,", *before.start) != NULL;
        if (begins && is_exactly(&token, "IN") && *sql == ' ') {
            sql++;
            continue;
        }
        g_string_append_len(result, token.start, (gssize)token.length);
        if (token.type == HB_TOKEN_SIGN)
            depth += (*token.start == '(') - (*token.start == ')');
        if (token.type != HB_TOKEN_SPACE)
            before = token;
    } while (*sql != '\0' && !(depth == 0 && before.type == HB_TOKEN_SIGN && *before.start == ')'));
    g_string_append(result, sql);
    return g_string_free(result, FALSE);
}

char *hb_pg_write_canonical(const char *sql)
{
    GString *result;

    if (g_str_has_prefix(sql, "CREATE PROCEDURE "))
        return write_arguments(sql);
    if (strstr(sql, LIST_BEGINS) == NULL)
        return NULL;
    result = g_string_new(NULL);
    while (*sql != '\0') {
        const char *list = skip(sql, LIST_BEGINS);
        const char *end = list != NULL && is_comparison(result) ? find_list_end(list) : NULL;
        if (end != NULL) {
            g_string_append(result, "(ARRAY[");
            g_string_append_len(result, list, end - list);
            g_string_append(result, "])");
            sql = end + strlen(LIST_ENDS);
        } else {
            HbToken token = hb_lexer_read_token(&hb_pg_rules, &sql);
            g_string_append_len(result, token.start, (gssize)token.length);
        }
    }
    return g_string_free(result, FALSE);
}

/* ---- Words that came with a version ---- */

/* As the server prints them; what a user calls so stands in quotes. See "SQL/JSON" in the manual's functions */
static const struct {
    const char *word;
    guint since;
    const char *what;
} new_words[] = {
    {"JSON_ARRAY", 160000, "JSON_ARRAY()"},
    {"JSON_ARRAYAGG", 160000, "JSON_ARRAYAGG()"},
    {"JSON_OBJECT", 160000, "JSON_OBJECT()"},
    {"JSON_OBJECTAGG", 160000, "JSON_OBJECTAGG()"},
    {"JSON", 170000, "JSON()"},
    {"JSON_EXISTS", 170000, "JSON_EXISTS()"},
    {"JSON_QUERY", 170000, "JSON_QUERY()"},
    {"JSON_SCALAR", 170000, "JSON_SCALAR()"},
    {"JSON_SERIALIZE", 170000, "JSON_SERIALIZE()"},
    {"JSON_TABLE", 170000, "JSON_TABLE()"},
    {"JSON_VALUE", 170000, "JSON_VALUE()"},
};

static void judge_word(const HbToken *before, const HbToken *token, char after, guint *since, const char **what)
{
    if (is_exactly(token, "JSON") && (is_exactly(before, "IS") || is_exactly(before, "NOT")) && *since < 160000) {
        *since = 160000;
        *what = "IS JSON";
    }
    for (gsize i = 0; i < G_N_ELEMENTS(new_words) && after == '('; i++) {
        if (new_words[i].since > *since && is_exactly(token, new_words[i].word)) {
            *since = new_words[i].since;
            *what = new_words[i].what;
        }
    }
}

guint hb_pg_find_first_version(const char *sql, const char **what)
{
    HbToken before = {0};
    guint since = 0;

    if (strstr(sql, "JSON") == NULL)
        return 0;
    while (*sql != '\0') {
        const HbToken token = hb_lexer_read_token(&hb_pg_rules, &sql);
        if (token.type == HB_TOKEN_WORD)
            judge_word(&before, &token, *sql, &since, what);
        if (token.type != HB_TOKEN_SPACE)
            before = token;
    }
    return since;
}

/* ---- Words that became key words ---- */

/* Between 13 and 18, as pg_get_keywords() lists them; all of them with 16 and 17 */
static const char *const new_key_words[] = {"json_array",     "json_arrayagg", "json_exists",  "json_object",
                                            "json_objectagg", "json_query",    "json_scalar",  "json_serialize",
                                            "json_table",     "json_value",    "merge_action", "system_user"};

/* The name of a type, too, which no server quotes: only what is the name of an object itself is sure */
#define TYPE_AND_KEY_WORD "json"

static gboolean may_hold_new_words(const char *text)
{
    return strstr(text, "json") != NULL || strstr(text, "merge_action") != NULL || strstr(text, "system_user") != NULL;
}

static gboolean is_new_key_word(const HbToken *token, gboolean is_bare_name)
{
    for (gsize i = 0; i < G_N_ELEMENTS(new_key_words); i++) {
        if (is_exactly(token, new_key_words[i]))
            return TRUE;
    }
    return is_bare_name && is_exactly(token, TYPE_AND_KEY_WORD);
}

char *hb_pg_quote_new_words(const char *text, gboolean is_name)
{
    GString *result;
    guint quoted = 0, depth = 0;

    if (!may_hold_new_words(text))
        return NULL;
    result = g_string_new(NULL);
    while (*text != '\0') {
        const HbToken token = hb_lexer_read_token(&hb_pg_rules, &text);
        const gboolean is_new = is_new_key_word(&token, is_name && depth == 0);
        depth += token.type == HB_TOKEN_SIGN && *token.start == '(';
        depth -= token.type == HB_TOKEN_SIGN && *token.start == ')' && depth > 0;
        quoted += is_new;
        g_string_append_printf(result, is_new ? "\"%.*s\"" : "%.*s", (int)token.length, token.start);
    }
    return g_string_free(result, quoted == 0);
}

/* ---- Words of a definition ---- */

char *hb_pg_word_after(const char *definition, const char *mark)
{
    const char *at = definition != NULL ? strstr(definition, mark) : NULL;
    HbToken token;

    if (at == NULL)
        return NULL;
    at += strlen(mark);
    token = hb_lexer_read_token(&hb_pg_rules, &at);
    return g_strndup(token.start, token.length);
}
