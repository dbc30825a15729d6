/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/catalog/mysql_only.h"

#include "engine/mariadb/dialect/names.h"

#include <string.h>

/* ---- Histograms ---- */

static const char histograms[] = "SELECT TABLE_NAME, COLUMN_NAME, HISTOGRAM->'$.\"number-of-buckets-specified\"',"
                                 " COALESCE(HISTOGRAM->'$.\"auto-update\"', 'false') = 'true'"
                                 " FROM information_schema.COLUMN_STATISTICS WHERE SCHEMA_NAME = DATABASE()"
                                 " ORDER BY TABLE_NAME, COLUMN_NAME";

/* The server makes it anew from the rows that are there by then */
static gboolean read_histogram(HbMyCatalogBuilder *builder, MYSQL_ROW row, GError **error)
{
    const char *table = hb_my_catalog_builder_find(builder, HB_NAMES_RELATION, row[0]);
    g_autofree char *column = hb_my_quote_name(row[1]);
    HbObject *object;

    if (table == NULL)
        return TRUE;
    g_autofree char *name = g_strdup_printf("%s.%s", strchr(table, ' ') + 1, column);
    g_autofree char *rows = hb_identity_new(HB_KIND_ROWS, strchr(table, ' ') + 1);
    object = hb_object_new(HB_KIND_STATISTICS, name);
    object->on = g_strdup(table);
    object->definition = g_strdup_printf("ANALYZE TABLE%s UPDATE HISTOGRAM ON %s WITH %s BUCKETS%s;",
                                         strchr(table, ' '), column, row[2], *row[3] == '1' ? " AUTO UPDATE" : "");
    hb_object_add_need(object, table);
    hb_object_add_need(object, rows);
    return hb_catalog_add(builder->catalog, object, error);
}

/* ---- The database ---- */

static gboolean read_encryption(HbMyCatalogBuilder *builder, MYSQL_ROW row, GError **error)
{
    HbObject *object;

    (void)row;
    object = hb_object_new(HB_KIND_DATABASE_SETTING, "encryption");
    object->definition = g_strdup("ALTER DATABASE DEFAULT ENCRYPTION = 'Y';");
    return hb_catalog_add(builder->catalog, object, error);
}

/* While it is so, nothing can be restored into it: the journal's end neither */
static gboolean name_read_only(HbMyCatalogBuilder *builder, MYSQL_ROW row, GError **error)
{
    (void)row, (void)error;
    hb_catalog_add_omission(builder->catalog, "the database's being read-only",
                            "it can be written to on the target; when all is verified, run there: ALTER DATABASE READ "
                            "ONLY = 1");
    return TRUE;
}

gboolean hb_my_read_mysql_only(HbMyCatalogBuilder *builder, GError **error)
{
    if (hb_my_can(builder->session, HB_MY_HISTOGRAMS) &&
        !hb_my_catalog_builder_each(builder, histograms, read_histogram, error))
        return FALSE;
    if (!hb_my_can(builder->session, HB_MY_DATABASE_OPTIONS) || !(builder->parts & HB_PART_SETTINGS))
        return TRUE;
    return hb_my_catalog_builder_each(builder,
                                      "SELECT 1 FROM information_schema.SCHEMATA WHERE SCHEMA_NAME = DATABASE()"
                                      " AND DEFAULT_ENCRYPTION = 'YES'",
                                      read_encryption, error) &&
           hb_my_catalog_builder_each(builder,
                                      "SELECT 1 FROM information_schema.SCHEMATA_EXTENSIONS"
                                      " WHERE SCHEMA_NAME = DATABASE() AND OPTIONS LIKE '%READ ONLY=1%'",
                                      name_read_only, error);
}

/* ---- The server ---- */

static const struct {
    const char *sql; /* names */
    const char *what, *why;
} on_server[] = {
    {"SELECT component_urn FROM mysql.component ORDER BY 1", "component %s",
     "is not carried: have it installed on the target (INSTALL COMPONENT)"},
    {"SELECT NAME FROM information_schema.INNODB_TABLESPACES WHERE SPACE_TYPE = 'General' AND NAME <> 'mysql' ORDER BY "
     "1",
     "tablespace %s", "is not carried: its tables get files of their own"},
    {"SELECT RESOURCE_GROUP_NAME FROM information_schema.RESOURCE_GROUPS"
     " WHERE RESOURCE_GROUP_NAME NOT IN ('SYS_default', 'USR_default') ORDER BY 1",
     "resource group %s", "is not carried: it is about the processors of that machine"},
};

void hb_my_name_mysql_only(HbSession *session, HbCatalog *catalog)
{
    for (gsize i = 0; hb_my_can(session, HB_MY_DATABASE_OPTIONS) && i < G_N_ELEMENTS(on_server); i++) {
        g_autoptr(HbMyResult) result = hb_my_query(session, on_server[i].sql, NULL);
        MYSQL_ROW row;
        while (result != NULL && (row = mysql_fetch_row(result)) != NULL) {
            g_auto(GStrv) halves = g_strsplit(on_server[i].what, "%s", 2);
            g_autofree char *what = g_strconcat(halves[0], row[0], NULL);
            hb_catalog_add_omission(catalog, what, on_server[i].why);
        }
    }
}
