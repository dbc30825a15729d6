/* SPDX-License-Identifier: Apache-2.0 */
/* Renames as users write them, and what stands in a schema */
#include "support/check.h"

#include "core/select/rename.h"

static void renames_are_read(void **state)
{
    static const struct {
        const char *text; /* NULL old name: it is wrong */
        HbRenameKind kind;
        const char *old_name, *new_name;
    } cases[] = {
        {"schema:garden=park", HB_RENAME_SCHEMA, "garden", "park"},
        {"database:a=b", HB_RENAME_DATABASE, "a", "b"},
        {"owner:Ida Quill=ida", HB_RENAME_OWNER, "Ida Quill", "ida"},
        {"tablespace:a=b", HB_RENAME_TABLESPACE, "a", "b"},
        {"garden=park", 0, NULL, NULL},
        {"schema:garden", 0, NULL, NULL},
        {"schema:=park", 0, NULL, NULL},
        {"schema:garden=", 0, NULL, NULL},
        {"plot:a=b", 0, NULL, NULL},
        {"", 0, NULL, NULL},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        GError *error = NULL;
        HbRename *rename = hb_rename_read(cases[i].text, &error);
        if (cases[i].old_name == NULL) {
            assert_null(rename);
            check_error(&error, HB_ERROR_USAGE, "");
            continue;
        }
        check_no_error(error);
        assert_int_equal(rename->kind, cases[i].kind);
        assert_string_equal(rename->old_name, cases[i].old_name);
        assert_string_equal(rename->new_name, cases[i].new_name);
        hb_rename_free(rename);
    }
}

static void what_stands_in_a_schema_is_found_by_name(void **state)
{
    static const char *const inside[] = {"plot", "Two Words", "age"}, *const outside[] = {"garden", "tree", "deep",
                                                                                          "garden.plot", "plot_too"};
    g_autoptr(HbCatalog) catalog =
        check_read_catalog("schema garden\ntable garden.plot\ntable garden.\"Two Words\"\nfunction garden.age(date)\n"
                           "table park.tree\ntable gardens.deep\ntable garden");
    g_autoptr(GHashTable) names = hb_rename_list_inside(catalog, "garden");

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(inside); i++)
        assert_true(g_hash_table_contains(names, inside[i]));
    for (gsize i = 0; i < G_N_ELEMENTS(outside); i++)
        assert_false(g_hash_table_contains(names, outside[i]));
    assert_int_equal(g_hash_table_size(names), G_N_ELEMENTS(inside));
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(renames_are_read),
        cmocka_unit_test(what_stands_in_a_schema_is_found_by_name),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
