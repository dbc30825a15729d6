/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/dialect/drop_sql.h"

#include "engine/postgres/dialect/large_objects.h"

#include <string.h>

/* "TEXT SEARCH PARSER" of text-search-parser: most kinds are called as in SQL */
static char *words_of(HbKind kind)
{
    char *words =
        kind == HB_KIND_FOREIGN_SERVER ? g_strdup("SERVER") : g_ascii_strup(hb_kind_get_traits(kind)->name, -1);

    return g_strdelimit(words, "-", ' ');
}

/* The own name of a part, whose identity begins with its table's name */
static const char *name_of_part(const HbObject *object)
{
    return hb_object_get_name(object) + strlen(strchr(object->on, ' ')); /* the blank there is the point here */
}

/* "ALTER TABLE garden.plot" of what a part is on */
static char *alter_of(const HbObject *object)
{
    const char *words = g_str_has_prefix(object->on, "view ")     ? "ALTER VIEW"
                        : g_str_has_prefix(object->on, "domain ") ? "ALTER DOMAIN"
                                                                  : "ALTER TABLE";

    return g_strconcat(words, strchr(object->on, ' '), NULL);
}

static char *remove_part(const HbObject *object)
{
    g_autofree char *alter = alter_of(object);
    g_autofree char *words = words_of(object->kind);

    switch (object->kind) {
    case HB_KIND_DEFAULT:
        return g_strdup_printf("%s ALTER COLUMN %s DROP DEFAULT;", alter, name_of_part(object));
    case HB_KIND_CHECK:
    case HB_KIND_KEY:
    case HB_KIND_FOREIGN_KEY:
        return g_strdup_printf("%s DROP CONSTRAINT IF EXISTS %s;", alter, name_of_part(object));
    case HB_KIND_TRIGGER:
        /* Of a partition only the state is ours; the trigger goes with its parent's */
        if (g_str_has_prefix(object->definition, "ALTER "))
            return NULL;
        return g_strdup_printf("DROP TRIGGER IF EXISTS %s ON%s;", name_of_part(object), strchr(object->on, ' '));
    case HB_KIND_RULE:
    case HB_KIND_POLICY:
        return g_strdup_printf("DROP %s IF EXISTS %s ON%s;", words, name_of_part(object), strchr(object->on, ' '));
    case HB_KIND_INDEX:
    case HB_KIND_STATISTICS:
        return g_strdup_printf("DROP %s IF EXISTS %s;", words, hb_object_get_name(object));
    default:
        return NULL;
    }
}

/* "large-objects 424000 to 424999" */
static char *remove_large_objects(const HbObject *object)
{
    g_auto(GStrv) bounds = g_strsplit(hb_object_get_name(object), " to ", 2);

    return g_strdup_printf("SELECT lo_unlink(oid) FROM pg_largeobject_metadata WHERE oid BETWEEN %s AND %s;", bounds[0],
                           bounds[1]);
}

/* "kinds_taker on sister" */
static char *remove_user_mapping(const HbObject *object)
{
    const char *name = hb_object_get_name(object), *on = g_strrstr(name, " on ");

    return g_strdup_printf("DROP USER MAPPING IF EXISTS FOR %.*s SERVER %s;", (int)(on - name), name,
                           on + strlen(" on "));
}

/* What was created by way of a placeholder and what needs it hold each other: neither goes without the other */
static gboolean is_in_circle(const HbCatalog *catalog, const HbObject *object)
{
    g_autofree char *placeholder = hb_identity_new(HB_KIND_PLACEHOLDER, object->identity);

    return hb_catalog_find(catalog, placeholder) != NULL;
}

char *hb_pg_make_drop_sql(const HbCatalog *catalog, const HbObject *object)
{
    g_autofree char *words = words_of(object->kind);

    if (object->on != NULL)
        return remove_part(object);
    if (object->kind == HB_KIND_LARGE_OBJECTS)
        return remove_large_objects(object);
    if (object->kind == HB_KIND_USER_MAPPING)
        return remove_user_mapping(object);
    if (object->kind == HB_KIND_OPERATOR_FAMILY_MEMBERS)
        return NULL;
    return g_strdup_printf("DROP %s IF EXISTS %s%s;", words, hb_object_get_name(object),
                           is_in_circle(catalog, object) ? " CASCADE" : "");
}

char *hb_pg_make_empty_sql(const HbRowSet *set)
{
    return hb_pg_is_large_objects(set) ? NULL : g_strdup_printf("TRUNCATE ONLY %s;", set->table);
}
