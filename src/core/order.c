/* SPDX-License-Identifier: Apache-2.0 */
#include "core/order.h"

#include "core/error.h"

#include <string.h>

/*
 * Place, again and again, an object all of whose needs are placed; among several the one with the smaller key (stage,
 * kind, identity). What never gets ready is, or hangs on, a circle: break one, and start again.
 */
typedef struct {
    HbObject *object;
    guint missing;        /* needs not yet placed */
    GPtrArray *needed_by; /* Node *, borrowed */
    gboolean placed;
    guint mark; /* of the search for a circle: 0 unseen, else the search's number */
    gboolean reached;
} Node;

typedef struct {
    HbCatalog *catalog;
    Node *nodes; /* one for each object, same index */
    guint count;
    GPtrArray *heap;   /* Node *: the ready ones, smallest first */
    GPtrArray *placed; /* HbObject *: the result */
} Arranger;

/* ---- The heap of the ready ---- */

static int compare(const Node *one, const Node *other)
{
    if (one->object->stage != other->object->stage)
        return one->object->stage < other->object->stage ? -1 : 1;
    if (one->object->kind != other->object->kind)
        return one->object->kind < other->object->kind ? -1 : 1;
    return strcmp(one->object->identity, other->object->identity);
}

static void swap(GPtrArray *heap, guint one, guint other)
{
    gpointer kept = heap->pdata[one];

    heap->pdata[one] = heap->pdata[other];
    heap->pdata[other] = kept;
}

static void push(GPtrArray *heap, Node *node)
{
    guint at = heap->len;

    g_ptr_array_add(heap, node);
    while (at > 0 && compare(heap->pdata[at], heap->pdata[(at - 1) / 2]) < 0) {
        swap(heap, at, (at - 1) / 2);
        at = (at - 1) / 2;
    }
}

static guint smaller_child(const GPtrArray *heap, guint at)
{
    guint child = 2 * at + 1;

    if (child + 1 < heap->len && compare(heap->pdata[child + 1], heap->pdata[child]) < 0)
        child++;
    return child;
}

static Node *pop(GPtrArray *heap)
{
    Node *first = heap->pdata[0];
    guint at = 0;

    swap(heap, 0, heap->len - 1);
    g_ptr_array_set_size(heap, (int)heap->len - 1);
    while (2 * at + 1 < heap->len) {
        guint child = smaller_child(heap, at);
        if (compare(heap->pdata[at], heap->pdata[child]) <= 0)
            break;
        swap(heap, at, child);
        at = child;
    }
    return first;
}

/* ---- Placing ---- */

static Node *node_of(Arranger *arranger, const char *identity)
{
    return &arranger->nodes[hb_catalog_get_place(arranger->catalog, identity)];
}

static void link_needs(Arranger *arranger)
{
    for (guint i = 0; i < arranger->count; i++) {
        Node *node = &arranger->nodes[i];
        for (guint n = 0; n < node->object->needs->len; n++) {
            g_ptr_array_add(node_of(arranger, node->object->needs->pdata[n])->needed_by, node);
            node->missing++;
        }
    }
}

static void place(Arranger *arranger, Node *node)
{
    node->placed = TRUE;
    g_ptr_array_add(arranger->placed, node->object);
    for (guint i = 0; i < node->needed_by->len; i++) {
        Node *waiting = node->needed_by->pdata[i];
        waiting->object->stage = MAX(waiting->object->stage, node->object->stage);
        if (node->object->after == HB_AFTER_EVERYTHING)
            waiting->object->after = HB_AFTER_EVERYTHING;
        if (--waiting->missing == 0)
            push(arranger->heap, waiting);
    }
}

static void place_all(Arranger *arranger)
{
    for (guint i = 0; i < arranger->count; i++) {
        if (arranger->nodes[i].missing == 0)
            push(arranger->heap, &arranger->nodes[i]);
    }
    while (arranger->heap->len > 0)
        place(arranger, pop(arranger->heap));
}

static void arranger_clear(Arranger *arranger)
{
    for (guint i = 0; i < arranger->count; i++)
        g_ptr_array_unref(arranger->nodes[i].needed_by);
    g_free(arranger->nodes);
    g_ptr_array_unref(arranger->heap);
    if (arranger->placed != NULL)
        g_ptr_array_unref(arranger->placed);
}

static void arranger_init(Arranger *arranger, HbCatalog *catalog)
{
    arranger->catalog = catalog;
    arranger->count = hb_catalog_count(catalog);
    arranger->nodes = g_new0(Node, arranger->count);
    arranger->heap = g_ptr_array_new();
    arranger->placed = g_ptr_array_new();
    for (guint i = 0; i < arranger->count; i++) {
        arranger->nodes[i].object = hb_catalog_get(catalog, i);
        arranger->nodes[i].needed_by = g_ptr_array_new();
    }
    link_needs(arranger);
}

/* ---- Circles ---- */

static Node *unplaced_need(Arranger *arranger, const Node *node)
{
    for (guint n = 0; n < node->object->needs->len; n++) {
        Node *need = node_of(arranger, node->object->needs->pdata[n]);
        if (!need->placed)
            return need;
    }
    g_assert_not_reached();
}

/* An unplaced node has an unplaced need: walking from need to need must come back to where it has been */
static GPtrArray *find_circle(Arranger *arranger)
{
    GPtrArray *circle = g_ptr_array_new();
    Node *node = NULL;
    guint step = 0;

    for (guint i = 0; node == NULL; i++) {
        if (!arranger->nodes[i].placed)
            node = &arranger->nodes[i];
    }
    for (; node->mark == 0; node = unplaced_need(arranger, node)) {
        node->mark = ++step;
        g_ptr_array_add(circle, node);
    }
    g_ptr_array_remove_range(circle, 0, node->mark - 1);
    return circle;
}

static HbObject *breakable(const GPtrArray *circle)
{
    HbObject *best = NULL;

    for (guint i = 0; i < circle->len; i++) {
        HbObject *object = ((Node *)circle->pdata[i])->object;
        if (object->stand_in != NULL && (best == NULL || strcmp(object->identity, best->identity) < 0))
            best = object;
    }
    return best;
}

static gboolean report_circle(const GPtrArray *circle, GError **error)
{
    g_autoptr(GString) path = g_string_new(NULL);

    for (guint i = 0; i < circle->len; i++)
        g_string_append_printf(path, "%s, which needs ", ((Node *)circle->pdata[i])->object->identity);
    g_string_append(path, ((Node *)circle->pdata[0])->object->identity);
    return hb_error_set(error, HB_ERROR_CIRCLE, "change one of these definitions in the source, then dump again",
                        "objects need each other in a circle: %s", path->str);
}

/* All unplaced objects that this one needs, however indirectly, itself among them: Node *, the caller's */
static GPtrArray *find_unplaced_needs(Arranger *arranger, Node *start)
{
    GPtrArray *reached = g_ptr_array_new();

    g_ptr_array_add(reached, start);
    start->reached = TRUE;
    for (guint i = 0; i < reached->len; i++) {
        const Node *node = reached->pdata[i];
        for (guint n = 0; n < node->object->needs->len; n++) {
            Node *need = node_of(arranger, node->object->needs->pdata[n]);
            if (need->placed || need->reached)
                continue;
            need->reached = TRUE;
            g_ptr_array_add(reached, need);
        }
    }
    return reached;
}

/*
 * Whatever the object needs and needs the object in turn, on this circle or another, gets along with its placeholder.
 * The placeholder takes over those of the object's needs that are placed already (its schema, its columns' types).
 */
static gboolean break_at(Arranger *arranger, HbObject *object, GError **error)
{
    g_autoptr(GPtrArray) members = find_unplaced_needs(arranger, node_of(arranger, object->identity));
    HbObject *placeholder = hb_object_new(HB_KIND_PLACEHOLDER, object->identity);
    g_autofree char *identity = g_strdup(placeholder->identity);

    placeholder->definition = g_steal_pointer(&object->stand_in);
    placeholder->owner = g_strdup(object->owner);
    for (guint n = 0; n < object->needs->len; n++) {
        if (node_of(arranger, object->needs->pdata[n])->placed)
            hb_object_add_need(placeholder, object->needs->pdata[n]);
    }
    for (guint i = 0; i < members->len; i++) {
        HbObject *member = ((Node *)members->pdata[i])->object;
        guint at;
        if (g_ptr_array_find_with_equal_func(member->needs, object->identity, g_str_equal, &at)) {
            g_ptr_array_remove_index(member->needs, at);
            hb_object_add_need(member, identity);
        }
    }
    if (!hb_catalog_add(arranger->catalog, placeholder, error))
        return FALSE;
    hb_object_add_need(object, identity);
    return TRUE;
}

/* Sets *done when everything is placed; otherwise one circle is broken, and it is worth trying again */
static gboolean arrange_once(HbCatalog *catalog, gboolean *done, GError **error)
{
    Arranger arranger;
    gboolean ok = TRUE;

    arranger_init(&arranger, catalog);
    place_all(&arranger);
    *done = arranger.placed->len == arranger.count;
    if (*done) {
        hb_catalog_take_order(catalog, g_steal_pointer(&arranger.placed));
    } else {
        g_autoptr(GPtrArray) circle = find_circle(&arranger);
        HbObject *object = breakable(circle);
        ok = object != NULL ? break_at(&arranger, object, error) : report_circle(circle, error);
    }
    arranger_clear(&arranger);
    return ok;
}

gboolean hb_order_arrange(HbCatalog *catalog, GError **error)
{
    gboolean done = FALSE;

    hb_catalog_keep_parts(catalog, HB_PART_ALL);
    while (!done) {
        if (!arrange_once(catalog, &done, error))
            return FALSE;
    }
    return TRUE;
}
