/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/grants.h"

#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/names.h"

#include <stdlib.h>
#include <string.h>

/*
 * The server's own words about rights are the only record of them that says everything, so they are read with the
 * lexer, and never by searching for words: names may hold any bytes, keywords among them. Names of accounts are
 * written anew, in one way, so that equal ones are equal texts.
 */

void hb_grant_free(HbGrant *grant)
{
    if (grant == NULL)
        return;
    g_free(grant->privileges);
    g_free(grant->database);
    g_free(grant->object);
    g_free(grant->object_type);
    g_free(grant->other);
    g_free(grant);
}

char *hb_my_write_account(const char *user, const char *host)
{
    if (host == NULL || *host == '\0')
        return hb_my_quote_name(user);
    g_autofree char *user_literal = hb_my_quote_literal(user);
    g_autofree char *host_literal = hb_my_quote_literal(host);
    return g_strdup_printf("%s@%s", user_literal, host_literal);
}

gboolean hb_grant_names(const char *pattern, const char *name)
{
    for (; *pattern != '\0'; pattern++, name++) {
        if (*pattern == '\\' && (pattern[1] == '_' || pattern[1] == '%'))
            pattern++;
        if (*pattern != *name)
            return FALSE;
    }
    return *name == '\0';
}

/* A name in any quotes; other sql_modes write "name" */
static char *unquote(const HbToken *token)
{
    HbToken name = *token;

    if (name.type == HB_TOKEN_TEXT)
        name.type = HB_TOKEN_NAME;
    return hb_token_unquote(&name);
}

/* `user`@`host` or `role`; moves *text behind it */
static char *read_account(const char **text)
{
    HbToken token = hb_my_next(text);
    g_autofree char *user = unquote(&token);
    const char *after = *text;

    token = hb_my_next(&after);
    if (!hb_my_token_is_sign(&token, '@'))
        return hb_my_write_account(user, NULL);
    token = hb_my_next(&after);
    g_autofree char *host = unquote(&token);
    *text = after;
    return hb_my_write_account(user, host);
}

char *hb_my_read_definer(const char *definition)
{
    HbToken token;

    while ((token = hb_my_next(&definition)).type != HB_TOKEN_END) {
        if (!hb_token_is_word(&token, "DEFINER"))
            continue;
        token = hb_my_next(&definition);
        if (hb_my_token_is_sign(&token, '='))
            return read_account(&definition);
    }
    return NULL;
}

char *hb_my_forget_definer(const char *definition)
{
    const char *at = definition;
    HbToken token;

    while ((token = hb_my_next(&at)).type != HB_TOKEN_END) {
        const char *start = token.start;
        if (!hb_token_is_word(&token, "DEFINER"))
            continue;
        token = hb_my_next(&at);
        if (!hb_my_token_is_sign(&token, '='))
            continue;
        g_free(read_account(&at));
        while (*at == ' ')
            at++;
        return g_strdup_printf("%.*s%s", (int)(start - definition), definition, at);
    }
    return NULL;
}

/* Up to this word outside of parentheses; moves *text behind it. The caller's; NULL if it does not come */
static char *read_until(const char **text, const char *word)
{
    const char *start = *text, *at = *text;
    int depth = 0;
    HbToken token;

    while ((token = hb_my_next(&at)).type != HB_TOKEN_END) {
        depth += hb_my_token_is_sign(&token, '(') - hb_my_token_is_sign(&token, ')');
        if (depth == 0 && hb_token_is_word(&token, word)) {
            char *found = g_strndup(start, (gsize)(token.start - start));
            *text = at;
            return g_strstrip(found);
        }
    }
    return NULL;
}

/* The account, or role, that *text begins with, if it has no host and is no word that stands for an account; the
 * caller's
 */
static char *read_role(const char *text)
{
    static const char *const words[] = {"PUBLIC", "CURRENT_USER", "CURRENT_ROLE", "NONE"};
    const char *at = text;
    HbToken token = hb_my_next(&at), sign = hb_my_next(&at);

    for (gsize i = 0; i < G_N_ELEMENTS(words); i++) {
        if (hb_token_is_word(&token, words[i]))
            return NULL;
    }
    return hb_my_token_is_sign(&sign, '@') || token.type == HB_TOKEN_END ? NULL : read_account(&text);
}

char *hb_grant_find_role(const char *statement)
{
    const char *at = statement;
    const HbToken first = hb_my_next(&at);
    char *definer = NULL;

    if (hb_token_is_word(&first, "GRANT")) {
        g_autofree char *privileges = read_until(&at, "TO");
        return privileges != NULL ? read_role(at) : NULL;
    }
    if (!hb_token_is_word(&first, "CREATE"))
        return NULL;
    while ((definer = read_until(&at, "DEFINER")) != NULL) {
        const HbToken sign = hb_my_next(&at);
        g_free(definer);
        if (hb_my_token_is_sign(&sign, '=')) /* and not SQL SECURITY DEFINER */
            return read_role(at);
    }
    return NULL;
}

static gint compare_names(gconstpointer one, gconstpointer other)
{
    return strcmp(*(char *const *)one, *(char *const *)other);
}

/* The server names columns in the order of a hash: SELECT (b, a) becomes SELECT (a, b) */
static void sort_columns(HbGrant *grant)
{
    GString *sorted = g_string_new(NULL);
    const char *at = grant->privileges, *open;

    while ((open = strchr(at, '(')) != NULL) {
        const char *close = strchr(open, ')');
        g_autofree char *list = close != NULL ? g_strndup(open + 1, (gsize)(close - open) - 1) : NULL;
        if (list == NULL || strchr(list, '(') != NULL)
            break;
        g_auto(GStrv) names = g_strsplit(list, ", ", -1);
        qsort(names, g_strv_length(names), sizeof *names, compare_names);
        g_autofree char *joined = g_strjoinv(", ", names);
        g_string_append_len(sorted, at, open + 1 - at);
        g_string_append_printf(sorted, "%s)", joined);
        at = close + 1;
    }
    g_string_append(sorted, at);
    g_free(grant->privileges);
    grant->privileges = g_string_free(sorted, FALSE);
}

static gboolean has_option(const char *text)
{
    HbToken token;

    while ((token = hb_my_next(&text)).type != HB_TOKEN_END) {
        if (hb_token_is_word(&token, "OPTION"))
            return TRUE;
    }
    return FALSE;
}

/* *.*, `db`.*, `db`.`object`, FUNCTION `db`.`object`, PACKAGE BODY ... */
static void read_subject(HbGrant *grant, const char *text)
{
    g_autoptr(GString) type = g_string_new(NULL);
    HbToken token = hb_my_next(&text);

    while (token.type == HB_TOKEN_WORD) {
        g_string_append_printf(type, "%s%.*s", type->len > 0 ? " " : "", (int)token.length, token.start);
        token = hb_my_next(&text);
    }
    grant->type = HB_GRANT_SERVER;
    if (token.type != HB_TOKEN_NAME)
        return;
    grant->type = HB_GRANT_DATABASE;
    grant->database = hb_token_unquote(&token);
    hb_my_next(&text);
    token = hb_my_next(&text);
    if (token.type != HB_TOKEN_NAME)
        return;
    grant->type = HB_GRANT_OBJECT;
    grant->object = hb_token_unquote(&token);
    if (type->len > 0 && strcmp(type->str, "TABLE") != 0)
        grant->object_type = g_strdup(type->str);
}

static HbGrant *read_default_role(const char *line, const char *account)
{
    HbGrant *grant = g_new0(HbGrant, 1);

    grant->type = HB_GRANT_DEFAULT_ROLE;
    for (int word = 0; word < 3; word++)
        hb_my_next(&line);
    grant->other = read_account(&line);
    hb_my_next(&line); /* FOR */
    g_autofree char *grantee = read_account(&line);
    if (strcmp(grantee, account) != 0)
        g_clear_pointer(&grant, hb_grant_free);
    return grant;
}

static void read_kind(HbGrant *grant, const char *subject)
{
    if (subject == NULL) {
        const char *role = grant->privileges;
        grant->type = HB_GRANT_ROLE;
        grant->other = read_account(&role);
    } else if (g_ascii_strcasecmp(grant->privileges, "PROXY") == 0) {
        grant->type = HB_GRANT_PROXY;
        grant->other = read_account(&subject);
    } else {
        read_subject(grant, subject);
    }
}

/* "REVOKE INSERT ON `mysql`.* FROM `ida`@`%`": kept as a whole. NULL if it is about another account */
static HbGrant *read_revoke(const char *line, const char *account)
{
    const char *at = line;
    g_autofree char *what = read_until(&at, "FROM"), *grantee = what != NULL ? read_account(&at) : NULL;
    HbGrant *grant;

    if (g_strcmp0(grantee, account) != 0)
        return NULL;
    grant = g_new0(HbGrant, 1);
    grant->type = HB_GRANT_REVOKE;
    grant->privileges = g_steal_pointer(&what);
    return grant;
}

HbGrant *hb_grant_read(const char *line, const char *account)
{
    const char *at = line;
    HbToken first = hb_my_next(&at);
    HbGrant *grant;

    if (hb_token_is_word(&first, "REVOKE"))
        return read_revoke(line, account);
    if (hb_token_is_word(&first, "SET"))
        return read_default_role(line, account);
    grant = g_new0(HbGrant, 1);
    g_autofree char *subject = NULL;
    grant->privileges = read_until(&at, "ON");
    if (grant->privileges != NULL)
        subject = read_until(&at, "TO");
    else
        grant->privileges = read_until(&at, "TO");
    g_autofree char *grantee = grant->privileges != NULL ? read_account(&at) : NULL;
    if (g_strcmp0(grantee, account) != 0) {
        hb_grant_free(grant);
        return NULL;
    }
    read_kind(grant, subject);
    if (grant->type == HB_GRANT_OBJECT)
        sort_columns(grant);
    grant->passes_on = has_option(at);
    if (strcmp(grant->privileges, "USAGE") == 0 && !grant->passes_on)
        g_clear_pointer(&grant, hb_grant_free);
    return grant;
}

char *hb_grant_get_grantee(const HbObject *object)
{
    const char *name = hb_object_get_name(object), *end, *at = name;
    HbToken sign;

    if (object->kind != HB_KIND_GRANT)
        return NULL;
    hb_my_next(&at); /* the user, or the role */
    end = at;
    sign = hb_my_next(&at);
    if (hb_my_token_is_sign(&sign, '@')) {
        hb_my_next(&at);
        end = at;
    }
    return g_strndup(name, (gsize)(end - name));
}

void hb_grant_read_line(const char *line, const char *account, GPtrArray *grants)
{
    HbGrant *grant = hb_grant_read(line, account);
    const char *at;

    if (grant == NULL)
        return;
    g_ptr_array_add(grants, grant);
    if (grant->type != HB_GRANT_ROLE)
        return;
    at = grant->privileges;
    g_free(read_account(&at));
    for (HbToken comma = hb_my_next(&at); hb_my_token_is_sign(&comma, ','); comma = hb_my_next(&at)) {
        HbGrant *another = g_new0(HbGrant, 1);
        another->type = HB_GRANT_ROLE;
        another->passes_on = grant->passes_on;
        another->other = read_account(&at);
        g_ptr_array_add(grants, another);
    }
}

/* Behind DEFAULT ROLE: accounts, parted by commas; moves *text behind them */
static char *read_accounts(const char **text)
{
    GString *list = g_string_new(NULL);
    HbToken comma;
    const char *after;

    do {
        g_autofree char *account = read_account(text);
        g_string_append_printf(list, "%s%s", list->len > 0 ? ", " : "", account);
        after = *text;
        comma = hb_my_next(&after);
        if (hb_my_token_is_sign(&comma, ','))
            *text = after;
    } while (hb_my_token_is_sign(&comma, ','));
    return g_string_free(list, FALSE);
}

char *hb_grant_cut_default_roles(const char *create, char **roles)
{
    const char *at = create;
    HbToken token;

    *roles = NULL;
    while ((token = hb_my_next(&at)).type != HB_TOKEN_END) {
        const char *start = token.start, *after = at;
        if (!hb_token_is_word(&token, "DEFAULT"))
            continue;
        token = hb_my_next(&after);
        if (!hb_token_is_word(&token, "ROLE"))
            continue;
        *roles = read_accounts(&after);
        while (start > create && start[-1] == ' ')
            start--;
        return g_strdup_printf("%.*s%s", (int)(start - create), create, after);
    }
    return g_strdup(create);
}
