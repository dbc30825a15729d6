/* SPDX-License-Identifier: Apache-2.0 */
#include "core/graph/order.h"

#include "core/base/error.h"

#include <string.h>

/*
 * Place, again and again, an object all of whose needs are placed; among several the one with the smaller key (stage,
 * kind, identity; or, instead of that, what it is a part of and its rank there). What never gets ready is, or hangs on,
 * a circle. Objects that need each other, however indirectly, are found all at once (strongly connected components:
 * Tarjan, "Depth-first search and linear graph algorithms", 1972); each such group is broken at one object, and all is
 * placed again.
 */
typedef struct {
    HbObject *object;
    guint missing;        /* needs not yet placed */
    GPtrArray *needed_by; /* Node *, borrowed */
    gboolean placed;
    guint seen;     /* when the search for groups came here, counted from 1; 0: not yet */
    guint earliest; /* the earliest seen that is reached from here, and not yet in a group */
    guint asked;    /* needs that the search has followed */
    gboolean open;  /* seen, and not yet in a group */
    guint step;     /* of the walk that names a circle; 0: it has not been here */
} Node;

typedef struct {
    HbCatalog *catalog;
    Node *nodes; /* one for each object, same index */
    guint count;
    GPtrArray *heap;   /* Node *: the ready ones, smallest first */
    GPtrArray *placed; /* HbObject *: the result */
} Arranger;

/* ---- The heap of the ready ---- */

/* Parts that stand in an order are known by what they are a part of, so that it decides among them only */
static const char *key_of(const HbObject *object)
{
    return object->rank > 0 ? object->on : object->identity;
}

static int compare(const Node *one, const Node *other)
{
    if (one->object->stage != other->object->stage)
        return one->object->stage < other->object->stage ? -1 : 1;
    if (one->object->kind != other->object->kind)
        return one->object->kind < other->object->kind ? -1 : 1;
    if (one->object->rank != other->object->rank && g_strcmp0(one->object->on, other->object->on) == 0)
        return one->object->rank < other->object->rank ? -1 : 1;
    return strcmp(key_of(one->object), key_of(other->object));
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

/* ---- Groups of objects that need each other ---- */

/* A node's next unplaced need that was not followed yet; NULL: there is none left */
static Node *follow(Arranger *arranger, Node *node)
{
    while (node->asked < node->object->needs->len) {
        Node *need = node_of(arranger, node->object->needs->pdata[node->asked++]);
        if (!need->placed)
            return need;
    }
    return NULL;
}

static void enter(GPtrArray *path, GPtrArray *open, Node *node, guint *count)
{
    node->seen = node->earliest = ++*count;
    node->open = TRUE;
    g_ptr_array_add(path, node);
    g_ptr_array_add(open, node);
}

/* All that was opened since, the node included, are one group; alone it is none, unless it needs itself */
static void close_group(GPtrArray *open, Node *node, GPtrArray *groups)
{
    GPtrArray *group = g_ptr_array_new();
    Node *member;

    do {
        member = g_ptr_array_steal_index(open, open->len - 1);
        member->open = FALSE;
        g_ptr_array_add(group, member);
    } while (member != node);
    if (group->len > 1 || hb_object_has_need(node->object, node->object->identity))
        g_ptr_array_add(groups, group);
    else
        g_ptr_array_unref(group);
}

/* Depth first from one node, without recursion: a chain of needs may be as long as there are objects */
static void search(Arranger *arranger, Node *start, guint *count, GPtrArray *open, GPtrArray *groups)
{
    g_autoptr(GPtrArray) path = g_ptr_array_new();

    enter(path, open, start, count);
    while (path->len > 0) {
        Node *node = path->pdata[path->len - 1], *need = follow(arranger, node);
        if (need != NULL && need->seen == 0) {
            enter(path, open, need, count);
        } else if (need != NULL) {
            node->earliest = need->open ? MIN(node->earliest, need->seen) : node->earliest;
        } else {
            g_ptr_array_set_size(path, (int)path->len - 1);
            if (path->len > 0) {
                Node *above = path->pdata[path->len - 1];
                above->earliest = MIN(above->earliest, node->earliest);
            }
            if (node->earliest == node->seen)
                close_group(open, node, groups);
        }
    }
}

/* GPtrArray of Node *, each; the caller's */
static GPtrArray *find_groups(Arranger *arranger)
{
    GPtrArray *groups = g_ptr_array_new_with_free_func((GDestroyNotify)(void (*)(void))g_ptr_array_unref);
    g_autoptr(GPtrArray) open = g_ptr_array_new();
    guint count = 0;

    for (guint i = 0; i < arranger->count; i++) {
        if (!arranger->nodes[i].placed && arranger->nodes[i].seen == 0)
            search(arranger, &arranger->nodes[i], &count, open, groups);
    }
    return groups;
}

static HbObject *find_breakable(const GPtrArray *group)
{
    HbObject *best = NULL;

    for (guint i = 0; i < group->len; i++) {
        HbObject *object = ((Node *)group->pdata[i])->object;
        if (object->stand_in != NULL && (best == NULL || strcmp(object->identity, best->identity) < 0))
            best = object;
    }
    return best;
}

/* One of the same group: each member needs another one */
static Node *need_within(Arranger *arranger, const GPtrArray *group, const Node *node)
{
    for (guint n = 0; n < node->object->needs->len; n++) {
        Node *need = node_of(arranger, node->object->needs->pdata[n]);
        if (g_ptr_array_find((GPtrArray *)group, need, NULL))
            return need;
    }
    g_assert_not_reached();
}

/* Walking from need to need must come back to where it has been */
static gboolean report_circle(Arranger *arranger, const GPtrArray *group, GError **error)
{
    g_autoptr(GPtrArray) circle = g_ptr_array_new();
    g_autoptr(GString) path = g_string_new(NULL);
    Node *node = group->pdata[0];

    for (; node->step == 0; node = need_within(arranger, group, node)) {
        g_ptr_array_add(circle, node);
        node->step = circle->len;
    }
    for (guint i = node->step - 1; i < circle->len; i++)
        g_string_append_printf(path, "%s, which needs ", ((Node *)circle->pdata[i])->object->identity);
    g_string_append(path, node->object->identity);
    return hb_error_set(error, HB_ERROR_CIRCLE, "change one of these definitions in the source, then dump again",
                        "objects need each other in a circle: %s", path->str);
}

/*
 * Whatever the object needs and needs the object in turn gets along with its placeholder. That takes over those of the
 * object's needs that are placed already (its schema, its columns' types).
 */
static gboolean break_at(Arranger *arranger, const GPtrArray *group, HbObject *object, GError **error)
{
    HbObject *placeholder = hb_object_new(HB_KIND_PLACEHOLDER, object->identity);
    g_autofree char *identity = g_strdup(placeholder->identity);

    placeholder->definition = g_steal_pointer(&object->stand_in);
    placeholder->owner = g_strdup(object->owner);
    for (guint n = 0; n < object->needs->len; n++) {
        if (node_of(arranger, object->needs->pdata[n])->placed)
            hb_object_add_need(placeholder, object->needs->pdata[n]);
    }
    for (guint i = 0; i < group->len; i++) {
        HbObject *member = ((Node *)group->pdata[i])->object;
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

static gboolean break_groups(Arranger *arranger, GError **error)
{
    g_autoptr(GPtrArray) groups = find_groups(arranger);

    for (guint i = 0; i < groups->len; i++) {
        HbObject *object = find_breakable(groups->pdata[i]);
        if (object == NULL)
            return report_circle(arranger, groups->pdata[i], error);
        if (!break_at(arranger, groups->pdata[i], object, error))
            return FALSE;
    }
    return TRUE;
}

/* Sets *done when everything is placed; otherwise each group is broken once, and it is worth trying again */
static gboolean arrange_once(HbCatalog *catalog, gboolean *done, GError **error)
{
    Arranger arranger;
    gboolean ok = TRUE;

    arranger_init(&arranger, catalog);
    place_all(&arranger);
    *done = arranger.placed->len == arranger.count;
    if (*done)
        hb_catalog_take_order(catalog, g_steal_pointer(&arranger.placed));
    else
        ok = break_groups(&arranger, error);
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
