/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/target/roles.h"

#include "engine/mariadb/dialect/grants.h"

#include <string.h>

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

/* The hash of mysql_native_password: SHA-1 of the SHA-1 of the password */
static char *hash_password(const char *password)
{
    g_autoptr(GChecksum) inner = g_checksum_new(G_CHECKSUM_SHA1);
    guint8 digest[20];
    gsize length = sizeof digest;

    g_checksum_update(inner, (const guchar *)password, -1);
    g_checksum_get_digest(inner, digest, &length);
    return g_compute_checksum_for_data(G_CHECKSUM_SHA1, digest, length);
}

char *hb_my_make_password_sql(HbSession *session, const HbObject *role, const char *password, GError **error)
{
    if (strstr(role->definition, "CREATE USER") == NULL ||
        (strstr(role->definition, " IDENTIFIED ") != NULL && strstr(role->definition, " PASSWORD 'invalid'") == NULL))
        return NULL;
    if (!hb_my_can(session, HB_MY_ROLES_WITHOUT_HOST)) {
        hb_error_set(error, HB_ERROR_STATEMENT, "leave out --new-passwords, and give the account one there by hand",
                     "account %s: MySQL takes a new password in clear only, which is not sent",
                     hb_object_get_name(role));
        return NULL;
    }
    g_autofree char *hash = hash_password(password);
    g_autofree char *upper = g_ascii_strup(hash, -1);
    return g_strdup_printf("SET PASSWORD FOR %s = '*%s';", hb_object_get_name(role), upper);
}
