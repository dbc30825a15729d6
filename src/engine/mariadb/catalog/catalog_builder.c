/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/catalog/catalog_builder.h"

#include "engine/mariadb/dialect/lexical.h"
#include "engine/mariadb/dialect/names.h"

#include <string.h>

typedef struct {
    HbObject *object;
    char *text;
} Text;

static void text_free(gpointer data)
{
    Text *text = data;

    g_free(text->text);
    g_free(text);
}

gboolean hb_my_catalog_builder_init(HbMyCatalogBuilder *builder, HbSession *session, guint parts, GError **error)
{
    g_autofree char *folding = NULL;

    *builder = (HbMyCatalogBuilder){.session = session, .parts = parts, .catalog = hb_catalog_new()};
    for (int i = 0; i < HB_NAMES_COUNT; i++)
        builder->names[i] = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    builder->functions = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    builder->needed = g_hash_table_new(g_str_hash, g_str_equal);
    builder->texts = g_ptr_array_new_with_free_func(text_free);
    builder->indexes = g_hash_table_new_full(g_str_hash, g_str_equal, NULL, (GDestroyNotify)g_ptr_array_unref);
    if (!hb_my_read_text(session, "SELECT @@lower_case_table_names", &folding, error))
        return FALSE;
    builder->fold_relations = *folding != '0';
    return TRUE;
}

void hb_my_catalog_builder_clear(HbMyCatalogBuilder *builder)
{
    hb_catalog_free(builder->catalog);
    for (int i = 0; i < HB_NAMES_COUNT; i++)
        g_hash_table_unref(builder->names[i]);
    g_free(builder->previous_trigger);
    g_hash_table_unref(builder->functions);
    g_hash_table_unref(builder->needed);
    g_ptr_array_unref(builder->texts);
    g_hash_table_unref(builder->indexes);
}

gboolean hb_my_catalog_builder_each(HbMyCatalogBuilder *builder, const char *sql, HbMyRead read, GError **error)
{
    g_autoptr(HbMyResult) result = hb_my_query(builder->session, sql, error);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL) {
        if (!read(builder, row, error))
            return FALSE;
    }
    return result != NULL;
}

static char *fold(const HbMyCatalogBuilder *builder, HbNames names, const char *name)
{
    return names != HB_NAMES_RELATION || builder->fold_relations ? g_utf8_strdown(name, -1) : g_strdup(name);
}

gboolean hb_my_catalog_builder_add(HbMyCatalogBuilder *builder, HbNames names, const char *name, HbObject *object,
                                   GError **error)
{
    if (!hb_catalog_add(builder->catalog, object, error))
        return FALSE;
    g_hash_table_insert(builder->names[names], fold(builder, names, name), object->identity);
    return TRUE;
}

const char *hb_my_catalog_builder_find(const HbMyCatalogBuilder *builder, HbNames names, const char *name)
{
    g_autofree char *folded = fold(builder, names, name);

    return g_hash_table_lookup(builder->names[names], folded);
}

void hb_my_catalog_builder_add_text(HbMyCatalogBuilder *builder, HbObject *object, const char *text)
{
    Text *kept = g_new(Text, 1);

    *kept = (Text){object, g_strdup(text)};
    g_ptr_array_add(builder->texts, kept);
}

/* ---- Reading needs ---- */

/* Does `from` need `to`, however far? */
static gboolean leads_to(const HbCatalog *catalog, const char *from, const char *to, GHashTable *seen)
{
    const HbObject *object = hb_catalog_find(catalog, from);

    if (strcmp(from, to) == 0)
        return TRUE;
    if (object == NULL || !g_hash_table_add(seen, (gpointer)object))
        return FALSE;
    for (guint i = 0; i < object->needs->len; i++) {
        if (leads_to(catalog, object->needs->pdata[i], to, seen))
            return TRUE;
    }
    return FALSE;
}

/*
 * Only tables and views need others in order to be created, and they never run in circles. What routines need closes
 * some: such a need is left out, as their bodies are not looked up before they run. Views come before them in the
 * texts.
 */
static void add_need(HbMyCatalogBuilder *builder, HbObject *object, const char *identity)
{
    g_autoptr(GHashTable) seen = g_hash_table_new(NULL, NULL);

    if (identity == NULL || hb_object_has_need(object, identity))
        return;
    /* what nothing needs yet closes no circle: so thousands of texts are read in the time of their words */
    if (g_hash_table_contains(builder->needed, object->identity) &&
        leads_to(builder->catalog, identity, object->identity, seen))
        return;
    hb_object_add_need(object, identity);
    g_hash_table_add(builder->needed, (gpointer)identity);
}

/* A name that stands alone, or after the database's own name */
static void add_named(HbMyCatalogBuilder *builder, HbObject *object, const char *name, gboolean is_call,
                      gboolean after_call)
{
    add_need(builder, object, hb_my_catalog_builder_find(builder, HB_NAMES_PACKAGE, name));
    if (is_call)
        add_need(builder, object, hb_my_catalog_builder_find(builder, HB_NAMES_FUNCTION, name));
    else
        add_need(builder, object, hb_my_catalog_builder_find(builder, HB_NAMES_RELATION, name));
    if (after_call)
        add_need(builder, object, hb_my_catalog_builder_find(builder, HB_NAMES_PROCEDURE, name));
}

static void read_needs(HbMyCatalogBuilder *builder, HbObject *object, const char *text)
{
    gboolean after_dot = FALSE, after_call = FALSE;
    HbToken token = hb_my_next(&text);

    while (token.type != HB_TOKEN_END) {
        HbToken next = hb_my_next(&text);
        if (hb_my_token_is_name(&token) && !after_dot) {
            g_autofree char *name = hb_token_unquote(&token);
            gboolean own = g_strcmp0(name, builder->session->database) == 0 && hb_my_token_is_sign(&next, '.');
            if (!own)
                add_named(builder, object, name, hb_my_token_is_sign(&next, '('), after_call);
            if (own)
                next = hb_my_next(&text); /* what follows the dot stands for itself */
            else
                after_call = hb_token_is_word(&token, "CALL");
        }
        after_dot = hb_my_token_is_sign(&token, '.');
        if (after_dot)
            after_call = FALSE;
        token = next;
    }
}

void hb_my_catalog_builder_resolve(HbMyCatalogBuilder *builder)
{
    for (guint i = 0; i < builder->texts->len; i++) {
        const Text *text = builder->texts->pdata[i];
        read_needs(builder, text->object, text->text);
    }
    g_ptr_array_set_size(builder->texts, 0);
}
