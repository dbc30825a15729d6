/* SPDX-License-Identifier: Apache-2.0 */
/* Catalogs: finding, renaming and taking out, at sizes around powers of two */
#include "support/check.h"

#include "core/graph/order.h"

#include <string.h>

static char *add_mark(gpointer data, const char *identity)
{
    (void)data;
    return g_str_has_suffix(identity, "0") ? NULL : g_strconcat(identity, "x", NULL);
}

static HbCatalog *make_tables(guint count)
{
    HbCatalog *catalog = hb_catalog_new();

    for (guint i = 0; i < count; i++) {
        g_autofree char *name = g_strdup_printf("t%u", i), *rows = g_strdup_printf("rows t%u", i);
        HbObject *object = hb_object_new(HB_KIND_ROWS, name);
        hb_catalog_add(catalog, hb_object_new(HB_KIND_TABLE, name), NULL);
        hb_object_add_need(object, ((const HbObject *)hb_catalog_get(catalog, 2 * i))->identity);
        hb_catalog_add(catalog, object, NULL);
        hb_catalog_add_row_set(catalog, rows, name);
    }
    return catalog;
}

static void names_change_everywhere(void **state)
{
    static const guint counts[] = {1, 7, 8, 9, 15, 16, 17, 31, 32, 33, 64};

    (void)state;
    for (gsize c = 0; c < G_N_ELEMENTS(counts); c++) {
        g_autoptr(HbCatalog) catalog = make_tables(counts[c]);
        const GPtrArray *sets;
        GError *error = NULL;
        assert_true(hb_order_arrange(catalog, NULL));
        hb_catalog_rename(catalog, add_mark, NULL, &error);
        check_no_error(error);
        sets = hb_catalog_get_row_sets(catalog);
        assert_int_equal(sets->len, counts[c]);
        for (guint i = 0; i < counts[c]; i++) {
            const char *mark = i % 10 == 0 ? "" : "x";
            g_autofree char *name = g_strdup_printf("t%u%s", i, mark), *table = g_strdup_printf("table %s", name),
                            *rows = g_strdup_printf("rows %s", name);
            assert_non_null(hb_catalog_find(catalog, table));
            assert_string_equal(hb_catalog_find(catalog, rows)->needs->pdata[0], table);
        }
        for (guint i = 0; i < sets->len; i++) {
            const HbRowSet *set = sets->pdata[i];
            assert_string_equal(set->table, set->identity + strlen("rows "));
            assert_non_null(hb_catalog_find(catalog, set->identity));
        }
    }
}

static char *make_same(gpointer data, const char *identity)
{
    (void)identity;
    return g_strdup(data);
}

static void two_objects_cannot_get_one_name(void **state)
{
    g_autoptr(HbCatalog) catalog = check_read_catalog("table a\ntable b");
    GError *error = NULL;

    (void)state;
    assert_true(hb_order_arrange(catalog, NULL));
    assert_false(hb_catalog_rename(catalog, make_same, (gpointer) "table c", &error));
    check_error(&error, HB_ERROR_DUPLICATE, "table c");
}

/* Something is needed, and all of it is there */
static void needs_are_there_or_not(void **state)
{
    static const struct {
        const char *lines, *identity;
        gboolean has;
    } cases[] = {
        {"table a", "table a", FALSE},
        {"table a\nindex i: table a", "index i", TRUE},
        {"table a\ntable b\nview v: table a, table b", "view v", TRUE},
        {"table a\nview v: table a, table b", "view v", FALSE},
        {"table b\nview v: table a, table b", "view v", FALSE},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(HbCatalog) catalog = check_read_catalog(cases[i].lines);
        const HbObject *object = hb_catalog_find(catalog, cases[i].identity);
        assert_int_equal(hb_catalog_has_needs(catalog, object), cases[i].has);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(names_change_everywhere),
        cmocka_unit_test(needs_are_there_or_not),
        cmocka_unit_test(two_objects_cannot_get_one_name),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
