/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/dialect/renaming.h"

#include "core/sql/lexer.h"
#include "engine/postgres/dialect/lexical.h"
#include "engine/postgres/dialect/names.h"

#include <string.h>

/* ---- Quoting, as the server's quote_ident() does it, so that both sides print the same ---- */

/* Words that cannot stand for a name without quotes, a blank around each; see "SQL Key Words" in the manual */
static const char reserved[] =
    " all analyse analyze and any array as asc asymmetric authorization between bigint binary bit boolean both "
    "case cast char character check coalesce collate collation column concurrently constraint create cross "
    "current_catalog current_date current_role current_schema current_time current_timestamp current_user dec "
    "decimal default deferrable desc distinct do else end except exists extract false fetch float for foreign "
    "freeze from full grant greatest group grouping having ilike in initially inner inout int integer "
    "intersect interval into is isnull join lateral leading least left like limit localtime localtimestamp "
    "national natural nchar none normalize not notnull null nullif numeric offset on only or order out outer "
    "overlaps overlay placing position precision primary real references returning right row select "
    "session_user setof similar smallint some substring symmetric system_user table tablesample then time "
    "timestamp to trailing treat trim true union unique user using values varchar variadic verbose when where "
    "window with xmlattributes xmlconcat xmlelement xmlexists xmlforest xmlnamespaces xmlparse xmlpi xmlroot "
    "xmlserialize xmltable ";

static char *quote(const char *name)
{
    gboolean plain = (g_ascii_islower(*name) || *name == '_') &&
                     strspn(name, "abcdefghijklmnopqrstuvwxyz0123456789_") == strlen(name);
    g_autofree char *word = g_strdup_printf(" %s ", name);

    return plain && strstr(reserved, word) == NULL ? g_strdup(name) : hb_pg_quote_any_name(name);
}

/* ---- Reading ---- */

/* What the renaming of one text knows */
typedef struct {
    const HbObject *object; /* NULL: the text is an identity */
    HbRename *rename;
    GString *result;
    char *new_quoted;
    gboolean renamed;
    gboolean may_be_alias; /* the old name also stands alone: before a dot it may be a table's alias */
} Renaming;

/* Unquoted names are folded; the printed ones are in lower case anyway */
static gboolean is_old(const Renaming *renaming, const HbToken *token)
{
    g_autofree char *name = NULL;

    if (token->type == HB_TOKEN_NAME && *token->start == '"') {
        name = hb_token_unquote(token);
    } else if (token->type == HB_TOKEN_WORD) {
        g_autofree char *word = hb_token_unquote(token);
        name = g_ascii_strdown(word, -1);
    }
    return name != NULL && strcmp(name, renaming->rename->old_name) == 0;
}

static void put_new(Renaming *renaming)
{
    g_string_append(renaming->result, renaming->new_quoted);
    renaming->renamed = TRUE;
}

static void put(Renaming *renaming, const HbToken *token)
{
    g_string_append_len(renaming->result, token->start, (gssize)token->length);
}

/* ---- Schemas ---- */

static void rename_schema(Renaming *renaming, const char *sql);

/* After a dot: does the schema hold something of this name? */
static gboolean stands_inside(const Renaming *renaming, const char *after_dot)
{
    HbToken token = hb_lexer_read_token(&hb_pg_rules, &after_dot);
    g_autofree char *name =
        token.type == HB_TOKEN_WORD || token.type == HB_TOKEN_NAME ? hb_token_unquote(&token) : g_strdup("");

    return renaming->rename->inside == NULL || g_hash_table_contains(renaming->rename->inside, name);
}

/* Names alone, or with their quotes: 'garden.plot_id_seq', '"Seed Bank".lot' */
static gboolean is_name_literal(const Renaming *renaming, const HbToken *token, const char *after)
{
    gboolean is_cast = g_str_has_prefix(after, "::reg") || g_str_has_prefix(after, "::pg_catalog.reg");

    return *token->start == '\'' && token->length >= 2 && token->start[token->length - 1] == '\'' &&
           (is_cast || (renaming->object != NULL && renaming->object->kind == HB_KIND_SEQUENCE_VALUE));
}

/* The name within a literal, its doubled quotes undone and done again */
static void rename_literal(Renaming *renaming, const HbToken *token)
{
    g_autofree char *inner = g_strndup(token->start + 1, token->length - 2);
    GString *outer = renaming->result;
    g_autoptr(GString) text = g_string_new(NULL);

    renaming->result = text;
    rename_schema(renaming, inner);
    renaming->result = outer;
    g_string_append_printf(outer, "'%s'", text->str);
}

/* Is the old name in it, as it would be in SQL that is put together at run time? */
static gboolean mentions(const Renaming *renaming, const HbToken *token)
{
    g_autofree char *text = g_strndup(token->start, token->length);
    g_autofree char *before_dot = g_strdup_printf("%s.", renaming->rename->old_name);
    g_autofree char *quoted = g_strdup_printf("%s\".", renaming->rename->old_name);

    return strstr(text, before_dot) != NULL || strstr(text, quoted) != NULL ||
           (token->length == strlen(renaming->rename->old_name) + 2 &&
            strstr(text, renaming->rename->old_name) != NULL);
}

static gsize tag_length(const HbToken *token)
{
    return (gsize)(strchr(token->start + 1, '$') - token->start) + 1;
}

/* Does the tag that begins it end it, too? The end of the text may have come first */
static gboolean is_closed(const HbToken *token)
{
    const gsize tag = tag_length(token);

    return token->length >= 2 * tag && strncmp(token->start, token->start + token->length - tag, tag) == 0;
}

/* The body of a routine in a language whose names are SQL's, or of a block of our own */
static gboolean is_body(const Renaming *renaming, const HbToken *token)
{
    const HbObject *object = renaming->object;

    if (*token->start != '$' || !is_closed(token) || object == NULL || object->definition == NULL)
        return FALSE;
    return (object->kind != HB_KIND_FUNCTION && object->kind != HB_KIND_PROCEDURE) ||
           strstr(object->definition, "LANGUAGE sql") != NULL || strstr(object->definition, "LANGUAGE plpgsql") != NULL;
}

static char *cut_body(const HbToken *token)
{
    gsize tag = tag_length(token);

    return g_strndup(token->start + tag, token->length - 2 * tag);
}

static void rename_body(Renaming *renaming, const HbToken *token)
{
    gsize tag = tag_length(token);
    g_autofree char *body = cut_body(token);

    g_string_append_len(renaming->result, token->start, (gssize)tag);
    rename_schema(renaming, body);
    g_string_append_len(renaming->result, token->start + token->length - tag, (gssize)tag);
}

static void rename_text(Renaming *renaming, const HbToken *token, const char *after, gboolean in_path)
{
    if (in_path && token->length == strlen(renaming->rename->old_name) + 2 && mentions(renaming, token)) {
        g_autofree char *literal = g_strdup_printf("'%s'", renaming->rename->new_name);
        g_string_append(renaming->result, literal);
        renaming->renamed = TRUE;
    } else if (is_name_literal(renaming, token, after)) {
        rename_literal(renaming, token);
    } else if (is_body(renaming, token)) {
        rename_body(renaming, token);
    } else {
        put(renaming, token);
        renaming->rename->left = renaming->rename->left || mentions(renaming, token);
    }
}

static gboolean begins_schema(const Renaming *renaming, const HbToken *token)
{
    return hb_token_is_word(token, "SCHEMA") ||
           (renaming->object == NULL && hb_token_is_word(token, "in")); /* default-grant for ida in garden on tables */
}

static gboolean passes_over(const HbToken *token)
{
    return hb_token_is_word(token, "IF") || hb_token_is_word(token, "NOT") || hb_token_is_word(token, "EXISTS");
}

/* SET search_path TO 'garden', public */
typedef enum { PATH_NONE, PATH_NAMED, PATH_LIST } PathState;

static PathState follow_path(PathState state, const HbToken *token)
{
    if (hb_token_is_word(token, "search_path"))
        return PATH_NAMED;
    if (state == PATH_NAMED && (hb_token_is_word(token, "TO") || *token->start == '='))
        return PATH_LIST;
    if (state == PATH_LIST && (*token->start == ',' || token->type == HB_TOKEN_TEXT || token->type == HB_TOKEN_NAME ||
                               (token->type == HB_TOKEN_WORD && !hb_token_is_word(token, "AS"))))
        return PATH_LIST;
    return PATH_NONE;
}

static void rename_schema(Renaming *renaming, const char *sql)
{
    gboolean after_dot = FALSE, after_word = FALSE;
    PathState path = PATH_NONE;
    HbToken token;

    while ((token = hb_lexer_read_token(&hb_pg_rules, &sql)).type != HB_TOKEN_END) {
        gboolean qualifies = *sql == '.' && !after_dot && (!renaming->may_be_alias || stands_inside(renaming, sql + 1));
        if (token.type == HB_TOKEN_TEXT)
            rename_text(renaming, &token, sql, path == PATH_LIST);
        else if (is_old(renaming, &token) && (qualifies || after_word || path == PATH_LIST))
            put_new(renaming);
        else
            put(renaming, &token);
        if (token.type == HB_TOKEN_SPACE)
            continue;
        after_dot = *token.start == '.';
        after_word = begins_schema(renaming, &token) || (after_word && passes_over(&token));
        path = follow_path(path, &token);
    }
}

/* Does the name stand alone anywhere, as an alias would? */
static gboolean stands_alone(const Renaming *renaming, const char *sql)
{
    gboolean after_word = FALSE;
    HbToken token;

    while ((token = hb_lexer_read_token(&hb_pg_rules, &sql)).type != HB_TOKEN_END) {
        if (is_old(renaming, &token) && *sql != '.' && !after_word)
            return TRUE;
        if (token.type == HB_TOKEN_TEXT && is_body(renaming, &token)) {
            g_autofree char *body = cut_body(&token);
            if (stands_alone(renaming, body))
                return TRUE;
        }
        if (token.type != HB_TOKEN_SPACE)
            after_word = begins_schema(renaming, &token) || (after_word && passes_over(&token));
    }
    return FALSE;
}

/* ---- Users and tablespaces: a name after certain words, in lists ---- */

static gboolean begins_user(const Renaming *renaming, const HbToken *token)
{
    static const char *const words[] = {"TO", "FROM", "ROLE", "BY", "USER"};

    for (gsize i = 0; i < G_N_ELEMENTS(words); i++) {
        if (hb_token_is_word(token, words[i]))
            return TRUE;
    }
    return hb_token_is_word(token, "FOR") && renaming->object != NULL && renaming->object->kind == HB_KIND_USER_MAPPING;
}

static gboolean begins_tablespace(const Renaming *renaming, const HbToken *token)
{
    (void)renaming;
    return hb_token_is_word(token, "TABLESPACE") || hb_token_is_word(token, "default_tablespace");
}

/* 'ida': what is compared with a user's name, or makes SQL with it */
static gboolean quotes_name(const Renaming *renaming, const HbToken *token)
{
    g_autofree char *text = g_strndup(token->start, token->length),
                    *name = g_regex_escape_string(renaming->rename->old_name, -1),
                    *pattern = g_strdup_printf("'%s'(?!')", name);

    return token->type == HB_TOKEN_TEXT && g_regex_match_simple(pattern, text, G_REGEX_RAW, 0);
}

static void rename_listed(Renaming *renaming, const char *sql, gboolean (*begins)(const Renaming *, const HbToken *))
{
    gboolean expected = FALSE, in_list = FALSE;
    HbToken token;

    while ((token = hb_lexer_read_token(&hb_pg_rules, &sql)).type != HB_TOKEN_END) {
        gboolean is_name = token.type == HB_TOKEN_WORD || token.type == HB_TOKEN_NAME;
        if (expected && is_old(renaming, &token))
            put_new(renaming);
        else
            put(renaming, &token);
        if (renaming->rename->kind == HB_RENAME_OWNER && quotes_name(renaming, &token))
            renaming->rename->left = TRUE;
        if (token.type == HB_TOKEN_SPACE || *token.start == '=')
            continue;
        in_list = begins(renaming, &token) || (in_list && (*token.start == ',' || (expected && is_name)));
        expected = begins(renaming, &token) || (in_list && *token.start == ',');
    }
}

/* A member of a role stands before the word TO, too: GRANT old TO other */
static void rename_everywhere(Renaming *renaming, const char *sql)
{
    HbToken token;

    while ((token = hb_lexer_read_token(&hb_pg_rules, &sql)).type != HB_TOKEN_END) {
        if (is_old(renaming, &token))
            put_new(renaming);
        else
            put(renaming, &token);
    }
}

static void rename_owner(Renaming *renaming, const char *sql)
{
    if (renaming->object != NULL && hb_kind_get_traits(renaming->object->kind)->part == HB_PART_USERS)
        rename_everywhere(renaming, sql);
    else
        rename_listed(renaming, sql, begins_user);
}

/* ---- The whole ---- */

static char *finish(Renaming *renaming)
{
    g_free(renaming->new_quoted);
    return g_string_free(renaming->result, !renaming->renamed);
}

char *hb_pg_rename(const HbObject *object, const char *sql, HbRename *rename)
{
    Renaming renaming = {.object = object, .rename = rename};

    if (object->kind == HB_KIND_COMMENT && rename->kind != HB_RENAME_SCHEMA)
        return NULL;
    if (rename->kind == HB_RENAME_DATABASE) {
        g_autofree char *quoted = hb_pg_quote_any_name(rename->new_name);
        return object->stage == HB_STAGE_SETTINGS
                   ? hb_lexer_rename_after(&hb_pg_rules, "DATABASE", sql, rename->old_name, quoted)
                   : NULL;
    }
    renaming.result = g_string_new(NULL);
    renaming.new_quoted = quote(rename->new_name);
    renaming.may_be_alias = stands_alone(&renaming, sql);
    if (rename->kind == HB_RENAME_SCHEMA)
        rename_schema(&renaming, sql);
    else if (rename->kind == HB_RENAME_OWNER)
        rename_owner(&renaming, sql);
    else if (rename->kind == HB_RENAME_TABLESPACE)
        rename_listed(&renaming, sql, begins_tablespace);
    if (object->kind == HB_KIND_COMMENT || object->kind == HB_KIND_SECURITY_LABEL)
        rename->left = FALSE; /* what people wrote */
    return finish(&renaming);
}

/* "foreign-key garden.plot.owner": kinds are no names, and have no dot behind them */
char *hb_pg_rename_identity(const char *identity, const HbRename *rename)
{
    HbRename quiet = *rename;
    Renaming renaming = {.rename = &quiet, .result = g_string_new(NULL), .new_quoted = quote(rename->new_name)};
    gboolean is_users = g_str_has_prefix(identity, "role") || g_str_has_prefix(identity, "password ") ||
                        g_str_has_prefix(identity, "membership ") || g_str_has_prefix(identity, "default-grant ") ||
                        g_str_has_prefix(identity, "database-owner ") ||
                        g_str_has_prefix(identity, "parameter-grant ") || g_str_has_prefix(identity, "user-mapping ");

    if (rename->kind == HB_RENAME_SCHEMA)
        rename_schema(&renaming, identity);
    else if (rename->kind == HB_RENAME_OWNER && is_users)
        rename_everywhere(&renaming, identity);
    else if (rename->kind == HB_RENAME_TABLESPACE)
        rename_listed(&renaming, identity, begins_tablespace);
    return finish(&renaming);
}
