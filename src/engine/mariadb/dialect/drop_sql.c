/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/dialect/drop_sql.h"

#include <string.h>

/* The own name of a part, whose identity begins with its table's name */
static const char *name_of_part(const HbObject *object)
{
    return hb_object_get_name(object) + strlen(strchr(object->on, ' ')); /* the blank there is the point here */
}

static char *remove_from_table(const HbObject *object, const char *what)
{
    return g_strdup_printf("ALTER TABLE%s DROP %s IF EXISTS %s;", strchr(object->on, ' '), what, name_of_part(object));
}

char *hb_my_make_drop_sql(const HbCatalog *catalog, const HbObject *object)
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
char *hb_my_make_empty_sql(const HbRowSet *set)
{
    if (set->condition != NULL)
        return g_strdup_printf("DELETE FROM %s;\nDELETE HISTORY FROM %s;", set->table, set->table);
    return g_strdup_printf("TRUNCATE TABLE %s;", set->table);
}

/* "DO SETVAL(numbers, 1001, 0, 0);": it never lowers what a sequence gives next, which only a restart does */
char *hb_my_make_align_sql(const HbObject *wanted, const HbObject *there)
{
    static const char beginning[] = "DO SETVAL(";
    const char *name, *number;

    if (wanted == NULL || there == NULL || wanted->kind != HB_KIND_SEQUENCE_VALUE ||
        !g_str_has_prefix(wanted->definition, beginning))
        return NULL;
    name = wanted->definition + strlen(beginning);
    if (!g_str_has_prefix(name, hb_object_get_name(wanted)))
        return NULL;
    number = name + strlen(hb_object_get_name(wanted));
    number += strspn(number, ", ");
    return g_strdup_printf("ALTER SEQUENCE %s RESTART WITH %.*s;\n%s", hb_object_get_name(wanted),
                           (int)strspn(number, "-0123456789"), number, wanted->definition);
}
