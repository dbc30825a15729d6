/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/target/roles.h"

#include "engine/mariadb/dialect/grants.h"
#include "engine/mariadb/dialect/password_hash.h"
#include "engine/mariadb/dialect/translate.h"

#include <string.h>

/* What servers of all versions accept */
#define ROUNDS_IN_THOUSANDS 5

gboolean hb_my_may_be_there(HbSession *session, const char *account)
{
    g_autofree char *sql = g_strdup_printf("SHOW GRANTS FOR %s", account);
    g_autoptr(GError) refusal = NULL;

    return hb_my_execute(session, sql, &refusal) || hb_error_is(refusal, HB_ERROR_RIGHTS);
}

/* A name without a host is a role's, but the server takes it for the account of that name if there is no such role */
static gboolean is_meant(HbSession *session, const char *name, HbMyResult *grants)
{
    g_autofree char *question = g_strdup_printf("GRANT x TO %s", name), *asked = hb_grant_find_role(question);
    MYSQL_ROW row = mysql_fetch_row(grants);
    g_autofree char *answered = row != NULL ? hb_grant_find_role(row[0]) : NULL;

    return !hb_my_can(session, HB_MY_ROLES_WITHOUT_HOST) || asked == NULL || answered != NULL;
}

gboolean hb_my_find_role(HbSession *session, const char *name, gboolean *found, GError **error)
{
    g_autofree char *sql = g_strdup_printf("SHOW GRANTS FOR %s", name);
    g_autoptr(GError) ours = NULL;
    g_autoptr(HbMyResult) result = hb_my_query(session, sql, &ours);

    *found = result != NULL && is_meant(session, name, result);
    if (hb_error_is(ours, HB_ERROR_LOST)) {
        g_propagate_error(error, g_steal_pointer(&ours));
        return FALSE;
    }
    return TRUE;
}

/* "*HASH" for MariaDB and MySQL 5.7; from 8.0 on for the plugin that the server makes accounts with itself */
static char *write_password(HbSession *session, const char *name, const char *password, GError **error)
{
    g_autofree char *hash = hb_my_hash_native(password);
    char salt[HB_MY_SALT_LENGTH + 1];

    if (hb_my_can(session, HB_MY_ROLES_WITHOUT_HOST))
        return g_strdup_printf("SET PASSWORD FOR %s = '%s'", name, hash);
    if (!hb_my_can(session, HB_MY_CACHING_SHA2))
        return g_strdup_printf("ALTER USER %s IDENTIFIED WITH 'mysql_native_password' AS '%s'", name, hash);
    if (!hb_my_draw_salt(salt, error))
        return NULL;
    g_autofree char *slow = hb_my_hash_caching_sha2(password, salt, ROUNDS_IN_THOUSANDS);
    return g_strdup_printf("ALTER USER %s IDENTIFIED WITH 'caching_sha2_password' AS '%s'", name, slow);
}

char *hb_my_make_password_sql(HbSession *session, const HbObject *role, const char *password, GError **error)
{
    const char *definition = role->definition;
    const gboolean waits = g_str_has_suffix(definition, HB_MY_LOCKED_FOR_NOW ";");
    g_autofree char *sql = NULL;

    if (strstr(definition, "CREATE USER") == NULL ||
        (strstr(definition, " IDENTIFIED ") != NULL && strstr(definition, " PASSWORD 'invalid'") == NULL && !waits))
        return NULL;
    sql = write_password(session, hb_object_get_name(role), password, error);
    return sql != NULL ? g_strconcat(sql, waits ? " ACCOUNT UNLOCK;" : ";", NULL) : NULL;
}
