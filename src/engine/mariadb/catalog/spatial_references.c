/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/catalog/spatial_references.h"

#include "engine/mariadb/dialect/names.h"

#include <string.h>

/* Other numbers are the server's own, or kept for it */
#define SYSTEMS                                                                                                        \
    "SELECT SRS_ID, SRS_NAME, ORGANIZATION, ORGANIZATION_COORDSYS_ID, DEFINITION, DESCRIPTION"                         \
    " FROM information_schema.ST_SPATIAL_REFERENCE_SYSTEMS WHERE SRS_ID > 32767 AND SRS_ID < 2000000000"               \
    " AND SRS_ID NOT BETWEEN 60000000 AND 69999999"
#define COLUMNS " FROM information_schema.ST_GEOMETRY_COLUMNS WHERE TABLE_SCHEMA = DATABASE() AND SRS_ID IS NOT NULL"

static void append(GString *sql, const char *word, const char *text)
{
    g_autofree char *literal = text != NULL ? hb_my_quote_literal(text) : NULL;

    if (literal != NULL)
        g_string_append_printf(sql, " %s %s", word, literal);
}

static gboolean add_system(HbCatalog *catalog, MYSQL_ROW row, HbStage stage, GError **error)
{
    HbObject *object = hb_object_new(HB_KIND_SPATIAL_REFERENCE, row[0]);
    GString *sql = g_string_new(NULL);

    g_string_printf(sql, "CREATE SPATIAL REFERENCE SYSTEM IF NOT EXISTS %s", row[0]);
    append(sql, "NAME", row[1]);
    append(sql, "ORGANIZATION", row[2]);
    if (row[2] != NULL && row[3] != NULL)
        g_string_append_printf(sql, " IDENTIFIED BY %s", row[3]);
    append(sql, "DEFINITION", row[4]);
    append(sql, "DESCRIPTION", row[5]);
    g_string_append_c(sql, ';');
    object->definition = g_string_free(sql, FALSE);
    object->stage = stage;
    return hb_catalog_add(catalog, object, error);
}

static gboolean add_of_database(HbMyCatalogBuilder *builder, MYSQL_ROW row, GError **error)
{
    return add_system(builder->catalog, row, HB_STAGE_STRUCTURE, error);
}

static gboolean add_need(HbMyCatalogBuilder *builder, MYSQL_ROW row, GError **error)
{
    const char *table = hb_my_catalog_builder_find(builder, HB_NAMES_RELATION, row[0]);
    g_autofree char *system = hb_identity_new(HB_KIND_SPATIAL_REFERENCE, row[1]);

    (void)error;
    if (table != NULL && hb_catalog_find(builder->catalog, system) != NULL)
        hb_object_add_need(hb_catalog_find(builder->catalog, table), system);
    return TRUE;
}

gboolean hb_my_read_spatial_references(HbMyCatalogBuilder *builder, GError **error)
{
    if (!hb_my_can(builder->session, HB_MY_SPATIAL_REFERENCES))
        return TRUE;
    return hb_my_catalog_builder_each(builder, SYSTEMS " AND SRS_ID IN (SELECT SRS_ID" COLUMNS ") ORDER BY SRS_ID",
                                      add_of_database, error) &&
           hb_my_catalog_builder_each(builder, "SELECT TABLE_NAME, SRS_ID" COLUMNS, add_need, error);
}

gboolean hb_my_add_spatial_references(HbSession *session, HbCatalog *catalog, GError **error)
{
    g_autoptr(HbMyResult) result = NULL;
    MYSQL_ROW row;

    if (!hb_my_can(session, HB_MY_SPATIAL_REFERENCES))
        return TRUE;
    result = hb_my_query(session, SYSTEMS " ORDER BY SRS_ID", error);
    while (result != NULL && (row = mysql_fetch_row(result)) != NULL) {
        if (!add_system(catalog, row, HB_STAGE_USERS, error))
            return FALSE;
    }
    return result != NULL;
}
