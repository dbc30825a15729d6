/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/catalog/accounts_inner.h"

#include "engine/mariadb/dialect/features.h"
#include "engine/mariadb/dialect/names.h"
#include "engine/mariadb/session/session.h"

#include <string.h>

/* All accounts are read, in the server's own words; of a database's dump those stay that it needs, or that reach it */

void hb_my_accounts_account_free(gpointer data)
{
    HbMyAccount *account = data;

    g_free(account->name);
    g_free(account->create);
    g_free(account->default_roles);
    g_ptr_array_unref(account->grants);
    g_free(account);
}

/* ---- Objects ---- */

static void add_account_need(const GPtrArray *accounts, HbObject *object, const char *name)
{
    const HbMyAccount *account = hb_my_accounts_find_account(accounts, name);

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

static HbObject *object_from_server_grant(const HbMyAccount *account, const HbGrant *grant)
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
static HbObject *object_from_grant(const HbMyCatalogBuilder *builder, const HbMyAccount *account, const HbGrant *grant)
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

static gboolean add_object(HbCatalog *catalog, const GPtrArray *accounts, const HbMyAccount *account,
                           const HbGrant *grant, HbObject *object, GError **error)
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
static gboolean add_default_roles(HbCatalog *catalog, const HbMyAccount *account, GError **error)
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

static gboolean add_account(HbCatalog *catalog, const GPtrArray *accounts, const HbMyAccount *account, GError **error)
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

static gboolean add_grants(HbMyCatalogBuilder *builder, const GPtrArray *accounts, const HbMyAccount *account,
                           GError **error)
{
    for (guint g = 0; g < account->grants->len; g++) {
        const HbGrant *grant = account->grants->pdata[g];
        if ((grant->type == HB_GRANT_DATABASE || grant->type == HB_GRANT_OBJECT) &&
            hb_my_accounts_is_about(grant, builder->session->database) &&
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

/* HbMyAccount to GPtrArray of its grants: HbObject *, borrowed */
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
        const HbMyAccount *own = hb_my_accounts_find_account(accounts, account);
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
    g_autoptr(GPtrArray) accounts = hb_my_accounts_read_all(builder->session, builder->catalog, error);

    if (accounts == NULL)
        return FALSE;
    hb_my_accounts_choose(accounts, builder->catalog, builder->session->database);
    if ((builder->parts & HB_PART_USERS) &&
        !name_second_passwords(builder->session, builder->catalog, accounts, TRUE, error))
        return FALSE;
    for (guint i = 0; i < accounts->len; i++) {
        const HbMyAccount *account = accounts->pdata[i];
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
        if (hb_my_accounts_is_about(grant, databases->pdata[i]))
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
                                    const HbMyAccount *account, const HbGrant *grant, GError **error)
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
                                     const HbMyAccount *account, const GPtrArray *databases, GError **error)
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
    g_autoptr(GPtrArray) accounts = hb_my_accounts_read_all(session, catalog, error);
    g_autoptr(GPtrArray) databases = accounts != NULL ? read_database_names(session, error) : NULL;

    for (guint i = 0; databases != NULL && i < accounts->len; i++) {
        if (!add_account(catalog, accounts, accounts->pdata[i], error) ||
            !add_grants_elsewhere(session, catalog, accounts, accounts->pdata[i], databases, error))
            return FALSE;
    }
    return databases != NULL && name_second_passwords(session, catalog, accounts, FALSE, error);
}
