/* SPDX-License-Identifier: Apache-2.0 */
#include "core/graph/order.h"
#include "work/server/whole_server.h"
#include "work/source/adapt.h"

GArray *hb_whole_server_list(const HbSide *side, GError **error)
{
    HbSession *session = side->engine->connector->open(&side->address, error);
    GArray *databases = session != NULL ? side->engine->source->list_databases(session, &side->address, error) : NULL;

    side->engine->connector->close(session);
    return databases;
}

/* What a server has that belongs to no database; NULL on error */
static HbCatalog *read_side(const HbVerifyOptions *options, const HbSide *side, guint *version, GError **error)
{
    HbSession *session = side->engine->connector->open(&side->address, error);
    HbServerInfo info = {0};
    HbCatalog *catalog = NULL;

    if (session != NULL && side->engine->connector->describe(session, &info, error))
        catalog = side->engine->source->read_server(session, options->parts, error);
    *version = info.version_number;
    hb_server_info_clear(&info);
    side->engine->connector->close(session);
    if (catalog != NULL &&
        !(hb_order_arrange(catalog, error) && hb_whole_server_select(options->selection, side->engine, catalog, error)))
        g_clear_pointer(&catalog, hb_catalog_free);
    return catalog;
}

static GHashTable *list_places(const HbCatalog *catalog)
{
    GHashTable *places = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (object->kind == HB_KIND_TABLESPACE)
            g_hash_table_add(places, g_strdup(object->identity));
    }
    return places;
}

/* A tablespace that another one is renamed to is the target's own: where it is, and whose, is not the source's matter
 */
static gboolean adapt(HbCatalog *from, HbCatalog *to, const HbVerifyOptions *options, GError **error)
{
    g_autoptr(GHashTable) before = list_places(from);
    HbWishes wishes = options->wishes;

    wishes.lenient = TRUE;
    if (!hb_adapt_wishes(from, options->to.engine, &wishes, error))
        return FALSE;
    for (guint i = 0; i < hb_catalog_count(from); i++) {
        HbObject *object = hb_catalog_get(from, i);
        HbObject *own = object->kind == HB_KIND_TABLESPACE && !g_hash_table_contains(before, object->identity)
                            ? hb_catalog_find(to, object->identity)
                            : NULL;
        if (own == NULL)
            continue;
        g_free(object->definition);
        object->definition = g_strdup(own->definition);
        g_free(object->owner);
        object->owner = g_strdup(own->owner);
    }
    return TRUE;
}

gboolean hb_whole_server_compare(const HbVerifyOptions *options, HbVerification *result, GError **error)
{
    g_autoptr(HbCatalog) to = NULL, from = NULL;
    guint from_version, to_version;

    hb_verification_init(result);
    to = read_side(options, &options->to, &to_version, error);
    if (to == NULL)
        return FALSE;
    if (options->from.dump != NULL) {
        from = hb_catalog_copy(hb_reader_get_manifest(options->from.dump)->catalog);
        from_version = hb_reader_get_manifest(options->from.dump)->version_number;
    } else {
        from = read_side(options, &options->from, &from_version, error);
    }
    if (from == NULL || !adapt(from, to, options, error))
        return FALSE;
    result->objects = hb_catalog_count(from);
    hb_verify_catalogs(from, from_version, to, to_version, options->to.engine->dialect, options->parts, result);
    return TRUE;
}
