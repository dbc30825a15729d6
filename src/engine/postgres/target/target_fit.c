/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/target/target_fit.h"

#include "core/sql/lexer.h"
#include "engine/postgres/dialect/lexical.h"
#include "engine/postgres/dialect/names.h"
#include "engine/postgres/dialect/printing.h"
#include "engine/postgres/target/target.h"

#include <stdlib.h>
#include <string.h>

#define PLACE_ENDS "\nRESET default_tablespace;"

/* What a target has: sets of names, as SQL writes them */
typedef struct {
    GHashTable *tablespaces;
    GHashTable *extensions; /* "name version" */
    GHashTable *settings;   /* in lower case */
    GHashTable *compressions;
} Target;

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
    if (target->settings == NULL)
        return FALSE;
    target->compressions = hb_pg_read_names(
        session, "SELECT unnest(enumvals) FROM pg_settings WHERE name = 'default_toast_compression'", error);
    return target->compressions != NULL;
}

static void target_clear(Target *target)
{
    g_clear_pointer(&target->tablespaces, g_hash_table_unref);
    g_clear_pointer(&target->extensions, g_hash_table_unref);
    g_clear_pointer(&target->settings, g_hash_table_unref);
    g_clear_pointer(&target->compressions, g_hash_table_unref);
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

    if (!g_str_has_prefix(object->definition, HB_PG_SETS_PLACE))
        return;
    name = cut(object->definition, HB_PG_SETS_PLACE, ";\n", &behind);
    if (name == NULL || g_hash_table_contains(target->tablespaces, name))
        return;
    why = g_strdup_printf("the target has no tablespace %s: its default one is used", name);
    hb_catalog_add_omission(catalog, object->identity, why);
    replace_definition(object, g_str_has_suffix(behind, PLACE_ENDS)
                                   ? g_strndup(behind, strlen(behind) - strlen(PLACE_ENDS))
                                   : g_strdup(behind));
}

/* The caller's */
static char *drop_version(const char *definition)
{
    const char *begin = strstr(definition, " VERSION '"), *behind;
    g_autofree char *version = cut(definition, " VERSION '", "'", &behind);

    return g_strdup_printf("%.*s%s", (int)(begin - definition), definition, behind);
}

static char *version_of(const HbObject *extension)
{
    const char *behind;

    return cut(extension->definition, " VERSION '", "'", &behind);
}

static void fit_extension(const Target *target, HbCatalog *catalog, HbObject *object)
{
    g_autofree char *version = version_of(object);
    g_autofree char *key = NULL;
    g_autofree char *why = NULL;

    if (version == NULL)
        return;
    key = g_strdup_printf("%s %s", hb_object_get_name(object), version);
    if (g_hash_table_contains(target->extensions, key))
        return;
    why = g_strdup_printf("the target does not offer version %s: its default one is used", version);
    hb_catalog_add_omission(catalog, object->identity, why);
    replace_definition(object, drop_version(object->definition));
}

/* ---- Extensions that are there already ---- */

static void extension_clear(gpointer data)
{
    HbPgExtension *extension = data;

    g_free(extension->schema);
    g_free(extension->version);
    g_free(extension->wanted_schema);
    g_free(extension->wanted_version);
}

/* Of extensions, by their names as SQL writes them: $2 is the version that is wanted */
static const char extension_sql[] =
    "SELECT quote_ident(n.nspname) AS schema, x.extversion AS version, x.extrelocatable AS moves,"
    " pg_has_role(x.extowner, 'USAGE') AS mine,"
    " EXISTS (SELECT FROM pg_extension_update_paths(x.extname) u"
    "         WHERE u.source = x.extversion AND u.target = $2 AND u.path IS NOT NULL) AS updates"
    " FROM pg_extension x JOIN pg_namespace n ON n.oid = x.extnamespace WHERE quote_ident(x.extname) = $1";

/* What the row says; will_be_ours: the restoring role may change it, and nothing uses it */
static void fill_extension(HbPgExtension *extension, const PGresult *row, gboolean will_be_ours)
{
    extension->schema = g_strdup(hb_pg_get(row, 0, "schema"));
    extension->version = g_strdup(hb_pg_get(row, 0, "version"));
    extension->is_elsewhere =
        extension->wanted_schema != NULL && strcmp(extension->schema, extension->wanted_schema) != 0;
    extension->is_otherwise =
        extension->wanted_version != NULL && strcmp(extension->version, extension->wanted_version) != 0;
    extension->can_move = *hb_pg_get(row, 0, "moves") == 't';
    extension->can_update = *hb_pg_get(row, 0, "updates") == 't';
    extension->will_move = extension->is_elsewhere && extension->can_move && will_be_ours;
    extension->will_update = extension->is_otherwise && extension->can_update && will_be_ours;
}

static gboolean read_extension(HbSession *session, const HbObject *object, gboolean is_empty, GArray *there,
                               GError **error)
{
    g_autofree char *version = version_of(object);
    const char *const values[] = {hb_object_get_name(object), version};
    g_autoptr(HbResult) result = hb_pg_query_with(session, extension_sql, 2, values, error);
    HbPgExtension *extension;

    if (result == NULL || PQntuples(result) == 0)
        return result != NULL;
    g_array_set_size(there, there->len + 1);
    extension = &g_array_index(there, HbPgExtension, there->len - 1);
    *extension = (HbPgExtension){.object = object,
                                 .name = hb_object_get_name(object),
                                 .wanted_schema = hb_pg_word_after(object->definition, " WITH SCHEMA "),
                                 .wanted_version = g_steal_pointer(&version)};
    fill_extension(extension, result, is_empty && *hb_pg_get(result, 0, "mine") == 't');
    return TRUE;
}

GArray *hb_pg_read_extensions(HbSession *session, HbTargetState state, const HbCatalog *catalog, GError **error)
{
    g_autoptr(GArray) there = g_array_new(FALSE, FALSE, sizeof(HbPgExtension));

    g_array_set_clear_func(there, extension_clear);
    for (guint i = 0; state != HB_TARGET_ABSENT && i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (object->kind == HB_KIND_EXTENSION && object->definition != NULL &&
            !read_extension(session, object, state == HB_TARGET_EMPTY, there, error))
            return NULL;
    }
    return g_steal_pointer(&there);
}

static void bring_extension(HbObject *object, const HbPgExtension *extension)
{
    g_autoptr(GString) sql = g_string_new(object->definition);

    if (extension->will_update)
        g_string_append_printf(sql, "\nALTER EXTENSION %s UPDATE TO '%s';", extension->name, extension->wanted_version);
    if (extension->will_move)
        g_string_append_printf(sql, "\nALTER EXTENSION %s SET SCHEMA %s;", extension->name, extension->wanted_schema);
    replace_definition(object, g_strdup(sql->str));
}

/* Where nothing uses them yet, they become what they are in the source */
static gboolean bring_extensions(HbSession *session, HbTargetState state, HbCatalog *catalog, GError **error)
{
    g_autoptr(GArray) there = hb_pg_read_extensions(session, state, catalog, error);

    for (guint i = 0; there != NULL && i < there->len; i++) {
        const HbPgExtension *extension = &g_array_index(there, HbPgExtension, i);
        if (extension->will_move || extension->will_update)
            bring_extension(hb_catalog_find(catalog, extension->object->identity), extension);
    }
    return there != NULL;
}

/* ---- Settings, compression ---- */

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

/* The definition without the words COMPRESSION lz4 of its columns, or NULL if it has none. The caller's */
static char *drop_compression(const char *definition)
{
    GString *text = g_string_new(NULL);
    gsize at = 0, dropped = 0;

    while (*definition != '\0') {
        const HbToken token = hb_lexer_read_token(&hb_pg_rules, &definition);
        const char *behind = definition;
        if (hb_token_is_word(&token, "COMPRESSION")) {
            at = text->len;
        } else if (hb_token_is_word(&token, "lz4") && at > 0 && at + strlen("COMPRESSION ") == text->len) {
            g_string_truncate(text, at - 1);
            dropped++;
            continue;
        }
        g_string_append_len(text, token.start, behind - token.start);
    }
    return g_string_free(text, dropped == 0);
}

/* A server that was built without a method refuses to hear of it */
static void fit_compression(const Target *target, HbCatalog *catalog, HbObject *object)
{
    char *without = object->kind == HB_KIND_TABLE && !g_hash_table_contains(target->compressions, "lz4") &&
                            strstr(object->definition, " COMPRESSION lz4") != NULL
                        ? drop_compression(object->definition)
                        : NULL;

    if (without == NULL)
        return;
    hb_catalog_add_omission(catalog, object->identity, "the target has no compression lz4: its default one is used");
    replace_definition(object, without);
}

static void fit_object(const Target *target, HbCatalog *catalog, HbObject *object, GHashTable *gone)
{
    if (object->definition == NULL)
        return;
    fit_place(target, catalog, object);
    fit_compression(target, catalog, object);
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

gboolean hb_pg_fit_target(const HbAddress *address, HbTargetState state, guint written_for, HbCatalog *catalog,
                          GError **error)
{
    const gboolean exists = state != HB_TARGET_ABSENT;
    g_autoptr(GHashTable) gone = g_hash_table_new(g_str_hash, g_str_equal);
    HbSession *session = exists ? hb_pg_open(address, error) : hb_pg_open_maintenance(address, error);
    Target target = {0};
    gboolean ok = session != NULL && read_target(&target, session, error);

    (void)written_for; /* wordings say what each version is told */
    if (ok && !exists)
        fit_database(&target, catalog, session->version);
    for (guint i = 0; ok && i < hb_catalog_count(catalog); i++)
        fit_object(&target, catalog, hb_catalog_get(catalog, i), gone);
    if (ok && g_hash_table_size(gone) > 0)
        hb_catalog_remove(catalog, gone);
    ok = ok && bring_extensions(session, state, catalog, error);
    target_clear(&target);
    hb_pg_close(session);
    return ok;
}
