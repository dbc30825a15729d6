/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/catalog/accounts_inner.h"

#include "engine/mariadb/dialect/features.h"
#include "engine/mariadb/session/session.h"

#include <string.h>

/* Accounts that every server has, or that its vendor or distribution makes: they are never moved */
#define BUILT_IN                                                                                                       \
    "('root', 'mysql', 'mariadb.sys', 'mysql.sys', 'mysql.session', 'mysql.infoschema', 'debian-sys-maint')"

static const char accounts_of_mariadb[] = "SELECT User, Host, is_role = 'Y' FROM mysql.user"
                                          " WHERE User NOT IN " BUILT_IN " ORDER BY is_role DESC, User, Host";
static const char accounts_of_mysql[] = "SELECT User, Host, 0 FROM mysql.user"
                                        " WHERE User NOT IN " BUILT_IN " ORDER BY User, Host";

/* ---- Reading all of them ---- */

static gboolean read_grants(HbSession *session, HbMyAccount *account, GError **error)
{
    g_autoptr(HbMyResult) result = hb_my_query_format(session, error, "SHOW GRANTS FOR %s", account->name);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL)
        hb_grant_read_line(row[0], account->name, account->grants);
    return result != NULL;
}

static gboolean read_create(HbSession *session, HbMyAccount *account, GError **error)
{
    g_autoptr(HbMyResult) result = NULL;
    MYSQL_ROW row;

    if (account->is_public)
        return TRUE;
    if (account->is_role) {
        account->create = g_strdup_printf("CREATE ROLE %s;", account->name);
        return TRUE;
    }
    result = hb_my_query_format(session, error, "SHOW CREATE USER %s", account->name);
    row = result != NULL ? mysql_fetch_row(result) : NULL;
    if (row == NULL)
        return FALSE;
    g_autofree char *create = hb_grant_cut_default_roles(row[0], &account->default_roles);
    account->create = g_strconcat(create, ";", NULL);
    return TRUE;
}

static HbMyAccount *read_account(HbSession *session, MYSQL_ROW row, GError **error)
{
    HbMyAccount *account = g_new0(HbMyAccount, 1);

    account->is_role = *row[2] == '1';
    account->is_public = account->is_role && strcmp(row[0], "PUBLIC") == 0;
    account->name =
        account->is_public ? g_strdup(row[0]) : hb_my_write_account(row[0], account->is_role ? NULL : row[1]);
    account->grants = g_ptr_array_new_with_free_func((GDestroyNotify)hb_grant_free);
    if (read_create(session, account, error) && read_grants(session, account, error))
        return account;
    hb_my_accounts_account_free(account);
    return NULL;
}

/* NULL without an error if this account may not see the others */
GPtrArray *hb_my_accounts_read_all(HbSession *session, HbCatalog *catalog, GError **error)
{
    g_autoptr(GError) refusal = NULL;
    g_autoptr(HbMyResult) result = hb_my_query(
        session, hb_my_can(session, HB_MY_ROLES_WITHOUT_HOST) ? accounts_of_mariadb : accounts_of_mysql, &refusal);
    GPtrArray *accounts = g_ptr_array_new_with_free_func(hb_my_accounts_account_free);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL) {
        HbMyAccount *account = read_account(session, row, error);
        if (account == NULL) {
            g_ptr_array_unref(accounts);
            return NULL;
        }
        g_ptr_array_add(accounts, account);
    }
    if (result == NULL) {
        hb_catalog_add_omission(
            catalog, "accounts and their grants",
            "this account may not read mysql.user; dump with one that may (GRANT SELECT ON mysql.*)");
        hb_catalog_set_unread(catalog, HB_KIND_ROLE);
    }
    return accounts;
}

/* ---- Which a database needs ---- */

/* A pattern of a grant: % and _ stand for others, unless escaped */
static gboolean matches(const char *pattern, const char *name)
{
    for (; *pattern != '\0'; pattern++, name++) {
        if (*pattern == '%') {
            for (const char *rest = name;; rest++) {
                if (matches(pattern + 1, rest))
                    return TRUE;
                if (*rest == '\0')
                    return FALSE;
            }
        }
        if (*pattern == '\\' && pattern[1] != '\0')
            pattern++;
        else if (*pattern == '_' && *name != '\0')
            continue;
        if (*pattern != *name)
            return FALSE;
    }
    return *name == '\0';
}

gboolean hb_my_accounts_is_about(const HbGrant *grant, const char *database)
{
    switch (grant->type) {
    case HB_GRANT_DATABASE:
        return matches(grant->database, database);
    case HB_GRANT_OBJECT:
        return strcmp(grant->database, database) == 0;
    case HB_GRANT_SERVER:
        return TRUE;
    default:
        return FALSE;
    }
}

static GHashTable *find_definers(const HbCatalog *catalog)
{
    GHashTable *definers = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        char *definer = object->definition != NULL ? hb_my_read_definer(object->definition) : NULL;
        if (definer != NULL)
            g_hash_table_add(definers, definer);
    }
    return definers;
}

HbMyAccount *hb_my_accounts_find_account(const GPtrArray *accounts, const char *name)
{
    for (guint i = 0; i < accounts->len; i++) {
        HbMyAccount *account = accounts->pdata[i];
        if (strcmp(account->name, name) == 0)
            return account;
    }
    return NULL;
}

/* Roles that it has, and accounts for which it stands, come along */
static void want(const GPtrArray *accounts, HbMyAccount *account)
{
    if (account == NULL || account->is_wanted)
        return;
    account->is_wanted = TRUE;
    for (guint g = 0; g < account->grants->len; g++) {
        const HbGrant *grant = account->grants->pdata[g];
        if (grant->other != NULL)
            want(accounts, hb_my_accounts_find_account(accounts, grant->other));
    }
}

/* An account with a role that has privileges on the database has them, too */
static gboolean reaches(const GPtrArray *accounts, const HbMyAccount *account, const char *database, int depth)
{
    for (guint g = 0; g < account->grants->len; g++) {
        const HbGrant *grant = account->grants->pdata[g];
        const HbMyAccount *role =
            grant->type == HB_GRANT_ROLE && depth < 16 ? hb_my_accounts_find_account(accounts, grant->other) : NULL;
        if (hb_my_accounts_is_about(grant, database) || (role != NULL && reaches(accounts, role, database, depth + 1)))
            return TRUE;
    }
    return FALSE;
}

void hb_my_accounts_choose(GPtrArray *accounts, const HbCatalog *catalog, const char *database)
{
    g_autoptr(GHashTable) definers = find_definers(catalog);

    for (guint i = 0; i < accounts->len; i++) {
        HbMyAccount *account = accounts->pdata[i];
        if (reaches(accounts, account, database, 0) || g_hash_table_contains(definers, account->name))
            want(accounts, account);
    }
}
