/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/fitting.h"

#include "engine/postgres/target.h"

#include <stdlib.h>
#include <string.h>

#define PLACE_BEGINS "SET default_tablespace = "
#define PLACE_ENDS   "\nRESET default_tablespace;"

/* What a target has: sets of names, as SQL writes them */
typedef struct {
    GHashTable *tablespaces;
    GHashTable *extensions; /* "name version" */
    GHashTable *settings;   /* in lower case */
} Target;

guint hb_pg_read_version(const char *text)
{
    char *end;
    unsigned long major = strtoul(text, &end, 10);

    if (end == text || (*end != '\0' && *end != '.') || major * 10000 < HB_PG_OLDEST || major > 99)
        return 0;
    return (guint)major * 10000 + (*end == '.' ? (guint)strtoul(end + 1, NULL, 10) : 0);
}

/* ---- What the target has ---- */

static gboolean read_target(Target *target, HbSession *session, GError **error)
{
    target->tablespaces = hb_pg_read_names(session, "SELECT quote_ident(spcname) FROM pg_tablespace", error);
    if (target->tablespaces == NULL)
        return FALSE;
    target->extensions = hb_pg_read_names(
        session, "SELECT quote_ident(name) || ' ' || version FROM pg_available_extension_versions", error);
    if (target->extensions == NULL)
        return FALSE;
    target->settings = hb_pg_read_names(session, "SELECT lower(name) FROM pg_settings", error);
    return target->settings != NULL;
}

static void target_clear(Target *target)
{
    g_clear_pointer(&target->tablespaces, g_hash_table_unref);
    g_clear_pointer(&target->extensions, g_hash_table_unref);
    g_clear_pointer(&target->settings, g_hash_table_unref);
}

/* ---- Adapting ---- */

/* The words between two marks of a definition; NULL if they do not stand there. The caller's */
static char *cut(const char *text, const char *begins, const char *ends, const char **behind)
{
    const char *start = strstr(text, begins);
    const char *end = start != NULL ? strstr(start + strlen(begins), ends) : NULL;

    if (end == NULL)
        return NULL;
    *behind = end + strlen(ends);
    return g_strndup(start + strlen(begins), (gsize)(end - start) - strlen(begins));
}

static void replace_definition(HbObject *object, char *definition)
{
    g_free(object->definition);
    object->definition = definition;
}

static void fit_place(const Target *target, HbCatalog *catalog, HbObject *object)
{
    const char *behind;
    g_autofree char *name = NULL;
    g_autofree char *why = NULL;

    if (!g_str_has_prefix(object->definition, PLACE_BEGINS))
        return;
    name = cut(object->definition, PLACE_BEGINS, ";\n", &behind);
    if (name == NULL || g_hash_table_contains(target->tablespaces, name))
        return;
    why = g_strdup_printf("the target has no tablespace %s: its default one is used", name);
    hb_catalog_add_omission(catalog, object->identity, why);
    replace_definition(object, g_str_has_suffix(behind, PLACE_ENDS)
                                   ? g_strndup(behind, strlen(behind) - strlen(PLACE_ENDS))
                                   : g_strdup(behind));
}

static void fit_extension(const Target *target, HbCatalog *catalog, HbObject *object)
{
    const char *behind;
    g_autofree char *version = cut(object->definition, " VERSION '", "'", &behind);
    g_autofree char *key = NULL;
    g_autofree char *why = NULL;

    if (version == NULL)
        return;
    key = g_strdup_printf("%s %s", hb_object_get_name(object), version);
    if (g_hash_table_contains(target->extensions, key))
        return;
    why = g_strdup_printf("the target does not offer version %s: its default one is used", version);
    hb_catalog_add_omission(catalog, object->identity, why);
    replace_definition(object,
                       g_strdup_printf("%.*s%s", (int)(strstr(object->definition, " VERSION '") - object->definition),
                                       object->definition, behind));
}

/* Settings come and go with versions; those with a dot belong to extensions, or to nobody, and are taken by any server
 */
static void fit_setting(const Target *target, HbCatalog *catalog, HbObject *object, GHashTable *gone)
{
    const char *behind;
    g_autofree char *name = cut(object->definition, " SET ", " TO ", &behind);
    g_autofree char *lower = NULL;

    if (name == NULL || strchr(name, '.') != NULL)
        return;
    lower = g_ascii_strdown(name, -1);
    if (g_hash_table_contains(target->settings, lower))
        return;
    hb_catalog_add_omission(catalog, object->identity, "the target knows no setting of this name");
    g_hash_table_add(gone, object->identity);
}

static void fit_object(const Target *target, HbCatalog *catalog, HbObject *object, GHashTable *gone)
{
    if (object->definition == NULL)
        return;
    fit_place(target, catalog, object);
    if (object->kind == HB_KIND_EXTENSION)
        fit_extension(target, catalog, object);
    if (object->kind == HB_KIND_TABLESPACE && g_hash_table_contains(target->tablespaces, hb_object_get_name(object)))
        g_hash_table_add(gone, object->identity);
    if (object->kind == HB_KIND_ROLE_SETTING || object->kind == HB_KIND_DATABASE_SETTING)
        fit_setting(target, catalog, object, gone);
}

/* ---- How the database is created ---- */

#define FIRST_WITH_ICU     150000
#define FIRST_WITH_RULES   160000
#define FIRST_WITH_BUILTIN 170000

static void fit_provider(HbCatalog *catalog, int version)
{
    const char *provider = g_hash_table_lookup(hb_catalog_get_properties(catalog), "provider");

    if ((g_strcmp0(provider, "icu") == 0 && version < FIRST_WITH_ICU) ||
        (g_strcmp0(provider, "builtin") == 0 && version < FIRST_WITH_BUILTIN)) {
        g_autofree char *why = g_strdup_printf("the target has no locale provider %s: libc is used", provider);
        hb_catalog_add_omission(catalog, "collation of the database", why);
        hb_catalog_set_property(catalog, "provider", "libc");
    }
    if (version < FIRST_WITH_RULES && g_hash_table_remove(hb_catalog_get_properties(catalog), "icu-rules"))
        hb_catalog_add_omission(catalog, "collation of the database", "the target has no tailoring rules");
}

static void fit_database(const Target *target, HbCatalog *catalog, int version)
{
    const char *tablespace = g_hash_table_lookup(hb_catalog_get_properties(catalog), "tablespace");
    g_autofree char *quoted = tablespace != NULL ? hb_pg_quote_any_name(tablespace) : NULL;
    g_autofree char *why = NULL;

    fit_provider(catalog, version);
    if (tablespace == NULL || g_hash_table_contains(target->tablespaces, tablespace) ||
        g_hash_table_contains(target->tablespaces, quoted))
        return;
    why = g_strdup_printf("the target has no tablespace %s: its default one is used", tablespace);
    hb_catalog_add_omission(catalog, "tablespace of the database", why);
    g_hash_table_remove(hb_catalog_get_properties(catalog), "tablespace");
}

gboolean hb_pg_fit_target(const HbAddress *address, gboolean exists, HbCatalog *catalog, GError **error)
{
    g_autoptr(GHashTable) gone = g_hash_table_new(g_str_hash, g_str_equal);
    HbSession *session = exists ? hb_pg_open(address, error) : hb_pg_open_maintenance(address, error);
    Target target = {0};
    gboolean ok = session != NULL && read_target(&target, session, error);

    if (ok && !exists)
        fit_database(&target, catalog, session->version);
    for (guint i = 0; ok && i < hb_catalog_count(catalog); i++)
        fit_object(&target, catalog, hb_catalog_get(catalog, i), gone);
    if (ok && g_hash_table_size(gone) > 0)
        hb_catalog_remove(catalog, gone);
    target_clear(&target);
    hb_pg_close(session);
    return ok;
}
