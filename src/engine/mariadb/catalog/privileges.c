/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/catalog/privileges.h"

#include "engine/mariadb/dialect/names.h"
#include "mariadb_sql.h"

/* The roles that are taken, as grantees; the oldest servers have none, and do not know the function */
static const char *get_roles(const HbSession *session)
{
    if (hb_my_can(session, HB_MY_ROLES_WITHOUT_HOST))
        return "SELECT CONCAT('''', CURRENT_ROLE(), '''@''''')";
    return hb_my_can(session, HB_MY_ENABLED_ROLES)
               ? "SELECT CONCAT('''', ROLE_NAME, '''@''', ROLE_HOST, '''') FROM information_schema.ENABLED_ROLES"
               : "SELECT NULL";
}

static char *replace(const char *text, const char *word, const char *by)
{
    GString *result = g_string_new(text);

    g_string_replace(result, word, by, 0);
    return g_string_free(result, FALSE);
}

HbMyResult *hb_my_read_privileges(HbSession *session, const char *database, GError **error)
{
    g_autofree char *with_roles = replace(hb_my_sql_privileges, "ROLES_TAKEN", get_roles(session));
    g_autofree char *literal = hb_my_quote_literal(database);
    g_autofree char *sql = replace(with_roles, "THE_DATABASE", literal);

    return hb_my_query(session, sql, error);
}
