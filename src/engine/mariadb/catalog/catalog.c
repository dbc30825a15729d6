/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/catalog/catalog.h"

#include "engine/mariadb/catalog/accounts.h"
#include "engine/mariadb/catalog/catalog_builder.h"
#include "engine/mariadb/catalog/mysql_only.h"
#include "engine/mariadb/catalog/privileges.h"
#include "engine/mariadb/catalog/routines.h"
#include "engine/mariadb/catalog/settings.h"
#include "engine/mariadb/catalog/spatial_references.h"
#include "engine/mariadb/catalog/tables.h"
#include "engine/mariadb/dialect/names.h"
#include "mariadb_sql.h"

static gboolean add_setting(HbMyCatalogBuilder *builder, const char *name, char *definition_taken, GError **error)
{
    HbObject *object = hb_object_new(HB_KIND_DATABASE_SETTING, name);

    object->definition = definition_taken;
    return hb_catalog_add(builder->catalog, object, error);
}

static gboolean read_comment(HbMyCatalogBuilder *builder, GError **error)
{
    g_autofree char *comment = NULL;

    if (!hb_my_can(builder->session, HB_MY_DATABASE_COMMENTS))
        return TRUE;
    if (!hb_my_read_text(builder->session,
                         "SELECT SCHEMA_COMMENT FROM information_schema.SCHEMATA WHERE SCHEMA_NAME = DATABASE()",
                         &comment, error))
        return FALSE;
    if (comment == NULL || *comment == '\0')
        return TRUE;
    g_autofree char *literal = hb_my_quote_literal(comment);
    hb_catalog_set_property(builder->catalog, "comment", comment);
    return add_setting(builder, "comment", g_strdup_printf("ALTER DATABASE COMMENT %s;", literal), error);
}

static gboolean read_database(HbMyCatalogBuilder *builder, GError **error)
{
    g_autoptr(HbMyResult) result =
        hb_my_query(builder->session,
                    "SELECT DEFAULT_CHARACTER_SET_NAME, DEFAULT_COLLATION_NAME FROM information_schema.SCHEMATA"
                    " WHERE SCHEMA_NAME = DATABASE()",
                    error);
    MYSQL_ROW row = result != NULL ? mysql_fetch_row(result) : NULL;

    if (row == NULL)
        return result != NULL &&
               hb_error_set(error, HB_ERROR_USAGE, "add it to the URI: .../DATABASE", "no database is named");
    hb_catalog_set_property(builder->catalog, "character-set", row[0]);
    hb_catalog_set_property(builder->catalog, "collation", row[1]);
    hb_catalog_set_property(builder->catalog, "name", builder->session->database);
    return hb_my_read_semantic_settings(builder->session, builder->catalog, error) && read_comment(builder, error) &&
           (!(builder->parts & HB_PART_SETTINGS) ||
            add_setting(builder, "character set",
                        g_strdup_printf("ALTER DATABASE CHARACTER SET %s COLLATE %s;", row[0], row[1]), error));
}

/* What the server hides from an account without the right, as if it were not there */
static const struct {
    const char *privilege;
    const char *what;
} hidden[] = {{"SELECT", "tables and views that this account may not read, if there are any"},
              {"EXECUTE", "functions and procedures that this account may not run, if there are any"},
              {"TRIGGER", "triggers, if there are any"},
              {"EVENT", "events, if there are any"}};

static void read_blind_spots(HbMyCatalogBuilder *builder)
{
    g_autoptr(GHashTable) held = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    g_autoptr(HbMyResult) result = hb_my_read_privileges(builder->session, builder->session->database, NULL);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL)
        g_hash_table_add(held, g_strdup(row[0]));
    for (gsize i = 0; result != NULL && i < G_N_ELEMENTS(hidden); i++) {
        g_autofree char *why = g_strdup_printf("the server shows them only with the right: GRANT %s ON %s.* TO ...",
                                               hidden[i].privilege, builder->session->database);
        if (!g_hash_table_contains(held, hidden[i].privilege))
            hb_catalog_add_omission(builder->catalog, hidden[i].what, why);
    }
}

static gboolean read_all(HbMyCatalogBuilder *builder, GError **error)
{
    if (!read_database(builder, error) || !hb_my_read_sequences(builder, error) || !hb_my_read_tables(builder, error) ||
        !hb_my_read_programs(builder, error) || !hb_my_read_mysql_only(builder, error) ||
        !hb_my_read_spatial_references(builder, error))
        return FALSE;
    if (builder->parts & HB_PART_SCHEMA)
        read_blind_spots(builder);
    hb_my_catalog_builder_resolve(builder);
    if ((builder->parts & (HB_PART_USERS | HB_PART_SCHEMA)) && !hb_my_read_accounts(builder, error))
        return FALSE;
    hb_catalog_keep_parts(builder->catalog, builder->parts);
    return TRUE;
}

HbCatalog *hb_my_read_catalog(GPtrArray *sessions, guint parts, GError **error)
{
    HbMyCatalogBuilder builder;
    HbCatalog *catalog = NULL;

    if (!hb_my_catalog_builder_init(&builder, sessions->pdata[0], parts, error))
        return NULL;
    if (read_all(&builder, error))
        catalog = g_steal_pointer(&builder.catalog);
    else
        g_prefix_error(error, "reading the catalog of %s: ", builder.session->address);
    hb_my_catalog_builder_clear(&builder);
    return catalog;
}
