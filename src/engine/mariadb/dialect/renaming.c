/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/renaming.h"

#include "core/sql/lexer.h"
#include "engine/mariadb/dialect/grants.h"
#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/names.h"

#include <string.h>

/*
 * A name becomes another wherever the text means that thing, and nowhere else: before a dot that no other dot
 * precedes, after a word that announces an account, a storage engine, a collation. Texts in quotes are left alone, and
 * told.
 */

/* ---- Databases ---- */

static gboolean is_own(const HbToken *token, const char *name)
{
    g_autofree char *own =
        token->type == HB_TOKEN_NAME || token->type == HB_TOKEN_WORD ? hb_token_unquote(token) : NULL;

    return g_strcmp0(own, name) == 0;
}

/* In grants an underscore of a name is often escaped, because it would stand for any letter */
static gboolean is_own_pattern(const HbToken *token, const char *name)
{
    g_autofree char *own = token->type == HB_TOKEN_NAME ? hb_token_unquote(token) : NULL;

    return own != NULL && hb_grant_names(own, name);
}

/* Is the old name in a string of a program, as it would be in SQL that is put together at run time? */
static gboolean mentions(const HbObject *object, const HbToken *token, const char *name)
{
    g_autofree char *text = NULL, *plain = NULL, *quoted = NULL;

    if (token->type != HB_TOKEN_TEXT || object->stage == HB_STAGE_USERS || object->kind == HB_KIND_GRANT ||
        object->kind == HB_KIND_TABLE)
        return FALSE;
    text = g_strndup(token->start, token->length);
    plain = g_strdup_printf("%s.", name);
    quoted = g_strdup_printf("%s`.", name);
    return strstr(text, plain) != NULL || strstr(text, quoted) != NULL;
}

/*
 * The name stands before a dot, unless that is preceded by another one (then it is a table's or a column's). Literals
 * are left alone, so what builds SQL from them is not renamed.
 */
static char *rename_database(const HbObject *object, const char *sql, HbRename *rename)
{
    gboolean is_grant = object->kind == HB_KIND_GRANT, after_dot = FALSE, renamed = FALSE;
    const char *old_name = rename->old_name;
    g_autofree char *quoted = hb_my_quote_any_name(rename->new_name);
    g_autoptr(GString) result = g_string_new(NULL);
    HbToken token;

    while ((token = hb_lexer_read_token(&hb_my_rules, &sql)).type != HB_TOKEN_END) {
        gboolean is_database =
            *sql == '.' && !after_dot && (is_grant ? is_own_pattern(&token, old_name) : is_own(&token, old_name));
        if (is_database)
            g_string_append(result, quoted);
        else
            g_string_append_len(result, token.start, (gssize)token.length);
        renamed = renamed || is_database;
        rename->left = rename->left || mentions(object, &token, old_name);
        after_dot = hb_my_token_is_sign(&token, '.');
    }
    return renamed ? g_string_free(g_steal_pointer(&result), FALSE) : NULL;
}

/* ---- Storage engines ---- */

/* After ENGINE and an equals sign: of the table, and of each partition */
static char *rename_storage(const char *sql, const char *old_name, const char *new_name)
{
    g_autoptr(GString) result = g_string_new(NULL);
    gboolean after_word = FALSE, renamed = FALSE;
    HbToken token;

    while ((token = hb_lexer_read_token(&hb_my_rules, &sql)).type != HB_TOKEN_END) {
        gboolean is_storage = after_word && hb_token_is_word(&token, old_name);
        if (is_storage)
            g_string_append(result, new_name);
        else
            g_string_append_len(result, token.start, (gssize)token.length);
        renamed = renamed || is_storage;
        if (token.type != HB_TOKEN_SPACE && !hb_my_token_is_sign(&token, '='))
            after_word = hb_token_is_word(&token, "ENGINE");
    }
    return renamed ? g_string_free(g_steal_pointer(&result), FALSE) : NULL;
}

/* ---- Collations ---- */

/* After COLLATE, with or without an equals sign; the name is a word, or quoted like a text. NULL: it does not occur */
static char *rename_collation(const char *sql, const char *old_name, const char *new_name)
{
    g_autoptr(GString) result = g_string_new(NULL);
    gboolean after_word = FALSE, renamed = FALSE;
    HbToken token;

    while ((token = hb_lexer_read_token(&hb_my_rules, &sql)).type != HB_TOKEN_END) {
        gboolean is_collation = after_word && hb_token_is_word(&token, old_name);
        if (is_collation)
            g_string_append(result, new_name);
        else
            g_string_append_len(result, token.start, (gssize)token.length);
        renamed = renamed || is_collation;
        if (token.type != HB_TOKEN_SPACE && !hb_my_token_is_sign(&token, '='))
            after_word = hb_token_is_word(&token, "COLLATE") || hb_token_is_word(&token, "collation_connection");
    }
    return renamed ? g_string_free(g_steal_pointer(&result), FALSE) : NULL;
}

/* ---- Accounts and roles ---- */

/* "ida@%" apart; host is NULL for a role. Both the caller's */
static char *read_account(const char *name, char **host)
{
    const char *at = strrchr(name, '@');

    *host = at != NULL ? g_strdup(at + 1) : NULL;
    return at != NULL ? g_strndup(name, (gsize)(at - name)) : g_strdup(name);
}

static gboolean is_text(const HbToken *token, const char *name)
{
    HbToken as_name = *token;
    g_autofree char *own = NULL;

    if (token->type == HB_TOKEN_TEXT)
        as_name.type = HB_TOKEN_NAME;
    else if (token->type != HB_TOKEN_NAME && token->type != HB_TOKEN_WORD)
        return FALSE;
    own = hb_token_unquote(&as_name);
    return strcmp(own, name) == 0;
}

/* In the quotes that the old one has */
static void append_account(GString *result, const HbToken *like, const char *user, const char *host)
{
    char quote = like->type != HB_TOKEN_WORD ? *like->start : host == NULL ? '`' : '\'';

    if (like->type == HB_TOKEN_WORD && host == NULL) {
        g_autofree char *name = hb_my_quote_name(user);
        g_string_append(result, name);
        return;
    }
    g_string_append_printf(result, "%c%s%c", quote, user, quote);
    if (host != NULL)
        g_string_append_printf(result, "@%c%s%c", quote, host, quote);
}

/* Does the account's host follow? If so *sql moves behind it */
static gboolean takes_host(const char **sql, const char *host)
{
    const char *after = *sql;
    HbToken token;

    if (host == NULL)
        return **sql != '@';
    if (*after++ != '@')
        return FALSE;
    token = hb_lexer_read_token(&hb_my_rules, &after);
    if (!is_text(&token, host))
        return FALSE;
    *sql = after;
    return TRUE;
}

static gboolean begins_account(const HbToken *token)
{
    static const char *const words[] = {"TO", "FROM", "ROLE", "USER", "FOR", "GRANT", "ON"};

    for (gsize i = 0; i < G_N_ELEMENTS(words); i++) {
        if (hb_token_is_word(token, words[i]))
            return TRUE;
    }
    return hb_my_token_is_sign(token, '=') || hb_my_token_is_sign(token, ',');
}

/*
 * Accounts are known by their host; names of roles only where one can stand. An identity, without its kind, begins with
 * an account, and may have another: "ida in keepers", "ida for quill", "keepers on table keepers"
 */
static char *rename_account(const char *sql, const HbRename *rename, gboolean is_identity)
{
    g_autofree char *old_host = NULL, *new_host = NULL;
    g_autofree char *old_user = read_account(rename->old_name, &old_host);
    g_autofree char *new_user = read_account(rename->new_name, &new_host);
    g_autoptr(GString) result = g_string_new(NULL);
    gboolean expected = is_identity, renamed = FALSE;
    HbToken token;

    while ((token = hb_lexer_read_token(&hb_my_rules, &sql)).type != HB_TOKEN_END) {
        if ((old_host != NULL || expected) && is_text(&token, old_user) && takes_host(&sql, old_host)) {
            g_autofree char *account = is_identity ? hb_my_write_account(new_user, new_host) : NULL;
            if (is_identity)
                g_string_append(result, account);
            else
                append_account(result, &token, new_user, new_host);
            renamed = TRUE;
        } else {
            g_string_append_len(result, token.start, (gssize)token.length);
        }
        if (token.type != HB_TOKEN_SPACE)
            expected = is_identity ? hb_token_is_word(&token, "in") || hb_token_is_word(&token, "for")
                                   : begins_account(&token);
    }
    return renamed ? g_string_free(g_steal_pointer(&result), FALSE) : NULL;
}

static gboolean is_about_accounts(const HbObject *object)
{
    return object->stage == HB_STAGE_USERS || object->kind == HB_KIND_GRANT;
}

/* ---- The whole ---- */

char *hb_my_rename(const HbObject *object, const char *sql, HbRename *rename)
{
    switch (rename->kind) {
    case HB_RENAME_DATABASE:
        return rename_database(object, sql, rename);
    case HB_RENAME_STORAGE:
        return object->kind == HB_KIND_TABLE ? rename_storage(sql, rename->old_name, rename->new_name) : NULL;
    case HB_RENAME_COLLATION:
        return rename_collation(sql, rename->old_name, rename->new_name);
    case HB_RENAME_OWNER: /* of a role nothing but grants speaks; an account also defines */
        return is_about_accounts(object) || strchr(rename->old_name, '@') != NULL ? rename_account(sql, rename, FALSE)
                                                                                  : NULL;
    default:
        return NULL; /* there are no schemas, and tablespaces are not carried */
    }
}

char *hb_my_rename_identity(const char *identity, const HbRename *rename)
{
    static const char *const kinds[] = {"role ",         "password ",     "membership ",
                                        "role-setting ", "global-grant ", "grant "};

    for (gsize i = 0; rename->kind == HB_RENAME_OWNER && i < G_N_ELEMENTS(kinds); i++) {
        if (g_str_has_prefix(identity, kinds[i])) {
            g_autofree char *renamed = rename_account(identity + strlen(kinds[i]), rename, TRUE);
            return renamed != NULL ? g_strconcat(kinds[i], renamed, NULL) : NULL;
        }
    }
    return NULL;
}
