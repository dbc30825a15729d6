/* SPDX-License-Identifier: Apache-2.0 */
#include "support/check.h"

#include "core/graph/order.h"
#include "report/graph.h"

#include <string.h>

/* What a part belongs to is its first need */
static HbCatalog *make_catalog(const char *lines)
{
    HbCatalog *catalog = check_read_catalog(lines);

    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        HbObject *object = hb_catalog_get(catalog, i);
        if ((object->stage >= HB_STAGE_ROWS || object->kind == HB_KIND_ATTACHMENT) && object->needs->len > 0) {
            g_free(object->on);
            object->on = g_strdup(object->needs->pdata[0]);
        }
    }
    assert_true(hb_order_arrange(catalog, NULL));
    return catalog;
}

static const char garden[] =
    "schema g\ntable g.plot: schema g\ntable g.tree: schema g, type g.mood\ntype g.mood: schema g\n"
    "rows g.plot: table g.plot\nkey g.plot.pk: table g.plot, rows g.plot\n"
    "foreign-key g.tree.fk: table g.tree, key g.plot.pk\nview g.\"odd\"\"one\": schema g, table g.tree\n"
    "table g.part: schema g\nattachment g.part: table g.part, table g.tree\n"
    "index g.i: table g.tree, table g.part";

static void parts_are_folded_into_their_tables(void **state)
{
    g_autoptr(HbCatalog) catalog = make_catalog(garden);
    g_autofree char *dot = hb_graph_write_dot(catalog, NULL);

    (void)state;
    check_contains(dot, "\"table g.tree\" -> \"table g.plot\";");
    check_contains(dot, "\"view g.\\\"odd\\\"\\\"one\\\"\" -> \"table g.tree\";");
    check_contains(dot, "\"table g.part\" -> \"table g.tree\";");
    check_lacks(dot, "\"table g.tree\" -> \"table g.part\"");
    check_lacks(dot, "mood");
    check_lacks(dot, "key");
}

static void around_one_object_all_kinds_are_drawn(void **state)
{
    g_autoptr(HbCatalog) catalog = make_catalog(garden);
    g_autofree char *dot = hb_graph_write_dot(catalog, hb_catalog_find(catalog, "type g.mood"));

    (void)state;
    check_contains(dot, "\"table g.tree\" -> \"type g.mood\";");
    check_contains(dot, "penwidth=2.2");
    check_lacks(dot, "label=\"g.plot\"");
    g_free(dot);
    dot = hb_graph_write_dot(catalog, hb_catalog_find(catalog, "table g.tree"));
    check_contains(dot, "\"table g.tree\" -> \"table g.plot\";"); /* what only a part of it needs */
    check_contains(dot, "\"view g.\\\"odd\\\"\\\"one\\\"\" -> \"table g.tree\";");
}

static void many_tables_are_drawn_by_schema(void **state)
{
    g_autoptr(GString) lines = g_string_new("schema a\nschema b\n");
    g_autoptr(HbCatalog) catalog = NULL;
    g_autofree char *dot = NULL;

    (void)state;
    for (int i = 0; i < 3000; i++)
        g_string_append_printf(lines, "table %c.t%d: schema %c%s\n", i % 3 ? 'a' : 'b', i, i % 3 ? 'a' : 'b',
                               i % 3 == 1 ? ", table b.t0" : "");
    catalog = make_catalog(lines->str);
    dot = hb_graph_write_dot(catalog, NULL);
    check_contains(dot, "a (2000 relations)");
    check_contains(dot, "\"schema a\" -> \"schema b\" [label=\" 1000 \"");
    check_lacks(dot, "t17");
}

static void where_there_are_no_schemas_those_that_most_hangs_on_are_drawn(void **state)
{
    g_autoptr(GString) lines = g_string_new(NULL);
    g_autoptr(HbCatalog) catalog = NULL;
    g_autofree char *dot = NULL;

    (void)state;
    for (int i = 0; i < 3000; i++)
        g_string_append_printf(lines, i < 50 ? "table t%d\n" : "table t%d: table t%d\n", i, i % 7 * 3 + 1);
    catalog = make_catalog(lines->str);
    dot = hb_graph_write_dot(catalog, NULL);
    check_contains(dot, "label=\"t1 (+41");
    check_contains(dot, "2960 more");
    check_lacks(dot, "label=\"t2999\"");
}

static void a_picture_is_written_as_its_name_says(void **state)
{
    g_autoptr(HbCatalog) catalog = make_catalog(garden);
    g_autofree char *dot = hb_graph_write_dot(catalog, NULL);
    char *folder = check_make_folder();
    static const struct {
        const char *name, *begins;
    } files[] = {{"x.png", "\x89PNG"}, {"x.dot", "digraph"}};
    GError *error = NULL;

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(files); i++) {
        g_autofree char *path = g_build_filename(folder, files[i].name, NULL);
        g_autofree char *bytes = NULL;
        hb_graph_write_file(dot, path, &error);
        check_no_error(error);
        assert_true(g_file_get_contents(path, &bytes, NULL, NULL));
        assert_true(g_str_has_prefix(bytes, files[i].begins));
    }
    assert_false(hb_graph_write_file(dot, "x.jpeg", &error));
    check_error(&error, HB_ERROR_USAGE, "x.jpeg");
    assert_false(hb_graph_write_file(dot, "/nowhere/x.svg", &error));
    check_error(&error, HB_ERROR_FILE, "/nowhere/x.svg");
    check_remove_folder(folder);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(parts_are_folded_into_their_tables),
        cmocka_unit_test(around_one_object_all_kinds_are_drawn),
        cmocka_unit_test(many_tables_are_drawn_by_schema),
        cmocka_unit_test(where_there_are_no_schemas_those_that_most_hangs_on_are_drawn),
        cmocka_unit_test(a_picture_is_written_as_its_name_says),
    };

    return cmocka_run_group_tests(tests, NULL, NULL);
}
