/* SPDX-License-Identifier: Apache-2.0 */
#include "work/adapt.h"

#include <string.h>

static gboolean is_grant(const HbObject *object)
{
    return object->kind == HB_KIND_GRANT || object->kind == HB_KIND_DEFAULT_GRANT ||
           object->kind == HB_KIND_PARAMETER_GRANT || strcmp(object->identity, "database-setting grants") == 0;
}

static void forget_owner(HbObject *object)
{
    g_clear_pointer(&object->owner, g_free);
    g_clear_pointer(&object->owner_sql, g_free);
}

void hb_adapt_names(HbCatalog *catalog, const HbEngine *engine, const HbRename *rename)
{
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        char *renamed = object->definition != NULL ? engine->rename(object, object->definition, rename) : NULL;
        if (renamed == NULL)
            continue;
        g_free(object->definition);
        object->definition = renamed;
    }
}

void hb_adapt_wishes(HbCatalog *catalog, const HbEngine *engine, const HbWishes *wishes)
{
    g_autoptr(GHashTable) gone = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        if ((wishes->grants_drop && is_grant(object)) ||
            (wishes->ownership_mine && object->kind == HB_KIND_DATABASE_OWNER))
            g_hash_table_add(gone, object->identity);
        if (wishes->ownership_mine)
            forget_owner(object);
    }
    if (g_hash_table_size(gone) > 0)
        hb_catalog_remove(catalog, gone);
    for (guint i = 0; wishes->renames != NULL && i < wishes->renames->len; i++)
        hb_adapt_names(catalog, engine, wishes->renames->pdata[i]);
}

#define NAMED_EACH 20

void hb_adapt_tell_along(HbObservers *observers, const HbChoice *choice, const GPtrArray *along)
{
    for (guint i = 0; i < along->len; i++) {
        const char *what = along->pdata[i];
        HbSeverity severity = i < NAMED_EACH ? HB_SEVERITY_NOTE : HB_SEVERITY_DETAIL;
        if (choice->alone)
            hb_observers_note(observers, severity, NULL, "needed, and not taken: %s; the target must have it", what);
        else
            hb_observers_note(observers, severity, NULL, "comes along, because it is needed: %s", what);
    }
    if (along->len > NAMED_EACH)
        hb_observers_note(observers, HB_SEVERITY_NOTE, NULL, "and %u more (--verbose names them)",
                          along->len - NAMED_EACH);
}

gboolean hb_adapt_to_target(HbCatalog *catalog, guint written_for, const HbEngine *engine, const HbAddress *address,
                            const HbServerInfo *target, gboolean exists, GError **error)
{
    g_autofree char *product = g_strdup_printf("%s %s", target->product, target->version);

    if (target->version_number != written_for)
        hb_catalog_fit(catalog, target->version_number, product);
    return engine->fit_target(address, exists, catalog, error);
}
