/* SPDX-License-Identifier: Apache-2.0 */
#include "report/graph.h"

#include "core/base/error.h"
#include "core/sql/lexer.h"
#include "report/text.h"

#include <graphviz/gvc.h>
#include <string.h>

/*
 * Needs as a picture, by Graphviz: an object and what hangs on it within so many steps. What is too much to be read is
 * folded: kinds of one table into one node, many of one kind into a number. Names go in as data, quoted by Graphviz
 * itself.
 */

/* How far around one object is drawn */
#define DISTANCE_MAX 2

/* ---- What is drawn, and what stands for what ---- */

typedef struct {
    const HbCatalog *catalog;
    GHashTable *nodes; /* identity to itself: what is drawn */
    GHashTable *edges; /* "from\nto" to a count */
    GHashTable *parts; /* "parent\nchild" of partitions, which do not count as needed by their parent */
    GString *dot;
} Drawing;

static const struct {
    HbKind kind;
    const char *shape, *fill;
} looks[] = {{HB_KIND_TABLE, "box", "#dcebdd"},          {HB_KIND_FOREIGN_TABLE, "box", "#e9e4d4"},
             {HB_KIND_VIEW, "box", "#dbe7f3"},           {HB_KIND_MATERIALIZED_VIEW, "box", "#cfdcf0"},
             {HB_KIND_FUNCTION, "ellipse", "#f3e6d8"},   {HB_KIND_PROCEDURE, "ellipse", "#f3e6d8"},
             {HB_KIND_TYPE, "box", "#ece3f1"},           {HB_KIND_DOMAIN, "box", "#ece3f1"},
             {HB_KIND_SEQUENCE, "parallelogram", "#eee"}};

static gboolean is_relation(const HbObject *object)
{
    return hb_kind_is_relation(object->kind) && object->kind != HB_KIND_SEQUENCE;
}

/* A part stands in the picture as what it is a part of */
static const HbObject *find_whole(const HbCatalog *catalog, const HbObject *object)
{
    const HbObject *on;

    while (object->on != NULL && (on = hb_catalog_find(catalog, object->on)) != NULL)
        object = on;
    return object;
}

static void count_edge(Drawing *drawing, const char *from, const char *to)
{
    char *key;
    guint count;

    if (strcmp(from, to) == 0)
        return;
    key = g_strdup_printf("%s\n%s", from, to);
    if (g_hash_table_contains(drawing->parts, key)) {
        g_free(key);
        return;
    }
    count = GPOINTER_TO_UINT(g_hash_table_lookup(drawing->edges, key));
    g_hash_table_replace(drawing->edges, key, GUINT_TO_POINTER(count + 1));
}

/* ---- DOT ---- */

static void append_quoted(GString *dot, const char *text)
{
    g_autofree char *visible = hb_text_visible(text);

    g_string_append_c(dot, '"');
    for (const char *at = visible; *at != '\0'; at++) {
        if (*at == '"' || *at == '\\')
            g_string_append_c(dot, '\\');
        g_string_append_c(dot, *at);
    }
    g_string_append_c(dot, '"');
}

static void begin(Drawing *drawing, const HbCatalog *catalog)
{
    *drawing = (Drawing){
        .catalog = catalog,
        .nodes = g_hash_table_new(g_str_hash, g_str_equal),
        .edges = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL),
        .dot = g_string_new("digraph needs {\n"
                            "  rankdir=LR; ranksep=0.7; nodesep=0.18; bgcolor=white; pad=0.3;\n"
                            "  node [fontname=\"sans-serif\", fontsize=11, style=\"filled,rounded\","
                            " color=\"#7d8a82\", penwidth=0.8, height=0.3, margin=\"0.12,0.05\"];\n"
                            "  edge [color=\"#7d8a82\", arrowsize=0.6, fontname=\"sans-serif\", fontsize=9];\n")};
    drawing->parts = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
}

/* more: how many more it is tied to than are drawn */
static void append_node(Drawing *drawing, const HbObject *object, gboolean strong, guint more)
{
    const char *shape = "box", *fill = "#f2f2f2", *name = object->identity;
    g_autofree char *label = NULL;

    for (gsize i = 0; i < G_N_ELEMENTS(looks); i++) {
        if (looks[i].kind == object->kind) {
            shape = looks[i].shape;
            fill = looks[i].fill;
        }
    }
    if (object->kind == HB_KIND_TABLE || object->kind == HB_KIND_VIEW || object->kind == HB_KIND_MATERIALIZED_VIEW)
        name = hb_object_get_name(object);
    label = more > 0 ? g_strdup_printf("%s (+%u)", name, more) : g_strdup(name);
    g_string_append(drawing->dot, "  ");
    append_quoted(drawing->dot, object->identity);
    g_string_append(drawing->dot, " [label=");
    append_quoted(drawing->dot, label);
    g_string_append_printf(drawing->dot, ", shape=%s, fillcolor=\"%s\"%s];\n", shape, fill,
                           strong ? ", penwidth=2.2" : "");
    g_hash_table_add(drawing->nodes, object->identity);
}

static gint compare_texts(gconstpointer one, gconstpointer other)
{
    return strcmp(one, other);
}

static char *end(Drawing *drawing, gboolean with_counts)
{
    g_autoptr(GList) keys = g_list_sort(g_hash_table_get_keys(drawing->edges), compare_texts);

    for (GList *at = keys; at != NULL; at = at->next) {
        g_auto(GStrv) ends = g_strsplit(at->data, "\n", 2);
        guint count = GPOINTER_TO_UINT(g_hash_table_lookup(drawing->edges, at->data));
        g_string_append(drawing->dot, "  ");
        append_quoted(drawing->dot, ends[0]);
        g_string_append(drawing->dot, " -> ");
        append_quoted(drawing->dot, ends[1]);
        if (with_counts)
            g_string_append_printf(drawing->dot, " [label=\" %u \", penwidth=%.1f]", count,
                                   0.8 + MIN(count, 40) / 10.0);
        g_string_append(drawing->dot, ";\n");
    }
    g_string_append(drawing->dot, "}\n");
    g_hash_table_unref(drawing->nodes);
    g_hash_table_unref(drawing->edges);
    g_hash_table_unref(drawing->parts);
    return g_string_free(drawing->dot, FALSE);
}

/* ---- Three pictures ---- */

/* A partition is joined to its parent by an attachment, which needs both */
static void find_parts(Drawing *drawing)
{
    for (guint i = 0; i < hb_catalog_count(drawing->catalog); i++) {
        const HbObject *object = hb_catalog_get(drawing->catalog, i);
        for (guint n = 0; object->kind == HB_KIND_ATTACHMENT && n < object->needs->len; n++)
            g_hash_table_add(drawing->parts,
                             g_strdup_printf("%s\n%s", (const char *)object->needs->pdata[n], object->on));
    }
}

/* Arrows between what is drawn: an object's own needs and those of its parts */
static void connect(Drawing *drawing)
{
    find_parts(drawing);
    for (guint i = 0; i < hb_catalog_count(drawing->catalog); i++) {
        const HbObject *object = hb_catalog_get(drawing->catalog, i);
        const HbObject *whole = find_whole(drawing->catalog, object);
        for (guint n = 0; n < object->needs->len && g_hash_table_contains(drawing->nodes, whole->identity); n++) {
            const HbObject *need = hb_catalog_find(drawing->catalog, object->needs->pdata[n]);
            const HbObject *target = find_whole(drawing->catalog, need);
            if (g_hash_table_contains(drawing->nodes, target->identity))
                count_edge(drawing, whole->identity, target->identity);
        }
    }
}

static char *draw_relations(const HbCatalog *catalog)
{
    Drawing drawing;

    begin(&drawing, catalog);
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        if (is_relation(hb_catalog_get(catalog, i)))
            append_node(&drawing, hb_catalog_get(catalog, i), FALSE, 0);
    }
    connect(&drawing);
    return end(&drawing, FALSE);
}

/* The schema that it stands in; NULL: none is known */
static const char *find_schema(const HbObject *object)
{
    for (guint n = 0; n < object->needs->len; n++) {
        if (g_str_has_prefix(object->needs->pdata[n], "schema "))
            return object->needs->pdata[n];
    }
    return NULL;
}

static char *draw_schemas(const HbCatalog *catalog)
{
    g_autoptr(GHashTable) counts = g_hash_table_new(g_str_hash, g_str_equal);
    Drawing drawing;

    begin(&drawing, catalog);
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        const char *own = find_schema(find_whole(catalog, object));
        if (own == NULL)
            continue;
        if (is_relation(object))
            g_hash_table_insert(counts, (gpointer)own,
                                GUINT_TO_POINTER(GPOINTER_TO_UINT(g_hash_table_lookup(counts, own)) + 1));
        for (guint n = 0; n < object->needs->len; n++) {
            const char *other = find_schema(find_whole(catalog, hb_catalog_find(catalog, object->needs->pdata[n])));
            if (other != NULL)
                count_edge(&drawing, own, other);
        }
    }
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (object->kind != HB_KIND_SCHEMA || !g_hash_table_contains(counts, object->identity))
            continue;
        g_autofree char *label = g_strdup_printf("%s (%u relations)", hb_object_get_name(object),
                                                 GPOINTER_TO_UINT(g_hash_table_lookup(counts, object->identity)));
        g_string_append(drawing.dot, "  ");
        append_quoted(drawing.dot, object->identity);
        g_string_append(drawing.dot, " [shape=box, fillcolor=\"#dcebdd\", label=");
        append_quoted(drawing.dot, label);
        g_string_append(drawing.dot, "];\n");
    }
    return end(&drawing, TRUE);
}

static gboolean is_worth_drawing(const HbObject *object)
{
    return object->on == NULL && object->kind != HB_KIND_SCHEMA && object->kind != HB_KIND_GRANT &&
           object->kind != HB_KIND_PLACEHOLDER && object->kind != HB_KIND_SEQUENCE_VALUE &&
           hb_kind_get_traits(object->kind)->part == HB_PART_SCHEMA;
}

/* Who needs whom, parts counted as what they are parts of: identities to HbObject *; in the other direction if reverse
 */
static GHashTable *index_neighbours(const HbCatalog *catalog, gboolean reverse)
{
    GHashTable *index =
        g_hash_table_new_full(g_str_hash, g_str_equal, NULL, (GDestroyNotify)(void (*)(void))g_ptr_array_unref);

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        const HbObject *whole = find_whole(catalog, object);
        for (guint n = 0; n < object->needs->len; n++) {
            const HbObject *target = find_whole(catalog, hb_catalog_find(catalog, object->needs->pdata[n]));
            const HbObject *from = reverse ? target : whole, *to = reverse ? whole : target;
            GPtrArray *list = g_hash_table_lookup(index, from->identity);
            if (list == NULL)
                g_hash_table_insert(index, from->identity, list = g_ptr_array_new());
            if (from != to && is_worth_drawing(to))
                g_ptr_array_add(list, (gpointer)to);
        }
    }
    return index;
}

static void append_neighbours(Drawing *drawing, const HbObject *around, gboolean reverse)
{
    g_autoptr(GHashTable) index = index_neighbours(drawing->catalog, reverse);
    g_autoptr(GPtrArray) reached = g_ptr_array_new();
    g_autoptr(GHashTable) seen = g_hash_table_new(NULL, NULL);
    guint begin_of_ring = 0;

    g_ptr_array_add(reached, (gpointer)around);
    g_hash_table_add(seen, (gpointer)around);
    for (guint distance = 0; distance < DISTANCE_MAX; distance++) {
        const guint end_of_ring = reached->len;
        for (guint i = begin_of_ring; i < end_of_ring; i++) {
            const GPtrArray *list = g_hash_table_lookup(index, ((const HbObject *)reached->pdata[i])->identity);
            for (guint n = 0; list != NULL && n < list->len; n++) {
                if (g_hash_table_add(seen, list->pdata[n]))
                    g_ptr_array_add(reached, list->pdata[n]);
            }
        }
        begin_of_ring = end_of_ring;
    }
    for (guint i = 1; i < reached->len; i++) {
        const HbObject *object = reached->pdata[i];
        if (!g_hash_table_contains(drawing->nodes, object->identity))
            append_node(drawing, object, FALSE, 0);
    }
}

static char *draw_around(const HbCatalog *catalog, const HbObject *around)
{
    Drawing drawing;

    begin(&drawing, catalog);
    around = find_whole(catalog, around);
    append_node(&drawing, around, TRUE, 0);
    append_neighbours(&drawing, around, FALSE);
    append_neighbours(&drawing, around, TRUE);
    connect(&drawing);
    return end(&drawing, FALSE);
}

/* ---- Too many, and no schemas to tell them apart by: those that most hangs on ---- */

typedef struct {
    const HbObject *object;
    guint ties; /* arrows from it and to it */
    guint drawn;
} Hub;

static gint compare_hubs(gconstpointer one, gconstpointer other)
{
    const Hub *a = one, *b = other;

    return a->ties != b->ties ? (a->ties < b->ties ? 1 : -1) : strcmp(a->object->identity, b->object->identity);
}

/* Hub, the most tied first; edges: as connect() counts them. The caller's */
static GArray *rank(const HbCatalog *catalog, GHashTable *edges)
{
    GArray *hubs = g_array_new(FALSE, TRUE, sizeof(Hub));
    g_autoptr(GHashTable) ties = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    GHashTableIter iter;
    gpointer key;

    g_hash_table_iter_init(&iter, edges);
    while (g_hash_table_iter_next(&iter, &key, NULL)) {
        g_auto(GStrv) ends = g_strsplit(key, "\n", 2);
        for (guint e = 0; e < 2; e++)
            g_hash_table_replace(ties, g_strdup(ends[e]),
                                 GUINT_TO_POINTER(GPOINTER_TO_UINT(g_hash_table_lookup(ties, ends[e])) + 1));
    }
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        const Hub hub = {object, GPOINTER_TO_UINT(g_hash_table_lookup(ties, object->identity)), 0};
        if (is_relation(object))
            g_array_append_val(hubs, hub);
    }
    g_array_sort(hubs, compare_hubs);
    return hubs;
}

/* The arrows between all relations: "from\nto" to a count; the caller's */
static GHashTable *find_edges(const HbCatalog *catalog)
{
    Drawing drawing;
    GHashTable *edges;

    begin(&drawing, catalog);
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        if (is_relation(hb_catalog_get(catalog, i)))
            g_hash_table_add(drawing.nodes, hb_catalog_get(catalog, i)->identity);
    }
    connect(&drawing);
    edges = g_hash_table_ref(drawing.edges);
    g_free(end(&drawing, FALSE));
    return edges;
}

static void count_drawn(GArray *hubs, guint count, GHashTable *edges)
{
    for (guint a = 0; a < count; a++) {
        for (guint b = 0; b < count; b++) {
            Hub *one = &g_array_index(hubs, Hub, a), *other = &g_array_index(hubs, Hub, b);
            g_autofree char *key = g_strdup_printf("%s\n%s", one->object->identity, other->object->identity);
            one->drawn += g_hash_table_contains(edges, key);
            other->drawn += g_hash_table_contains(edges, key);
        }
    }
}

static char *draw_hubs(const HbCatalog *catalog)
{
    g_autoptr(GHashTable) edges = find_edges(catalog);
    g_autoptr(GArray) hubs = rank(catalog, edges);
    guint count = 0;
    Drawing drawing;

    while (count < HB_GRAPH_HUBS && count < hubs->len && g_array_index(hubs, Hub, count).ties > 0)
        count++;
    count_drawn(hubs, count, edges);
    begin(&drawing, catalog);
    for (guint i = 0; i < count; i++) {
        const Hub *hub = &g_array_index(hubs, Hub, i);
        append_node(&drawing, hub->object, FALSE, hub->ties - hub->drawn);
    }
    g_string_append_printf(drawing.dot,
                           "  rest [label=\"%s%u more; --around OBJECT draws what is near one\","
                           " shape=plaintext, style=\"\"];\n",
                           count > 0 ? "the most tied of all; " : "", hubs->len - count);
    connect(&drawing);
    return end(&drawing, FALSE);
}

static void count_relations(const HbCatalog *catalog, guint *relations, guint *schemas)
{
    g_autoptr(GHashTable) used = g_hash_table_new(g_str_hash, g_str_equal);

    *relations = 0;
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        const char *schema = is_relation(object) ? find_schema(object) : NULL;
        *relations += is_relation(object);
        if (schema != NULL)
            g_hash_table_add(used, (gpointer)schema);
    }
    *schemas = g_hash_table_size(used);
}

char *hb_graph_write_dot(const HbCatalog *catalog, const HbObject *around)
{
    guint relations, schemas;

    if (around != NULL)
        return draw_around(catalog, around);
    count_relations(catalog, &relations, &schemas);
    if (relations <= HB_GRAPH_RELATIONS_MAX)
        return draw_relations(catalog);
    return schemas > 1 ? draw_schemas(catalog) : draw_hubs(catalog);
}

/* ---- Files ---- */

static gboolean render(const char *dot, const char *form, const char *path)
{
    GVC_t *context = gvContext();
    Agraph_t *graph = agmemread(dot);
    gboolean ok =
        graph != NULL && gvLayout(context, graph, "dot") == 0 && gvRenderFilename(context, graph, form, path) == 0;

    if (graph != NULL) {
        gvFreeLayout(context, graph);
        agclose(graph);
    }
    gvFreeContext(context);
    return ok;
}

gboolean hb_graph_write_file(const char *dot, const char *path, GError **error)
{
    const char *ending = strrchr(path, '.');
    g_autoptr(GError) cause = NULL;

    if (g_strcmp0(ending, ".svg") != 0 && g_strcmp0(ending, ".png") != 0 && g_strcmp0(ending, ".dot") != 0)
        return hb_error_set(error, HB_ERROR_USAGE, "name a file that ends in .svg, .png or .dot", "--graph: %s", path);
    /* Tells in words what the library would only count */
    if (!g_file_set_contents(path, dot, -1, &cause))
        return hb_error_set(error, HB_ERROR_FILE, "name a file that can be written", "--graph: %s", cause->message);
    return strcmp(ending, ".dot") == 0 || render(dot, ending + 1, path) ||
           hb_error_set(error, HB_ERROR_FILE, "write it as .dot, and lay it out elsewhere",
                        "--graph: %s cannot be drawn", path);
}
