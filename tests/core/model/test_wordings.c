/* SPDX-License-Identifier: Apache-2.0 */
/* Definitions that depend on the version of the server that runs them */
#include "core/model/wordings.h"
#include "support/check.h"

static void marked_texts_have_a_wording_for_each_version(void **state)
{
    static const struct {
        const char *text; /* ~ is the mark */
        guint version;
        const char *definition, *lost;
    } cases[] = {
        {"a~15~0~new~old~b is gone~ z", 14, "aold z", "b is gone"},
        {"a~15~0~new~old~b is gone~ z", 15, "anew z", NULL},
        {"~15~0~whole~~no such thing~", 14, NULL, "no such thing"},
        {"~15~0~whole~~~", 18, "whole", NULL},
        {"x~15~16~only~~~", 14, "x", NULL},
        {"x~15~16~only~~~", 15, "xonly", NULL},
        {"x~15~16~only~~~", 16, "x", NULL},
        {"~14~0~A~a~one~-~17~0~B~b~two~", 13, "a-b", "one; two"},
        {"~14~0~A~a~one~-~17~0~B~b~two~", 15, "A-b", "two"},
        {"~14~0~A~a~one~-~17~0~B~b~two~", 17, "A-B", NULL},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(GPtrArray) wordings = hb_wordings_read(cases[i].text, "~");
        const HbWording *wording = hb_wordings_find(wordings, cases[i].version);
        if (g_strcmp0(wording->definition, cases[i].definition) != 0 || g_strcmp0(wording->lost, cases[i].lost) != 0)
            fail_msg("%s for %u: “%s”, lost “%s”", cases[i].text, cases[i].version, wording->definition, wording->lost);
    }
    assert_null(hb_wordings_read("plain", "~"));
    assert_null(hb_wordings_read("half~15~0~a mark", "~"));
}

static HbCatalog *read_three(void)
{
    HbCatalog *catalog = check_read_catalog("table t\nrows t: table t\nview v: table t\nview w: view v");
    HbRowSet *set = hb_catalog_add_row_set(catalog, "rows t", "t");

    g_ptr_array_add(set->columns, g_strdup("c"));
    hb_catalog_find(catalog, "view v")->wordings = hb_wordings_read("new ~15~0~words~~it uses words~", "~");
    hb_catalog_find(catalog, "table t")->wordings = hb_wordings_read("table~17~0~ of now~~~", "~");
    return catalog;
}

static void what_cannot_be_expressed_is_left_out_with_what_needs_it(void **state)
{
    g_autoptr(HbCatalog) changed = read_three(), cut = read_three();
    const HbOmission *omission;

    (void)state;
    hb_catalog_fit(changed, 14, "Test 14");
    assert_string_equal(hb_catalog_find(changed, "view v")->definition, "new");
    assert_string_equal(hb_catalog_find(changed, "table t")->definition, "table");
    assert_int_equal(hb_catalog_get_omissions(changed)->len, 1);
    omission = hb_catalog_get_omissions(changed)->pdata[0];
    assert_string_equal(omission->what, "view v");
    assert_string_equal(omission->why, "changed for Test 14: it uses words");

    hb_wordings_cut(hb_catalog_find(cut, "table t")->wordings, 16, "tables came later");
    hb_catalog_fit(cut, 15, "Test 15");
    assert_int_equal(hb_catalog_count(cut), 0);
    assert_int_equal(hb_catalog_get_row_sets(cut)->len, 0);
    assert_int_equal(hb_catalog_get_omissions(cut)->len, 3);
    omission = hb_catalog_get_omissions(cut)->pdata[2];
    assert_string_equal(omission->why, "it needs view v, which is left out");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(marked_texts_have_a_wording_for_each_version),
        cmocka_unit_test(what_cannot_be_expressed_is_left_out_with_what_needs_it),
    };

    return cmocka_run_group_tests(tests, NULL, NULL);
}
