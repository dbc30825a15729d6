/* SPDX-License-Identifier: Apache-2.0 */
/* Result tables: their columns, cells and order */
#include "support/check.h"

#include "core/base/result_table.h"

static void a_table_has_the_columns_of_its_form(void **state)
{
    static const HbResultTableForm few = {"trees", "Trees", {{"name", "Name", HB_COLUMN_TEXT}, {"age", "Age", 0}}},
                                   all = {"wide",
                                          "Wide",
                                          {{"a", "A", 0},
                                           {"b", "B", 0},
                                           {"c", "C", 0},
                                           {"d", "D", 0},
                                           {"e", "E", 0},
                                           {"f", "F", 0},
                                           {"g", "G", 0},
                                           {"h", "H", 0}}};
    g_autoptr(HbResultTable) one = hb_result_table_new_from(&few), other = hb_result_table_new_from(&all);

    (void)state;
    assert_int_equal(one->columns->len, 2);
    assert_string_equal(((const HbColumn *)one->columns->pdata[1])->key, "age");
    assert_int_equal(other->columns->len, HB_RESULT_TABLE_COLUMNS_MAX);
    assert_string_equal(((const HbColumn *)other->columns->pdata[7])->title, "H");
}

static void rows_are_sorted_by_a_column_and_keep_their_cells(void **state)
{
    static const struct {
        const char *name;
        guint64 age;
    } trees[] = {{"oak", 90}, {"alder", 7}, {"hornbeam", 7}, {"beech", 120}};
    g_autoptr(HbResultTable) table = hb_result_table_new("trees", "Trees");
    GString *text = g_string_new(NULL);

    (void)state;
    hb_result_table_free(NULL);
    hb_result_table_add_column(table, "name", "Name", HB_COLUMN_TEXT);
    hb_result_table_add_column(table, "age", "Age", HB_COLUMN_TEXT);
    for (gsize i = 0; i < G_N_ELEMENTS(trees); i++) {
        assert_int_equal(hb_result_table_add_row(table), i);
        hb_result_table_set(table, (guint)i, 0, "replaced");
        hb_result_table_set(table, (guint)i, 0, trees[i].name);
        if (i != 2)
            hb_result_table_set_count(table, (guint)i, 1, trees[i].age);
    }
    hb_result_table_sort(table, 0);
    for (guint i = 0; i < table->rows->len; i++) {
        const char *age = hb_result_table_get(table, i, 1);
        g_string_append_printf(text, "%s %s;", hb_result_table_get(table, i, 0), age != NULL ? age : "-");
    }
    assert_string_equal(text->str, "alder 7;beech 120;hornbeam -;oak 90;");
    g_string_free(text, TRUE);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_table_has_the_columns_of_its_form),
        cmocka_unit_test(rows_are_sorted_by_a_column_and_keep_their_cells),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
