/* SPDX-License-Identifier: Apache-2.0 */
#include "core/graph/closure.h"

#include <string.h>

/* For each place, the places of its neighbours in the wanted direction: GArray of guint */
typedef struct {
    const HbCatalog *catalog;
    GArray **neighbours;
} Links;

static void add_link(Links *links, guint from, guint to)
{
    if (links->neighbours[from] == NULL)
        links->neighbours[from] = g_array_new(FALSE, FALSE, sizeof(guint));
    g_array_append_val(links->neighbours[from], to);
}

static void links_init(Links *links, const HbCatalog *catalog, gboolean reversed)
{
    guint count = hb_catalog_count(catalog);

    links->catalog = catalog;
    links->neighbours = g_new0(GArray *, count);
    for (guint i = 0; i < count; i++) {
        const GPtrArray *needs = hb_catalog_get(catalog, i)->needs;
        for (guint n = 0; n < needs->len; n++) {
            guint need = hb_catalog_get_place(catalog, needs->pdata[n]);
            add_link(links, reversed ? need : i, reversed ? i : need);
        }
    }
}

static void links_clear(Links *links)
{
    for (guint i = 0; i < hb_catalog_count(links->catalog); i++) {
        if (links->neighbours[i] != NULL)
            g_array_unref(links->neighbours[i]);
    }
    g_free(links->neighbours);
}

static gint compare_needs(gconstpointer one, gconstpointer other, gpointer data)
{
    const HbClosureItem *a = one, *b = other;
    guint place_a, place_b;

    if (a->distance != b->distance)
        return (gint)a->distance - (gint)b->distance;
    place_a = hb_catalog_get_place(data, a->object->identity);
    place_b = hb_catalog_get_place(data, b->object->identity);
    return (gint)place_a - (gint)place_b;
}

/* Breadth first: the first way to an object is a shortest one */
static GArray *follow(const HbCatalog *catalog, const HbObject *object, gboolean reversed)
{
    GArray *found = g_array_new(FALSE, FALSE, sizeof(HbClosureItem));
    g_autoptr(GHashTable) seen = g_hash_table_new(NULL, NULL);
    HbClosureItem here = {object, 0};
    Links links;

    links_init(&links, catalog, reversed);
    g_hash_table_add(seen, (gpointer)object);
    for (guint at = 0;; at++) {
        const GArray *next = links.neighbours[hb_catalog_get_place(catalog, here.object->identity)];
        for (guint i = 0; next != NULL && i < next->len; i++) {
            HbClosureItem need = {hb_catalog_get(catalog, g_array_index(next, guint, i)), here.distance + 1};
            if (g_hash_table_add(seen, (gpointer)need.object))
                g_array_append_val(found, need);
        }
        if (at == found->len)
            break;
        here = g_array_index(found, HbClosureItem, at);
    }
    links_clear(&links);
    g_array_sort_with_data(found, compare_needs, (gpointer)catalog);
    return found;
}

GArray *hb_closure_find_needed(const HbCatalog *catalog, const HbObject *object)
{
    return follow(catalog, object, FALSE);
}

GArray *hb_closure_find_needing(const HbCatalog *catalog, const HbObject *object)
{
    return follow(catalog, object, TRUE);
}

GPtrArray *hb_closure_find_meant(const HbCatalog *catalog, const char *text)
{
    GPtrArray *meant = g_ptr_array_new();
    HbObject *exact = hb_catalog_find(catalog, text);

    if (exact != NULL) {
        g_ptr_array_add(meant, exact);
        return meant;
    }
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        if (strcmp(hb_object_get_name(object), text) == 0)
            g_ptr_array_add(meant, object);
    }
    return meant;
}
