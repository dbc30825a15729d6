/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/catalog/users.h"

#include "sql.h"

#include <string.h>

/* ---- Users ---- */

static gboolean may_read_passwords(HbCatalogBuilder *builder, gboolean *may, GError **error)
{
    g_autoptr(HbResult) result =
        hb_pg_query(builder->session, "SELECT has_table_privilege('pg_catalog.pg_authid', 'SELECT') AS may", error);

    *may = result != NULL && *hb_pg_get(result, 0, "may") == 't';
    return result != NULL;
}

/* Passwords of roles that the database does not need are passed over */
static gboolean add_password(HbCatalogBuilder *builder, const PGresult *result, int row, GError **error)
{
    const char *role = hb_pg_get(result, row, "needs");

    return !g_hash_table_contains(builder->by_address, role) || hb_catalog_builder_add(builder, result, row, error);
}

gboolean hb_pg_read_users(HbCatalogBuilder *builder, GError **error)
{
    g_autoptr(HbResult) result = NULL;
    gboolean may;

    if (!hb_catalog_builder_read(builder, hb_sql_roles, error) || !may_read_passwords(builder, &may, error))
        return FALSE;
    if (!may) {
        hb_catalog_set_unread(builder->catalog, HB_KIND_PASSWORD);
        hb_catalog_add_omission(builder->catalog, "passwords of roles",
                                "only a superuser may read their hashes; set new passwords on the target");
        return TRUE;
    }
    result = hb_catalog_builder_run(builder, hb_sql_passwords, error);
    for (int row = 0; result != NULL && row < PQntuples(result); row++) {
        if (!add_password(builder, result, row, error))
            return FALSE;
    }
    return result != NULL;
}
