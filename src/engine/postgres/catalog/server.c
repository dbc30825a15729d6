/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/catalog/server.h"

#include "engine/postgres/catalog/catalog.h"
#include "engine/postgres/catalog/catalog_builder.h"
#include "engine/postgres/catalog/users.h"
#include "sql.h"

#include <string.h>

static gboolean read_server(HbCatalogBuilder *builder, guint parts, GError **error)
{
    if (!hb_pg_execute(builder->session, "SET hornbeam.scope = 'server'", error))
        return FALSE;
    if ((parts & HB_PART_USERS) && !hb_pg_read_users(builder, error))
        return FALSE;
    if ((parts & HB_PART_SETTINGS) && !hb_catalog_builder_read(builder, hb_sql_tablespaces, error))
        return FALSE;
    if (!hb_catalog_builder_read_omissions(builder, hb_sql_server_omissions, error))
        return FALSE;
    hb_catalog_builder_resolve(builder);
    hb_catalog_keep_parts(builder->catalog, parts);
    return TRUE;
}

HbCatalog *hb_pg_read_server(HbSession *session, guint parts, GError **error)
{
    HbCatalogBuilder builder;
    HbCatalog *catalog = NULL;

    hb_catalog_builder_init(&builder, session);
    if (read_server(&builder, parts, error))
        catalog = g_steal_pointer(&builder.catalog);
    hb_catalog_builder_clear(&builder);
    return catalog;
}

/* What a fresh server's database has, too */
static gboolean is_usual(const HbObject *object)
{
    static const char *const usual[] = {
        "schema public",           "extension plpgsql",         "database-setting comment",
        "database-setting grants", "database-setting template", NULL};

    return object->kind == HB_KIND_DATABASE_OWNER || g_strv_contains(usual, object->identity);
}

static HbCatalog *read_alone(HbSession *session)
{
    g_autoptr(GPtrArray) sessions = g_ptr_array_new();

    g_ptr_array_add(sessions, session);
    return hb_pg_read_catalog(sessions, HB_PART_SCHEMA | HB_PART_SETTINGS, NULL);
}

/* Every server has these databases; they matter only if they hold something */
static gboolean is_used(const HbAddress *address, const char *name)
{
    HbAddress here = {address->uri, name, address->password, address->watch};
    HbSession *session = hb_pg_open(&here, NULL);
    g_autoptr(HbCatalog) catalog = session != NULL ? read_alone(session) : NULL;
    gboolean used = FALSE;

    for (guint i = 0; catalog != NULL && i < hb_catalog_count(catalog); i++)
        used = used || !is_usual(hb_catalog_get(catalog, i));
    hb_pg_close(session);
    return used;
}

GArray *hb_pg_list_databases(HbSession *session, const HbAddress *address, GError **error)
{
    g_autoptr(HbResult) result = hb_pg_query(session,
                                             "SELECT datname AS name, datname IN ('postgres', 'template1') AS usual,"
                                             " CASE WHEN has_database_privilege(oid, 'CONNECT')"
                                             "  THEN pg_database_size(oid) ELSE 0 END AS bytes"
                                             " FROM pg_database WHERE datallowconn AND datname <> 'template0'"
                                             " ORDER BY 3 DESC, 1",
                                             error);
    GArray *databases;

    if (result == NULL)
        return NULL;
    databases = hb_databases_new();
    for (int row = 0; row < PQntuples(result); row++) {
        const char *name = hb_pg_get(result, row, "name");
        if (*hb_pg_get(result, row, "usual") == 'f' || is_used(address, name))
            hb_databases_add(databases, name, g_ascii_strtoull(hb_pg_get(result, row, "bytes"), NULL, 10));
    }
    return databases;
}
