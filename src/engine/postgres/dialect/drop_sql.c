/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/dialect/drop_sql.h"

#include "engine/postgres/catalog/large_objects.h"

#include <string.h>

#define TABLES_A_QUERY 200

/* Whoever has locked a table for long is told of instead of being waited for */
#define DO_NOT_WAIT "SET LOCAL lock_timeout = '10s'; "

/* ---- Who holds rows ---- */

static void append_question(GString *sql, const HbRowSet *set, guint number)
{
    g_string_append_printf(sql, "SELECT %u AS number WHERE EXISTS (SELECT FROM ", number);
    if (hb_pg_is_large_objects(set))
        g_string_append(sql, "pg_largeobject_metadata)");
    else
        g_string_append_printf(sql, "ONLY %s %s)", set->table, set->condition != NULL ? set->condition : "");
}

static gboolean ask(HbSession *session, const GPtrArray *sets, const char *sql, GHashTable *holding, GError **error)
{
    g_autoptr(HbResult) result = hb_pg_query(session, sql, error);

    for (int row = 0; result != NULL && row < PQntuples(result); row++) {
        guint64 number = g_ascii_strtoull(PQgetvalue(result, row, 0), NULL, 10);
        g_hash_table_add(holding, ((HbRowSet *)sets->pdata[number])->identity);
    }
    return result != NULL;
}

gboolean hb_pg_find_rows(HbSession *session, const HbCatalog *catalog, GHashTable *holding, GError **error)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(catalog);
    g_autoptr(GString) sql = g_string_new(NULL);

    for (guint i = 0; i < sets->len; i++) {
        g_string_append(sql, sql->len == 0 ? DO_NOT_WAIT : " UNION ALL ");
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

char *hb_pg_make_removal(const HbCatalog *catalog, const HbObject *object)
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

char *hb_pg_make_emptying(const HbRowSet *set)
{
    return hb_pg_is_large_objects(set) ? NULL : g_strdup_printf("TRUNCATE ONLY %s;", set->table);
}
