/* SPDX-License-Identifier: Apache-2.0 */
#include "support/check.h"

#include "core/graph/closure.h"
#include "core/graph/order.h"

typedef struct {
    const char *claim;
    const char *catalog;
    const char *order; /* NULL: an error that names the circle */
} Case;

static const Case cases[] = {
    {"an object comes after what it needs", "view v: table t\ntable t: schema s\nschema s",
     "schema s; table t; view v"},
    {"by stage, then kind, then identity, where needs leave the choice",
     "index b: table t\nindex a: table t\ntable t\nschema z\nschema y\nrole r",
     "role r; schema y; schema z; table t; index a; index b"},
    {"what needs a later stage moves there",
     "view v: key t.k\nkey t.k: rows t\nrows t: table t\ntable t\nfunction f: view v",
     "table t; rows t; key t.k; view v; function f"},
    {"needs that nothing meets are dropped", "table t: schema elsewhere", "table t"},
    {"views that use each other are broken at the first that has a stand-in", "+view a: view b\n+view b: view a",
     "placeholder view a; view b; view a"},
    {"a view and a function that need each other", "+view v: function f, table t\nfunction f: view v\ntable t",
     "table t; placeholder view v; function f; view v"},
    {"what hangs on a circle waits for it", "+view a: view b\n+view b: view a\nview c: view b\ntable t",
     "placeholder view a; table t; view b; view a; view c"},
    {"two circles are broken one after the other",
     "+view a: function f\nfunction f: view a\n+view b: function g\nfunction g: view b",
     "placeholder view a; placeholder view b; function f; function g; view a; view b"},
    {"one stand-in breaks all circles through its object; what only needs the object waits for it",
     "+type t: function in, function out\nfunction in: type t\nfunction out: type t\nfunction use: type t",
     "placeholder type t; function in; function out; type t; function use"},
    {"a circle that nothing breaks is an error", "function f: function g\nfunction g: function f", NULL},
};

static void objects_are_arranged(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(HbCatalog) catalog = check_read_catalog(cases[i].catalog);
        GError *error = NULL;
        gboolean ok = hb_order_arrange(catalog, &error);
        g_autofree char *order = check_list_identities(catalog);
        if (cases[i].order == NULL) {
            check_error(&error, HB_ERROR_CIRCLE, "function f");
            continue;
        }
        check_no_error(error);
        assert_true(ok);
        assert_string_equal(order, cases[i].order);
    }
}

/* Some objects stand in another stage than their kind: the rights on a schema come with the structure */
static void an_objects_own_stage_comes_before_its_kind(void **state)
{
    g_autoptr(HbCatalog) catalog = check_read_catalog("rows t: table t\ngrant schema s\ntable t\nindex i: table t");
    g_autofree char *order = NULL;

    (void)state;
    hb_catalog_find(catalog, "grant schema s")->stage = HB_STAGE_STRUCTURE;
    hb_catalog_find(catalog, "index i")->stage = HB_STAGE_SETTINGS;
    assert_true(hb_order_arrange(catalog, NULL));
    order = check_list_identities(catalog);
    assert_string_equal(order, "table t; grant schema s; rows t; index i");
}

/* Groups of every size, chains between them: no time is lost on any of them. Counted in steps of the clock's seconds */
static void thousands_of_circles_are_broken_in_one_pass(void **state)
{
    g_autoptr(GString) lines = g_string_new(NULL);
    g_autoptr(HbCatalog) catalog = NULL;
    const int circles = 20000;

    (void)state;
    for (int i = 0; i < circles; i++)
        g_string_append_printf(lines, "+view a%d: function f%d\nfunction f%d: view a%d, view b%d\nview b%d: view b%d\n",
                               i, i, i, i, i, i, i + 1);
    g_string_append_printf(lines, "view b%d", circles);
    catalog = check_read_catalog(lines->str);
    assert_true(hb_order_arrange(catalog, NULL));
    assert_int_equal(hb_catalog_count(catalog), 4 * circles + 1); /* a placeholder each */
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        for (guint n = 0; n < object->needs->len; n++)
            assert_true(hb_catalog_get_place(catalog, object->needs->pdata[n]) < i);
    }
}

static void every_order_respects_every_need(void **state)
{
    g_autoptr(GString) lines = g_string_new(NULL);
    g_autoptr(HbCatalog) catalog = NULL;
    GRand *random = g_rand_new_with_seed(7);

    (void)state;
    for (int i = 0; i < 2000; i++) {
        g_string_append_printf(lines, "view v%d:", i);
        for (int n = 0; i > 0 && n < 3; n++)
            g_string_append_printf(lines, "%s view v%d", n > 0 ? "," : "", g_rand_int_range(random, 0, i));
        g_string_append_c(lines, '\n');
    }
    g_rand_free(random);
    catalog = check_read_catalog(lines->str);
    assert_true(hb_order_arrange(catalog, NULL));
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        const GPtrArray *needs = hb_catalog_get(catalog, i)->needs;
        for (guint n = 0; n < needs->len; n++)
            assert_true(hb_catalog_get_place(catalog, needs->pdata[n]) < i);
    }
}

static void a_second_object_of_an_identity_is_refused(void **state)
{
    g_autoptr(HbCatalog) catalog = check_read_catalog("table t");
    GError *error = NULL;

    (void)state;
    assert_false(hb_catalog_add(catalog, hb_object_new(HB_KIND_TABLE, "t"), &error));
    check_error(&error, HB_ERROR_DUPLICATE, "table t");
    assert_int_equal(hb_catalog_count(catalog), 1);
}

static void only_chosen_parts_are_kept(void **state)
{
    g_autoptr(HbCatalog) catalog = check_read_catalog("role r\ntable t: role r\nrows t: table t");
    g_autofree char *kept = NULL;

    (void)state;
    hb_catalog_add_row_set(catalog, "rows t", "t");
    hb_catalog_keep_parts(catalog, HB_PART_SCHEMA);
    kept = check_list_identities(catalog);
    assert_string_equal(kept, "table t");
    assert_int_equal(hb_catalog_get(catalog, 0)->needs->len, 0);
    assert_int_equal(hb_catalog_get_row_sets(catalog)->len, 0);
}

static char *list_needs(GArray *needs)
{
    GString *text = g_string_new(NULL);

    for (guint i = 0; i < needs->len; i++) {
        const HbClosureItem *need = &g_array_index(needs, HbClosureItem, i);
        g_string_append_printf(text, "%s %u; ", need->object->identity, need->distance);
    }
    g_array_unref(needs);
    return g_string_free(text, FALSE);
}

static void needs_are_followed_in_both_directions(void **state)
{
    g_autoptr(HbCatalog) catalog = check_read_catalog(
        "schema s\ntable t: schema s\nview v: table t\nview w: view v, table t\ntable other: schema s");
    g_autofree char *needed = NULL, *needing = NULL;

    (void)state;
    needed = list_needs(hb_closure_find_needed(catalog, hb_catalog_find(catalog, "view w")));
    needing = list_needs(hb_closure_find_needing(catalog, hb_catalog_find(catalog, "table t")));
    assert_string_equal(needed, "table t 1; view v 1; schema s 2; ");
    assert_string_equal(needing, "view v 1; view w 1; ");
}

static void an_object_is_found_by_identity_or_name(void **state)
{
    g_autoptr(HbCatalog) catalog = check_read_catalog("table t\nrows t: table t\nview only");
    static const struct {
        const char *text;
        guint found;
    } searches[] = {{"table t", 1}, {"t", 2}, {"only", 1}, {"nothing", 0}};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(searches); i++) {
        g_autoptr(GPtrArray) meant = hb_closure_find_meant(catalog, searches[i].text);
        assert_int_equal(meant->len, searches[i].found);
    }
}

/* Between equal indexes a server takes the first: parts that have ranks keep them, whatever they are called */
static void parts_stand_in_their_order(void **state)
{
    g_autoptr(HbCatalog) catalog = check_read_catalog(
        "table b\ntable a\nindex a.x: table a\nindex b.z: table b\nindex a.c: table a\nindex b.d: table b");
    static const char *const ranked[] = {"index a.x", "index a.c", "index b.z", "index b.d"};
    g_autofree char *list = NULL;

    (void)state;
    for (guint i = 0; i < G_N_ELEMENTS(ranked); i++) {
        HbObject *index = hb_catalog_find(catalog, ranked[i]);
        g_free(index->on);
        index->on = g_strdup(index->needs->pdata[0]);
        index->rank = 1 + i % 2;
    }
    assert_true(hb_order_arrange(catalog, NULL));
    list = check_list_identities(catalog);
    assert_string_equal(list, "table a; table b; index a.x; index a.c; index b.z; index b.d");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(objects_are_arranged),
        cmocka_unit_test(an_objects_own_stage_comes_before_its_kind),
        cmocka_unit_test(thousands_of_circles_are_broken_in_one_pass),
        cmocka_unit_test(every_order_respects_every_need),
        cmocka_unit_test(a_second_object_of_an_identity_is_refused),
        cmocka_unit_test(only_chosen_parts_are_kept),
        cmocka_unit_test(needs_are_followed_in_both_directions),
        cmocka_unit_test(an_object_is_found_by_identity_or_name),
        cmocka_unit_test(parts_stand_in_their_order),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
