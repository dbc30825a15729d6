/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/drop_sql.h"

#include "engine/mariadb/catalog/catalog_builder.h"

#include <string.h>

#define TABLES_A_QUERY 200

/* ---- Who holds rows ---- */

static void append_question(GString *sql, const HbRowSet *set, guint number)
{
    g_string_append_printf(sql, "%sSELECT %u AS number FROM DUAL WHERE EXISTS (SELECT 1 FROM %s %s)",
                           sql->len > 0 ? " UNION ALL " : "", number, set->table,
                           set->condition != NULL ? set->condition : "");
}

static gboolean ask(HbSession *session, const GPtrArray *sets, const char *sql, GHashTable *holding, GError **error)
{
    g_autoptr(HbMyResult) result = hb_my_query(session, sql, error);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL)
        g_hash_table_add(holding, ((HbRowSet *)sets->pdata[g_ascii_strtoull(row[0], NULL, 10)])->identity);
    return result != NULL;
}

gboolean hb_my_find_rows(HbSession *session, const HbCatalog *catalog, GHashTable *holding, GError **error)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(catalog);
    g_autoptr(GString) sql = g_string_new(NULL);

    for (guint i = 0; i < sets->len; i++) {
        append_question(sql, sets->pdata[i], i);
        if (i + 1 < sets->len && (i + 1) % TABLES_A_QUERY != 0)
            continue;
        if (!ask(session, sets, sql->str, holding, error))
            return FALSE;
        g_string_truncate(sql, 0);
    }
    return TRUE;
}

/* ---- Dropping ---- */

/* The own name of a part, whose identity begins with its table's name */
static const char *name_of_part(const HbObject *object)
{
    return hb_object_get_name(object) + strlen(strchr(object->on, ' ')); /* the blank there is the point here */
}

static char *remove_from_table(const HbObject *object, const char *what)
{
    return g_strdup_printf("ALTER TABLE%s DROP %s IF EXISTS %s;", strchr(object->on, ' '), what, name_of_part(object));
}

char *hb_my_make_removal(const HbCatalog *catalog, const HbObject *object)
{
    g_autofree char *words = g_ascii_strup(hb_kind_get_traits(object->kind)->name, -1);

    (void)catalog;
    switch (object->kind) {
    case HB_KIND_FOREIGN_KEY:
        return remove_from_table(object, "FOREIGN KEY");
    case HB_KIND_INDEX:
        return remove_from_table(object, "INDEX");
    case HB_KIND_TABLE:
    case HB_KIND_VIEW:
    case HB_KIND_SEQUENCE:
    case HB_KIND_FUNCTION:
    case HB_KIND_PROCEDURE:
    case HB_KIND_AGGREGATE:
    case HB_KIND_PACKAGE:
    case HB_KIND_TRIGGER:
    case HB_KIND_EVENT:
        return g_strdup_printf("DROP %s IF EXISTS %s;", object->kind == HB_KIND_AGGREGATE ? "FUNCTION" : words,
                               hb_object_get_name(object));
    case HB_KIND_PACKAGE_BODY:
        return g_strdup_printf("DROP PACKAGE BODY IF EXISTS %s;", hb_object_get_name(object));
    default:
        return NULL;
    }
}

/* A table keeps its history when it is truncated */
char *hb_my_make_emptying(const HbRowSet *set)
{
    if (set->condition != NULL)
        return g_strdup_printf("DELETE FROM %s;\nDELETE HISTORY FROM %s;", set->table, set->table);
    return g_strdup_printf("TRUNCATE TABLE %s;", set->table);
}
