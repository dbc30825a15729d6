/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/catalog/server.h"

#include "engine/mariadb/catalog/accounts.h"
#include "engine/mariadb/catalog/mysql_only.h"
#include "engine/mariadb/catalog/spatial_references.h"
#include "engine/mariadb/dialect/names.h"

#include <stdlib.h>
#include <string.h>

static gboolean read_loadable_functions(HbSession *session, HbCatalog *catalog, GError **error)
{
    static const char *const returns[] = {"STRING", "REAL", "INTEGER", "ROW", "DECIMAL"};
    g_autoptr(HbMyResult) result =
        hb_my_query(session, "SELECT name, ret, dl, type FROM mysql.func ORDER BY name", NULL);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL) {
        g_autofree char *quoted = hb_my_quote_name(row[0]);
        g_autofree char *library = hb_my_quote_literal(row[2]);
        HbObject *object = hb_object_new(HB_KIND_LOADABLE_FUNCTION, quoted);
        object->definition = g_strdup_printf("CREATE %sFUNCTION %s RETURNS %s SONAME %s;",
                                             strcmp(row[3], "aggregate") == 0 ? "AGGREGATE " : "", quoted,
                                             returns[CLAMP(atoi(row[1]), 0, 4)], library);
        if (!hb_catalog_add(catalog, object, error))
            return FALSE;
    }
    return TRUE;
}

/* Their passwords are not carried: they are told with the statement that sets them */
static gboolean read_servers(HbSession *session, HbCatalog *catalog, GError **error)
{
    static const char *const options[] = {"HOST", "DATABASE", "USER", "PORT", "SOCKET", "OWNER"};
    g_autoptr(HbMyResult) result =
        hb_my_query(session,
                    "SELECT Server_name, Wrapper, Host, Db, Username, Port, Socket, Owner, Password <> ''"
                    " FROM mysql.servers ORDER BY Server_name",
                    NULL);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL) {
        g_autofree char *quoted = hb_my_quote_name(row[0]);
        g_autofree char *wrapper = hb_my_quote_name(row[1]);
        HbObject *object = hb_object_new(HB_KIND_FOREIGN_SERVER, quoted);
        GString *sql = g_string_new(NULL);
        g_string_append_printf(sql, "CREATE SERVER %s FOREIGN DATA WRAPPER %s OPTIONS (", quoted, wrapper);
        for (gsize i = 0; i < G_N_ELEMENTS(options); i++) {
            g_autofree char *literal =
                strcmp(options[i], "PORT") == 0 ? g_strdup(row[i + 2]) : hb_my_quote_literal(row[i + 2]);
            g_string_append_printf(sql, "%s%s %s", i > 0 ? ", " : "", options[i], literal);
        }
        g_string_append(sql, ");");
        object->definition = g_string_free(sql, FALSE);
        object->stage = HB_STAGE_USERS;
        if (*row[8] == '1') {
            g_autofree char *why = g_strdup_printf(
                "is not carried; set it on the target: ALTER SERVER %s OPTIONS (PASSWORD '...')", quoted);
            g_autofree char *what = g_strdup_printf("password of server %s", row[0]);
            hb_catalog_add_omission(catalog, what, why);
        }
        if (!hb_catalog_add(catalog, object, error))
            return FALSE;
    }
    return TRUE;
}

HbCatalog *hb_my_read_server(HbSession *session, guint parts, GError **error)
{
    g_autoptr(HbCatalog) catalog = hb_catalog_new();

    if ((parts & HB_PART_USERS) && !hb_my_add_accounts(session, catalog, error))
        return NULL;
    if ((parts & HB_PART_SETTINGS) &&
        (!read_loadable_functions(session, catalog, error) || !read_servers(session, catalog, error) ||
         !hb_my_add_spatial_references(session, catalog, error)))
        return NULL;
    if (parts & HB_PART_SETTINGS)
        hb_my_name_mysql_only(session, catalog);
    return g_steal_pointer(&catalog);
}
