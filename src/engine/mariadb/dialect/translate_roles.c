/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/translate_inner.h"

#include "core/sql/lexer.h"
#include "engine/mariadb/dialect/grants.h"
#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/names.h"
#include "engine/mariadb/dialect/renaming.h"

#include <string.h>

/* ---- Roles ---- */

/* "gardener@%" of 'gardener'@'%', as renames say it; NULL: it has another host, and cannot be a role. The caller's */
static char *plain_role(const char *account)
{
    const char *at = account;
    HbToken user = hb_my_next(&at), sign = hb_my_next(&at), host = hb_my_next(&at);
    g_autofree char *name = NULL;

    if (!hb_my_token_is_sign(&sign, '@') || host.length != 3 || strncmp(host.start + 1, "%", 1) != 0)
        return NULL;
    user.type = HB_TOKEN_NAME;
    name = hb_token_unquote(&user);
    return g_strconcat(name, "@%", NULL);
}

/* Nobody can log in to it: a role that has no members yet */
static gboolean looks_like_role(const HbObject *object)
{
    return object->kind == HB_KIND_ROLE && strstr(object->definition, " AS ") == NULL &&
           strstr(object->definition, "PASSWORD EXPIRE ACCOUNT LOCK") != NULL;
}

/* The plain names of accounts that are roles; the caller's */
static GHashTable *find_roles(const HbCatalog *catalog)
{
    GHashTable *roles = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        const char *in = object->kind == HB_KIND_MEMBERSHIP ? strstr(object->identity, " in ") : NULL;
        char *role = in != NULL                ? plain_role(in + strlen(" in "))
                     : looks_like_role(object) ? plain_role(hb_object_get_name(object))
                                               : NULL;
        if (role != NULL)
            g_hash_table_add(roles, role);
    }
    return roles;
}

static char *rename_identity(gpointer data, const char *identity)
{
    return hb_my_rename_identity(identity, data);
}

/* An account is written like a text, a role like a name */
static void write_as_name(HbObject *object, const char *role)
{
    g_autofree char *text = hb_my_quote_literal(role), *name = hb_my_quote_name(role);
    GString *sql = g_string_new(object->definition);

    g_string_replace(sql, text, name, 0);
    hb_my_translate_define(object, g_string_free(sql, FALSE));
}

static void rename_role(const HbMyTranslation *work, const char *old_name)
{
    g_autofree char *new_name = g_strndup(old_name, strlen(old_name) - strlen("@%"));
    HbRename rename = {.kind = HB_RENAME_OWNER, .old_name = (char *)old_name, .new_name = new_name};

    for (guint i = 0; i < hb_catalog_count(work->catalog); i++) {
        HbObject *object = hb_catalog_get(work->catalog, i);
        char *renamed = object->definition != NULL ? hb_my_rename(object, object->definition, &rename) : NULL;
        if (renamed == NULL)
            continue;
        hb_my_translate_define(object, renamed);
        write_as_name(object, new_name);
    }
    hb_catalog_rename(work->catalog, rename_identity, &rename, NULL);
}

void hb_my_translate_make_roles(const HbMyTranslation *work)
{
    g_autoptr(GHashTable) roles = find_roles(work->catalog);
    g_autoptr(GList) names = g_list_sort(g_hash_table_get_keys(roles), (GCompareFunc)strcmp);

    for (GList *at = names; at != NULL; at = at->next)
        rename_role(work, at->data);
    for (guint i = 0; i < hb_catalog_count(work->catalog); i++) {
        HbObject *object = hb_catalog_get(work->catalog, i);
        if (object->kind == HB_KIND_ROLE && strchr(hb_object_get_name(object), '@') == NULL)
            hb_my_translate_define(object, g_strdup_printf("CREATE ROLE %s;", hb_object_get_name(object)));
    }
}

static void give_host(const HbMyTranslation *work, const char *old_name, const char *new_name)
{
    HbRename rename = {.kind = HB_RENAME_OWNER, .old_name = (char *)old_name, .new_name = (char *)new_name};

    for (guint i = 0; i < hb_catalog_count(work->catalog); i++) {
        HbObject *object = hb_catalog_get(work->catalog, i);
        char *renamed = object->definition != NULL ? hb_my_rename(object, object->definition, &rename) : NULL;
        if (renamed != NULL)
            hb_my_translate_define(object, renamed);
    }
    hb_catalog_rename(work->catalog, rename_identity, &rename, NULL);
}

/* MySQL keeps accounts and roles under one name; no account may lose its to a role */
void hb_my_translate_make_accounts_of_roles(const HbMyTranslation *work)
{
    for (guint i = 0; i < hb_catalog_count(work->catalog); i++) {
        HbObject *role = hb_catalog_get(work->catalog, i);
        if (role->kind != HB_KIND_ROLE || !g_str_has_prefix(role->definition, "CREATE ROLE "))
            continue;
        HbToken token = {HB_TOKEN_NAME, hb_object_get_name(role), strlen(hb_object_get_name(role))};
        token.type = *token.start == '`' ? HB_TOKEN_NAME : HB_TOKEN_WORD;
        g_autofree char *old_name = hb_token_unquote(&token), *new_name = g_strconcat(old_name, "@%", NULL);
        g_autofree char *account = hb_my_write_account(old_name, "%");
        g_autofree char *identity = hb_identity_new(HB_KIND_ROLE, account);
        if (hb_catalog_find(work->catalog, identity) != NULL)
            hb_my_translate_leave_out(work, role, "an account has its name, and MySQL keeps both under one");
        else
            give_host(work, old_name, new_name);
    }
}

/* MariaDB has one default role, and says FOR */
void hb_my_translate_default_role(const HbMyTranslation *work, HbObject *object)
{
    if (hb_my_translate_replace(object, "^SET DEFAULT ROLE ([^,;]*), .* TO ", "SET DEFAULT ROLE \\1 FOR "))
        hb_my_translate_omit(work, object->identity, "there can be one default role: the first of them is");
    else
        hb_my_translate_replace(object, "^(SET DEFAULT ROLE .*) TO ", "\\1 FOR ");
}

/* ---- Accounts ---- */

/* Hexadecimal digits as a text; the caller's */
static char *read_digits(const char *digits)
{
    GString *text = g_string_new(NULL);

    for (; g_ascii_isxdigit(digits[0]) && g_ascii_isxdigit(digits[1]); digits += 2)
        g_string_append_c(text, (char)(g_ascii_xdigit_value(digits[0]) << 4 | g_ascii_xdigit_value(digits[1])));
    return g_string_free(text, FALSE);
}

/* The hash of an account that both products can check; NULL: it has another. The caller's */
static char *find_native_hash(const char *create)
{
    g_autoptr(GRegex) regex = g_regex_new(
        "IDENTIFIED WITH '?mysql_native_password'? AS (?:'(\\*[0-9A-F]{40})'|0x([0-9A-F]+))", G_REGEX_RAW, 0, NULL);
    g_autoptr(GMatchInfo) match = NULL;
    g_autofree char *text = NULL, *digits = NULL;

    if (!g_regex_match(regex, create, 0, &match))
        return NULL;
    text = g_match_info_fetch(match, 1);
    digits = g_match_info_fetch(match, 2);
    return text != NULL && *text != '\0' ? g_steal_pointer(&text) : read_digits(digits);
}

/* REQUIRE, limits, expiry and lock, which both say alike; what follows only MySQL knows. The caller's */
static char *find_common_options(const char *create, gboolean *has_more)
{
    const char *start = strstr(create, " REQUIRE "), *end = strstr(create, " PASSWORD HISTORY ");

    *has_more = strstr(create, " FAILED_LOGIN_ATTEMPTS ") != NULL || strstr(create, " ATTRIBUTE ") != NULL ||
                strstr(create, " AND IDENTIFIED ") != NULL;
    if (start == NULL)
        return g_strdup("");
    return end != NULL && end > start ? g_strndup(start, (gsize)(end - start)) : g_strndup(start, strcspn(start, ";"));
}

void hb_my_translate_account(const HbMyTranslation *work, HbObject *object)
{
    gboolean has_more;
    g_autofree char *hash = find_native_hash(object->definition);
    g_autofree char *options = find_common_options(object->definition, &has_more);
    g_autofree char *before = g_strdup(object->definition);
    const char *name = before + strlen("CREATE USER "), *end = strstr(before, " IDENTIFIED ");

    if (!g_str_has_prefix(before, "CREATE USER ") || end == NULL)
        return;
    if (hash == NULL) {
        g_autofree char *what = g_strdup_printf("password of %s", hb_object_get_name(object));
        hb_my_translate_omit(
            work, what,
            "MariaDB cannot check its kind: the account arrives with one that nothing fits. Set a new one, or restore "
            "with --new-passwords FILE");
    }
    if (has_more)
        hb_my_translate_omit(work, object->identity,
                             "MariaDB knows no attributes, further factors, nor locks after failed logins");
    hb_my_translate_define(object, g_strdup_printf("CREATE USER %.*s IDENTIFIED BY PASSWORD '%s'%s;", (int)(end - name),
                                                   name, hash != NULL ? hash : "invalid", options));
    hb_my_translate_replace(object, " (REQUIRE NONE|PASSWORD EXPIRE DEFAULT|ACCOUNT UNLOCK)(?=[ ;])", "");
}

/* To MySQL: the account cannot be logged in to before it is given a password there. One that was locked stays so then
 */
void hb_my_translate_lock_account(const HbMyTranslation *work, HbObject *object)
{
    const gboolean was_locked = strstr(object->definition, " ACCOUNT LOCK") != NULL;

    if (g_str_has_prefix(object->definition, "CREATE ROLE "))
        return;
    hb_my_translate_omit(
        work, object->identity,
        "MySQL cannot check its password: the account arrives locked. Give it one there: ALTER USER ... IDENTIFIED BY "
        "... ACCOUNT UNLOCK; or restore with --new-passwords FILE");
    hb_my_translate_define(object, g_strdup_printf("CREATE USER %s%s;", hb_object_get_name(object),
                                                   was_locked ? " ACCOUNT LOCK" : HB_MY_LOCKED_FOR_NOW));
}
