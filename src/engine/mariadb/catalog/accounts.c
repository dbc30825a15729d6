/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/catalog/accounts.h"

#include "engine/mariadb/dialect/grants.h"
#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/names.h"

#include <string.h>

/* All accounts are read, in the server's own words; of a database's dump those stay that it needs, or that reach it */

/* One account or role with what it is granted */
typedef struct {
    char *name; /* as SQL writes it */
    char *create;
    char *default_roles; /* that its CREATE USER names; NULL: none */
    GPtrArray *grants;   /* HbGrant * */
    gboolean is_role, is_public;
    gboolean is_wanted;
} Account;

static void account_free(gpointer data)
{
    Account *account = data;

    g_free(account->name);
    g_free(account->create);
    g_free(account->default_roles);
    g_ptr_array_unref(account->grants);
    g_free(account);
}

/* ---- Reading all of them ---- */

/* Accounts that every server has, or that its vendor or distribution makes: they are never moved */
#define BUILT_IN                                                                                                       \
    "('root', 'mysql', 'mariadb.sys', 'mysql.sys', 'mysql.session', 'mysql.infoschema', 'debian-sys-maint')"

static const char accounts_of_mariadb[] = "SELECT User, Host, is_role = 'Y' FROM mysql.user"
                                          " WHERE User NOT IN " BUILT_IN " ORDER BY is_role DESC, User, Host";
static const char accounts_of_mysql[] = "SELECT User, Host, 0 FROM mysql.user"
                                        " WHERE User NOT IN " BUILT_IN " ORDER BY User, Host";

static gboolean read_grants(HbSession *session, Account *account, GError **error)
{
    g_autoptr(HbMyResult) result = hb_my_query_format(session, error, "SHOW GRANTS FOR %s", account->name);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL)
        hb_grant_read_line(row[0], account->name, account->grants);
    return result != NULL;
}

static gboolean read_create(HbSession *session, Account *account, GError **error)
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

static Account *read_account(HbSession *session, MYSQL_ROW row, GError **error)
{
    Account *account = g_new0(Account, 1);

    account->is_role = *row[2] == '1';
    account->is_public = account->is_role && strcmp(row[0], "PUBLIC") == 0;
    account->name =
        account->is_public ? g_strdup(row[0]) : hb_my_write_account(row[0], account->is_role ? NULL : row[1]);
    account->grants = g_ptr_array_new_with_free_func((GDestroyNotify)hb_grant_free);
    if (read_create(session, account, error) && read_grants(session, account, error))
        return account;
    account_free(account);
    return NULL;
}

/* NULL without an error if this account may not see the others */
static GPtrArray *read_all(HbSession *session, HbCatalog *catalog, GError **error)
{
    g_autoptr(GError) refusal = NULL;
    g_autoptr(HbMyResult) result = hb_my_query(
        session, hb_my_can(session, HB_MY_ROLES_WITHOUT_HOST) ? accounts_of_mariadb : accounts_of_mysql, &refusal);
    GPtrArray *accounts = g_ptr_array_new_with_free_func(account_free);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL) {
        Account *account = read_account(session, row, error);
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

static gboolean is_about(const HbGrant *grant, const char *database)
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

static Account *find_account(const GPtrArray *accounts, const char *name)
{
    for (guint i = 0; i < accounts->len; i++) {
        Account *account = accounts->pdata[i];
        if (strcmp(account->name, name) == 0)
            return account;
    }
    return NULL;
}

/* Roles that it has, and accounts for which it stands, come along */
static void want(const GPtrArray *accounts, Account *account)
{
    if (account == NULL || account->is_wanted)
        return;
    account->is_wanted = TRUE;
    for (guint g = 0; g < account->grants->len; g++) {
        const HbGrant *grant = account->grants->pdata[g];
        if (grant->other != NULL)
            want(accounts, find_account(accounts, grant->other));
    }
}

/* An account with a role that has privileges on the database has them, too */
static gboolean reaches(const GPtrArray *accounts, const Account *account, const char *database, int depth)
{
    for (guint g = 0; g < account->grants->len; g++) {
        const HbGrant *grant = account->grants->pdata[g];
        const Account *role = grant->type == HB_GRANT_ROLE && depth < 16 ? find_account(accounts, grant->other) : NULL;
        if (is_about(grant, database) || (role != NULL && reaches(accounts, role, database, depth + 1)))
            return TRUE;
    }
    return FALSE;
}

static void choose(GPtrArray *accounts, const HbCatalog *catalog, const char *database)
{
    g_autoptr(GHashTable) definers = find_definers(catalog);

    for (guint i = 0; i < accounts->len; i++) {
        Account *account = accounts->pdata[i];
        if (reaches(accounts, account, database, 0) || g_hash_table_contains(definers, account->name))
            want(accounts, account);
    }
}

/* ---- Objects ---- */

static void add_account_need(const GPtrArray *accounts, HbObject *object, const char *name)
{
    const Account *account = find_account(accounts, name);

    if (account == NULL || account->is_public)
        return;
    g_autofree char *identity = hb_identity_new(HB_KIND_ROLE, name);
    hb_object_add_need(object, identity);
}

static const char *option(const HbGrant *grant)
{
    if (!grant->passes_on)
        return "";
    return grant->type == HB_GRANT_ROLE ? " WITH ADMIN OPTION" : " WITH GRANT OPTION";
}

static HbObject *user_object(HbKind kind, char *name_taken, char *definition_taken)
{
    HbObject *object = hb_object_new(kind, name_taken);

    object->definition = definition_taken;
    g_free(name_taken);
    return object;
}

static HbObject *object_from_server_grant(const Account *account, const HbGrant *grant)
{
    switch (grant->type) {
    case HB_GRANT_ROLE:
        return user_object(HB_KIND_MEMBERSHIP, g_strdup_printf("%s in %s", account->name, grant->other),
                           g_strdup_printf("GRANT %s TO %s%s;", grant->other, account->name, option(grant)));
    case HB_GRANT_DEFAULT_ROLE:
        return user_object(HB_KIND_ROLE_SETTING, g_strdup_printf("%s default role", account->name),
                           g_strdup_printf("SET DEFAULT ROLE %s FOR %s;", grant->other, account->name));
    case HB_GRANT_PROXY:
        return user_object(HB_KIND_GLOBAL_GRANT, g_strdup_printf("%s for %s", account->name, grant->other),
                           g_strdup_printf("GRANT PROXY ON %s TO %s%s;", grant->other, account->name, option(grant)));
    case HB_GRANT_SERVER:
        return user_object(
            HB_KIND_GLOBAL_GRANT, g_strdup_printf("%s on everything", account->name),
            g_strdup_printf("GRANT %s ON *.* TO %s%s;", grant->privileges, account->name, option(grant)));
    case HB_GRANT_REVOKE: /* it takes away from that */
        return user_object(HB_KIND_GLOBAL_GRANT, g_strdup_printf("%s on everything", account->name),
                           g_strdup_printf("%s FROM %s;", grant->privileges, account->name));
    default:
        return NULL;
    }
}

/* What a grant on a table or routine needs: it, if it is in the catalog */
static const char *find_subject(const HbMyCatalogBuilder *builder, const HbGrant *grant)
{
    if (grant->object_type == NULL)
        return hb_my_catalog_builder_find(builder, HB_NAMES_RELATION, grant->object);
    if (strcmp(grant->object_type, "FUNCTION") == 0)
        return hb_my_catalog_builder_find(builder, HB_NAMES_FUNCTION, grant->object);
    if (strcmp(grant->object_type, "PROCEDURE") == 0)
        return hb_my_catalog_builder_find(builder, HB_NAMES_PROCEDURE, grant->object);
    return hb_my_catalog_builder_find(builder, HB_NAMES_PACKAGE, grant->object);
}

static char *subject_sql(const HbGrant *grant)
{
    g_autofree char *database = hb_my_quote_any_name(grant->database);
    g_autofree char *object = grant->object != NULL ? hb_my_quote_any_name(grant->object) : g_strdup("*");

    return g_strdup_printf("%s%s%s.%s", grant->object_type != NULL ? grant->object_type : "",
                           grant->object_type != NULL ? " " : "", database, object);
}

/* The word is known in one sql_mode only */
static void add_mode_of_packages(HbObject *object)
{
    char *sql = g_strdup_printf("SET sql_mode = 'ORACLE';\n%s\n" HB_MY_USUAL, object->definition);

    g_free(object->definition);
    object->definition = sql;
}

/* Its name leaves out that of the database, which may be another one on the target; a real pattern is told */
static HbObject *object_from_grant(const HbMyCatalogBuilder *builder, const Account *account, const HbGrant *grant)
{
    g_autofree char *subject = subject_sql(grant);
    const char *identity = grant->type == HB_GRANT_OBJECT ? find_subject(builder, grant) : NULL;
    g_autofree char *what =
        grant->type == HB_GRANT_OBJECT
            ? g_strdup(identity != NULL ? identity : grant->object)
            : g_strdup(hb_grant_names(grant->database, builder->session->database) ? "the database" : grant->database);
    g_autofree char *name = g_strdup_printf("%s on %s", account->name, what);
    HbObject *object = hb_object_new(HB_KIND_GRANT, name);
    object->definition =
        g_strdup_printf("GRANT %s ON %s TO %s%s;", grant->privileges, subject, account->name, option(grant));
    if (grant->object_type != NULL && g_str_has_prefix(grant->object_type, "PACKAGE"))
        add_mode_of_packages(object);
    if (identity != NULL)
        hb_object_add_need(object, identity);
    return object;
}

/* MySQL says static and dynamic privileges, with and without the option, in lines of their own. Takes the other */
static void append_definition(HbObject *object, HbObject *other)
{
    char *both = g_strconcat(object->definition, "\n", other->definition, NULL);

    g_free(object->definition);
    object->definition = both;
    hb_object_free(other);
}

static gboolean add_object(HbCatalog *catalog, const GPtrArray *accounts, const Account *account, const HbGrant *grant,
                           HbObject *object, GError **error)
{
    add_account_need(accounts, object, account->name);
    if (grant != NULL && grant->other != NULL)
        add_account_need(accounts, object, grant->other);
    if (grant != NULL && grant->type == HB_GRANT_DEFAULT_ROLE) {
        g_autofree char *name = g_strdup_printf("%s in %s", account->name, grant->other);
        g_autofree char *membership = hb_identity_new(HB_KIND_MEMBERSHIP, name);
        hb_object_add_need(object, membership);
    }
    if (object->kind == HB_KIND_GLOBAL_GRANT && hb_catalog_find(catalog, object->identity) != NULL) {
        append_definition(hb_catalog_find(catalog, object->identity), object);
        return TRUE;
    }
    return hb_catalog_add(catalog, object, error);
}

/* What SHOW CREATE USER says of roles, which are given only afterwards */
static gboolean add_default_roles(HbCatalog *catalog, const Account *account, GError **error)
{
    HbObject *object =
        user_object(HB_KIND_ROLE_SETTING, g_strdup_printf("%s default role", account->name),
                    g_strdup_printf("SET DEFAULT ROLE %s TO %s;", account->default_roles, account->name));
    g_autofree char *own = hb_identity_new(HB_KIND_ROLE, account->name);

    hb_object_add_need(object, own);
    for (guint g = 0; g < account->grants->len; g++) {
        const HbGrant *grant = account->grants->pdata[g];
        g_autofree char *name = g_strdup_printf("%s in %s", account->name, grant->other);
        g_autofree char *membership = hb_identity_new(HB_KIND_MEMBERSHIP, name);
        if (grant->type == HB_GRANT_ROLE)
            hb_object_add_need(object, membership);
    }
    return hb_catalog_add(catalog, object, error);
}

static gboolean add_account(HbCatalog *catalog, const GPtrArray *accounts, const Account *account, GError **error)
{
    if (!account->is_public &&
        !hb_catalog_add(catalog, user_object(HB_KIND_ROLE, g_strdup(account->name), g_strdup(account->create)), error))
        return FALSE;
    for (guint g = 0; g < account->grants->len; g++) {
        const HbGrant *grant = account->grants->pdata[g];
        HbObject *object = object_from_server_grant(account, grant);
        if (object != NULL && !add_object(catalog, accounts, account, grant, object, error))
            return FALSE;
    }
    return account->default_roles == NULL || add_default_roles(catalog, account, error);
}

static gboolean add_grants(HbMyCatalogBuilder *builder, const GPtrArray *accounts, const Account *account,
                           GError **error)
{
    for (guint g = 0; g < account->grants->len; g++) {
        const HbGrant *grant = account->grants->pdata[g];
        if ((grant->type == HB_GRANT_DATABASE || grant->type == HB_GRANT_OBJECT) &&
            is_about(grant, builder->session->database) &&
            !add_object(builder->catalog, accounts, account, grant, object_from_grant(builder, account, grant), error))
            return FALSE;
    }
    return TRUE;
}

/*
 * A view over another one is only created if the other's definer may read what that is over: so a view needs its
 * definer's grants on what it uses, and these come with the structure.
 */
static void link_view(HbObject *view, const GPtrArray *grants)
{
    for (guint i = 0; grants != NULL && i < grants->len; i++) {
        HbObject *grant = grants->pdata[i];
        gboolean matters = TRUE;
        for (guint n = 0; matters && n < grant->needs->len; n++) {
            const char *need = grant->needs->pdata[n];
            matters = g_str_has_prefix(need, "role ") || hb_object_has_need(view, need);
        }
        if (!matters)
            continue;
        grant->stage = HB_STAGE_STRUCTURE;
        hb_object_add_need(view, grant->identity);
    }
}

/* Account to GPtrArray of its grants: HbObject *, borrowed */
static GHashTable *index_grants(const HbCatalog *catalog)
{
    GHashTable *grants = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, (GDestroyNotify)g_ptr_array_unref);

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        g_autofree char *account = hb_grant_get_grantee(object);
        GPtrArray *own = account != NULL ? g_hash_table_lookup(grants, account) : NULL;
        if (account == NULL)
            continue;
        if (own == NULL) {
            own = g_ptr_array_new();
            g_hash_table_insert(grants, g_steal_pointer(&account), own);
        }
        g_ptr_array_add(own, object);
    }
    return grants;
}

static void link_views(HbMyCatalogBuilder *builder)
{
    g_autoptr(GHashTable) grants = index_grants(builder->catalog);

    for (guint i = 0; i < hb_catalog_count(builder->catalog); i++) {
        HbObject *view = hb_catalog_get(builder->catalog, i);
        g_autofree char *definer = view->kind == HB_KIND_VIEW ? hb_my_read_definer(view->definition) : NULL;
        if (definer != NULL)
            link_view(view, g_hash_table_lookup(grants, definer));
    }
}

/* The server shows the newer one only, and takes no other from a statement */
static gboolean name_second_passwords(HbSession *session, HbCatalog *catalog, const GPtrArray *accounts,
                                      gboolean only_wanted, GError **error)
{
    g_autoptr(HbMyResult) result = NULL;
    MYSQL_ROW row;

    if (!hb_my_can(session, HB_MY_SECOND_PASSWORDS))
        return TRUE;
    result = hb_my_query(session,
                         "SELECT User, Host FROM mysql.user"
                         " WHERE JSON_CONTAINS_PATH(User_attributes, 'one', '$.additional_password') ORDER BY 1, 2",
                         error);
    while (result != NULL && (row = mysql_fetch_row(result)) != NULL) {
        g_autofree char *account = hb_my_write_account(row[0], row[1]);
        g_autofree char *what = g_strdup_printf("older password of %s", account);
        const Account *own = find_account(accounts, account);
        if (own == NULL || (only_wanted && !own->is_wanted))
            continue;
        hb_catalog_add_omission(catalog, what,
                                "the account keeps an older password beside its new one, which is not carried: clients "
                                "that still use it must be given the new one first");
    }
    return result != NULL;
}

gboolean hb_my_read_accounts(HbMyCatalogBuilder *builder, GError **error)
{
    g_autoptr(GPtrArray) accounts = read_all(builder->session, builder->catalog, error);

    if (accounts == NULL)
        return FALSE;
    choose(accounts, builder->catalog, builder->session->database);
    if ((builder->parts & HB_PART_USERS) &&
        !name_second_passwords(builder->session, builder->catalog, accounts, TRUE, error))
        return FALSE;
    for (guint i = 0; i < accounts->len; i++) {
        const Account *account = accounts->pdata[i];
        if (!account->is_wanted && !account->is_public)
            continue;
        if ((builder->parts & HB_PART_USERS) && !add_account(builder->catalog, accounts, account, error))
            return FALSE;
        if (!add_grants(builder, accounts, account, error))
            return FALSE;
    }
    link_views(builder);
    return TRUE;
}

/* ---- Grants that come with no database: on system tables, and on databases that are yet to be made ---- */

/* Of databases that are carried: char * */
static GPtrArray *read_database_names(HbSession *session, GError **error)
{
    g_autoptr(HbMyResult) result =
        hb_my_query(session,
                    "SELECT SCHEMA_NAME FROM information_schema.SCHEMATA"
                    " WHERE SCHEMA_NAME NOT IN ('information_schema', 'performance_schema', 'mysql', 'sys')",
                    error);
    GPtrArray *names = result != NULL ? g_ptr_array_new_with_free_func(g_free) : NULL;
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL)
        g_ptr_array_add(names, g_strdup(row[0]));
    return names;
}

static gboolean comes_with_one(const HbGrant *grant, const GPtrArray *databases)
{
    for (guint i = 0; i < databases->len; i++) {
        if (is_about(grant, databases->pdata[i]))
            return TRUE;
    }
    return FALSE;
}

static gboolean exists(HbSession *session, const HbGrant *grant)
{
    g_autofree char *database = hb_my_quote_literal(grant->database), *object = hb_my_quote_literal(grant->object);
    g_autofree char *sql = g_strdup_printf("SELECT 1 FROM information_schema.TABLES WHERE TABLE_SCHEMA = %s"
                                           " AND TABLE_NAME = %s UNION SELECT 1 FROM information_schema.ROUTINES"
                                           " WHERE ROUTINE_SCHEMA = %s AND ROUTINE_NAME = %s LIMIT 1",
                                           database, object, database, object);
    g_autofree char *yes = NULL;

    return hb_my_read_text(session, sql, &yes, NULL) && yes != NULL;
}

static gboolean add_grant_elsewhere(HbSession *session, HbCatalog *catalog, const GPtrArray *accounts,
                                    const Account *account, const HbGrant *grant, GError **error)
{
    g_autofree char *subject = subject_sql(grant);
    char *name = g_strdup_printf("%s on %s", account->name, subject);

    if (grant->type == HB_GRANT_OBJECT && !exists(session, grant)) {
        g_autofree char *what = g_strdup_printf("grant %s", name);
        hb_catalog_add_omission(catalog, what, "what it is about is not there, and no server would take it");
        g_free(name);
        return TRUE;
    }
    return add_object(catalog, accounts, account, NULL,
                      user_object(HB_KIND_GLOBAL_GRANT, name,
                                  g_strdup_printf("GRANT %s ON %s TO %s%s;", grant->privileges, subject, account->name,
                                                  option(grant))),
                      error);
}

static gboolean add_grants_elsewhere(HbSession *session, HbCatalog *catalog, const GPtrArray *accounts,
                                     const Account *account, const GPtrArray *databases, GError **error)
{
    for (guint g = 0; g < account->grants->len; g++) {
        const HbGrant *grant = account->grants->pdata[g];
        if ((grant->type == HB_GRANT_DATABASE || grant->type == HB_GRANT_OBJECT) && !comes_with_one(grant, databases) &&
            !add_grant_elsewhere(session, catalog, accounts, account, grant, error))
            return FALSE;
    }
    return TRUE;
}

gboolean hb_my_add_accounts(HbSession *session, HbCatalog *catalog, GError **error)
{
    g_autoptr(GPtrArray) accounts = read_all(session, catalog, error);
    g_autoptr(GPtrArray) databases = accounts != NULL ? read_database_names(session, error) : NULL;

    for (guint i = 0; databases != NULL && i < accounts->len; i++) {
        if (!add_account(catalog, accounts, accounts->pdata[i], error) ||
            !add_grants_elsewhere(session, catalog, accounts, accounts->pdata[i], databases, error))
            return FALSE;
    }
    return databases != NULL && name_second_passwords(session, catalog, accounts, FALSE, error);
}
