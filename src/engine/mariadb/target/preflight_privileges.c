/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/target/preflight_inner.h"

#include "core/graph/order.h"
#include "core/sql/lexer.h"
#include "engine/common/role_findings.h"
#include "engine/mariadb/catalog/privileges.h"
#include "engine/mariadb/catalog/server.h"
#include "engine/mariadb/catalog/spatial_references.h"
#include "engine/mariadb/dialect/dialect.h"
#include "engine/mariadb/dialect/grants.h"
#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/names.h"
#include "engine/mariadb/target/roles.h"

#include <string.h>

/*
 * What the account lacks, kind by kind, each told once with the statement that grants it; who owns nothing here may
 * still define in another's name, or not. Where the server does not let the account see its own rights, nothing is
 * said.
 */

/* ---- Rights ---- */

/* What a restore of such objects takes */
static const struct {
    HbKind kind;
    const char *right;
} needed[] = {{HB_KIND_TABLE, "CREATE"},          {HB_KIND_TABLE, "ALTER"},
              {HB_KIND_TABLE, "INDEX"},           {HB_KIND_TABLE, "DROP"},
              {HB_KIND_ROWS, "INSERT"},           {HB_KIND_FOREIGN_KEY, "REFERENCES"},
              {HB_KIND_VIEW, "CREATE VIEW"},      {HB_KIND_FUNCTION, "CREATE ROUTINE"},
              {HB_KIND_TRIGGER, "TRIGGER"},       {HB_KIND_PROCEDURE, "CREATE ROUTINE"},
              {HB_KIND_EVENT, "EVENT"},           {HB_KIND_ROLE, "CREATE USER"},
              {HB_KIND_PACKAGE, "CREATE ROUTINE"}};

/* Among the rights: that of passing on what is not only one database's */
#define PASSED_ON_EVERYWHERE "GRANT OPTION on *.*"

static gboolean read_rights(HbMyPreflight *run, GError **error)
{
    g_autoptr(HbMyResult) result = hb_my_read_privileges(run->session, run->database, error);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL) {
        g_hash_table_add(run->rights, g_strdup(row[0]));
        if (row[1] != NULL)
            g_hash_table_add(run->rights, g_strdup("GRANT OPTION"));
        if (g_strcmp0(row[1], "everywhere") == 0)
            g_hash_table_add(run->rights, g_strdup(PASSED_ON_EVERYWHERE));
    }
    return result != NULL;
}

static char *read_me(const HbMyPreflight *run)
{
    char *user = NULL;

    hb_my_read_text(run->session, "SELECT CONCAT('''', REPLACE(CURRENT_USER(), '@', '''@'''), '''')", &user, NULL);
    return user;
}

static void report_lack(HbMyPreflight *run, const char *right, const char *where, const char *example,
                        const char *otherwise)
{
    g_autofree char *user = read_me(run);
    g_autofree char *sql = g_strdup_printf("GRANT %s ON %s TO %s;", right, where, user != NULL ? user : "...");
    g_autofree char *todo = g_strconcat("have it granted", otherwise != NULL ? ", or " : NULL, otherwise, NULL);

    hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_BLOCKER, "right-missing", right,
                                      "is a right that this account lacks on %s: %s would be refused, for example",
                                      where, example),
                      todo, sql);
}

/* Is the right missing, and has that not been told yet? */
static gboolean misses(HbMyPreflight *run, const char *right)
{
    return !g_hash_table_contains(run->rights, right) && g_hash_table_add(run->rights, g_strdup(right));
}

static void require(HbMyPreflight *run, const char *right, const char *where, const char *example,
                    const char *otherwise)
{
    if (misses(run, right))
        report_lack(run, right, where, example, otherwise);
}

static gboolean is_new_account(const HbObject *object, const HbCatalog *there)
{
    return object->kind == HB_KIND_ROLE && hb_catalog_find(there, object->identity) == NULL;
}

static gboolean is_foreign_definer(const HbObject *object, const char *me)
{
    g_autofree char *definer = object->definition != NULL ? hb_my_read_definer(object->definition) : NULL;

    return definer != NULL && g_strcmp0(me, definer) != 0;
}

static gboolean has_either(const HbMyPreflight *run, const char *one, const char *other)
{
    return g_hash_table_contains(run->rights, one) || g_hash_table_contains(run->rights, other);
}

static void check_kinds(HbMyPreflight *run, const HbObject *object, const char *here, const HbCatalog *there)
{
    for (gsize n = 0; n < G_N_ELEMENTS(needed); n++) {
        const gboolean is_account = object->kind == HB_KIND_ROLE;
        if (object->kind == needed[n].kind && (!is_account || is_new_account(object, there)))
            require(run, needed[n].right, is_account ? "*.*" : here, object->identity, NULL);
    }
    if (object->kind == HB_KIND_GRANT)
        require(run, "GRANT OPTION", here, object->identity, "use --grants drop");
    if (object->kind == HB_KIND_GLOBAL_GRANT && !hb_catalog_has_needs(there, object) &&
        misses(run, PASSED_ON_EVERYWHERE))
        report_lack(run, "GRANT OPTION", "*.*", object->identity, "leave the users out with --skip user:*");
}

static void check_definers(HbMyPreflight *run)
{
    static const char mine[] = "use --ownership mine: what is defined becomes this account's";
    const char *privilege = hb_my_version_get_definer_privilege(run->session->version);
    g_autofree char *me = read_me(run);

    for (guint i = 0; !has_either(run, privilege, "SUPER") && i < hb_catalog_count(run->preview->catalog); i++) {
        const HbObject *object = hb_catalog_get(run->preview->catalog, i);
        if (is_foreign_definer(object, me))
            require(run, privilege, "*.*", object->identity, mine);
    }
}

/* Those that every server brings are in no catalog */
static gboolean is_missing(const HbMyPreflight *run, const char *account)
{
    g_autofree char *identity = hb_identity_new(HB_KIND_ROLE, account);

    return hb_catalog_find(run->preview->catalog, identity) == NULL && !hb_my_may_be_there(run->session, account);
}

/* The server makes no view over one whose definer is not there: it cannot tell what that one may read */
static void check_definers_of_views(HbMyPreflight *run)
{
    g_autoptr(GHashTable) told = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    const HbCatalog *catalog = run->preview->catalog;

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        for (guint n = 0; object->kind == HB_KIND_VIEW && n < object->needs->len; n++) {
            const HbObject *need = hb_catalog_find(catalog, object->needs->pdata[n]);
            g_autofree char *definer =
                need != NULL && need->kind == HB_KIND_VIEW ? hb_my_read_definer(need->definition) : NULL;
            if (definer == NULL || !g_hash_table_add(told, g_strdup(definer)) || !is_missing(run, definer))
                continue;
            g_autofree char *role = hb_identity_new(HB_KIND_ROLE, definer);
            hb_finding_advise(
                hb_findings_add(run->findings, HB_FINDING_BLOCKER, "role-missing", role,
                                "defines %s, and is not on the target: %s, which uses that, could not be created",
                                need->identity, object->identity),
                "let it come along, create it there, or use --ownership mine", NULL);
        }
    }
}

/* Where statements are logged, an account without trust may not create what runs for each of them */
static void check_trust(HbMyPreflight *run)
{
    if (g_hash_table_contains(run->rights, "SUPER") ||
        !hb_my_preflight_is_on(run, "@@log_bin AND NOT @@log_bin_trust_function_creators"))
        return;
    for (guint i = 0; i < hb_catalog_count(run->preview->catalog); i++) {
        const HbObject *object = hb_catalog_get(run->preview->catalog, i);
        if (object->kind != HB_KIND_FUNCTION && object->kind != HB_KIND_TRIGGER)
            continue;
        hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_BLOCKER, "right-missing",
                                          "log_bin_trust_function_creators",
                                          "is OFF, the target keeps a binary log, and this account has not the right "
                                          "SUPER: functions and triggers (%s, for example) would be refused",
                                          object->identity),
                          "have it switched on for the restore, or leave them out with --skip",
                          "SET GLOBAL log_bin_trust_function_creators = ON;");
        return;
    }
}

/* Only an account that may administer an existing role can add members to it */
static void check_memberships(HbMyPreflight *run, const HbCatalog *there)
{
    for (guint i = 0; i < hb_catalog_count(run->preview->catalog); i++) {
        const HbObject *object = hb_catalog_get(run->preview->catalog, i);
        const char *sql = object->definition;
        if (object->kind != HB_KIND_MEMBERSHIP || hb_catalog_has_needs(there, object))
            continue;
        hb_my_next(&sql); /* GRANT */
        const HbToken token = hb_my_next(&sql);
        g_autofree char *role = hb_token_unquote(&token);
        g_autofree char *account = hb_my_write_account(role, NULL);
        g_autofree char *identity = hb_identity_new(HB_KIND_ROLE, account);
        g_autofree char *literal = hb_my_quote_literal(role);
        g_autofree char *mine = g_strdup_printf("EXISTS (SELECT 1 FROM information_schema.APPLICABLE_ROLES"
                                                " WHERE ROLE_NAME = %s AND IS_GRANTABLE = 'YES')",
                                                literal);
        if (hb_catalog_find(there, identity) == NULL || hb_my_preflight_is_on(run, mine))
            continue;
        hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_WARNING, "refused", object->identity,
                                          "cannot be granted by this account, which has no admin option on that role"),
                          "have a user with that privilege run the statement afterwards; the restore lists it", NULL);
    }
}

static void check_read_only(HbMyPreflight *run)
{
    if (hb_my_preflight_is_on(run, "@@global.read_only") && !has_either(run, "READ_ONLY ADMIN", "SUPER"))
        hb_finding_advise(hb_findings_add(run->findings, HB_FINDING_BLOCKER, "read-only", "server",
                                          "is read-only, and this account may not write nevertheless"),
                          "name the primary server, or have it switched", "SET GLOBAL read_only = OFF;");
}

/* Those that are there are not made */
static void check_spatial_references(HbMyPreflight *run)
{
    const char *right = hb_my_version_get_spatial_privilege(run->session->version);
    g_autoptr(HbCatalog) there = hb_catalog_new();

    if (has_either(run, right, "SUPER") || !hb_my_add_spatial_references(run->session, there, NULL))
        return;
    for (guint i = 0; i < hb_catalog_count(run->preview->catalog); i++) {
        const HbObject *object = hb_catalog_get(run->preview->catalog, i);
        if (object->kind == HB_KIND_SPATIAL_REFERENCE && hb_catalog_find(there, object->identity) == NULL)
            require(run, right, "*.*", object->identity, "have it made there before");
    }
}

static void check_rights(HbMyPreflight *run, const HbCatalog *there)
{
    g_autofree char *quoted = hb_my_quote_any_name(run->database);
    g_autofree char *here = g_strdup_printf("%s.*", quoted);

    if (run->preview->state == HB_TARGET_ABSENT)
        require(run, "CREATE", here, "the database", NULL);
    check_read_only(run);
    check_definers(run);
    check_definers_of_views(run);
    check_trust(run);
    check_memberships(run, there);
    check_spatial_references(run);
    for (guint i = 0; i < hb_catalog_count(run->preview->catalog); i++)
        check_kinds(run, hb_catalog_get(run->preview->catalog, i), here, there);
}

gboolean hb_my_preflight_check_users(HbMyPreflight *run, GError **error)
{
    g_autoptr(HbCatalog) there = hb_my_read_server(run->session, HB_PART_USERS, NULL);

    /* An account that may not read the accounts is told of privileges as if there were none */
    if (there == NULL)
        there = hb_catalog_new();
    if (!hb_order_arrange(there, error) || !read_rights(run, error))
        return FALSE;
    hb_role_findings_add(run->preview->catalog, there, &hb_my_dialect, run->findings);
    check_rights(run, there);
    return TRUE;
}
