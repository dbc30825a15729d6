/* SPDX-License-Identifier: Apache-2.0 */
#include "support/check.h"

#include "core/graph/closure.h"
#include "core/graph/order.h"

static const char garden[] = "schema garden\n"
                             "table plot: schema garden\n"
                             "table tree: table plot\n"
                             "function age: table tree\n"
                             "view old: function age, table tree, schema garden\n"
                             "index plot: table plot\n"
                             "role keeper\n";

static char *tell(GArray *items)
{
    GString *text = g_string_new(NULL);

    for (guint i = 0; i < items->len; i++) {
        const HbClosureItem *item = &g_array_index(items, HbClosureItem, i);
        g_string_append_printf(text, "%s%s %u", i > 0 ? "; " : "", item->object->identity, item->distance);
    }
    g_array_unref(items);
    return g_string_free(text, FALSE);
}

/* By the shortest way, the nearest first, then in the catalog's order */
static void needs_are_followed_both_ways(void **state)
{
    static const struct {
        const char *identity, *needed, *needing;
    } cases[] = {
        {"view old", "schema garden 1; table tree 1; function age 1; table plot 2", ""},
        {"table plot", "schema garden 1", "table tree 1; index plot 1; function age 2; view old 2"},
        {"schema garden", "", "table plot 1; view old 1; table tree 2; index plot 2; function age 3"},
        {"role keeper", "", ""},
    };
    g_autoptr(HbCatalog) catalog = check_read_catalog(garden);

    (void)state;
    assert_true(hb_order_arrange(catalog, NULL));
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        const HbObject *object = hb_catalog_find(catalog, cases[i].identity);
        g_autofree char *needed = tell(hb_closure_find_needed(catalog, object));
        g_autofree char *needing = tell(hb_closure_find_needing(catalog, object));
        assert_string_equal(needed, cases[i].needed);
        assert_string_equal(needing, cases[i].needing);
    }
}

static void an_identity_or_a_name_is_meant(void **state)
{
    g_autoptr(HbCatalog) catalog = check_read_catalog(garden);
    g_autoptr(GPtrArray) one = hb_closure_find_meant(catalog, "table plot"),
                         both = hb_closure_find_meant(catalog, "plot"),
                         none = hb_closure_find_meant(catalog, "nothing");

    (void)state;
    assert_int_equal(one->len, 1);
    assert_int_equal(both->len, 2);
    assert_int_equal(none->len, 0);
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(needs_are_followed_both_ways),
                                       cmocka_unit_test(an_identity_or_a_name_is_meant)};
    return cmocka_run_group_tests(tests, NULL, NULL);
}
