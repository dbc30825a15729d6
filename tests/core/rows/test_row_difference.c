/* SPDX-License-Identifier: Apache-2.0 */
/* What became of rows, told from what only one side holds; and SQL that finds them again */
#include "support/check.h"

#include "core/rows/key_condition.h"
#include "core/rows/row_difference.h"
#include "core/rows/wanted_rows.h"
#include "engine/mariadb/dialect/dialect.h"
#include "engine/postgres/dialect/dialect.h"

#include <string.h>

static HbRowSet *make_set(HbCatalog *catalog, const char *columns, const char *key)
{
    HbRowSet *set = hb_catalog_add_row_set(catalog, "rows t", "t");
    g_auto(GStrv) names = g_strsplit(columns, ",", -1), keys = g_strsplit(key, ",", -1);
    g_autoptr(GPtrArray) list = g_ptr_array_new();

    for (char **name = names; *name != NULL; name++)
        g_ptr_array_add(set->columns, g_strdup(*name));
    for (char **name = keys; *name != NULL; name++)
        g_ptr_array_add(list, *name);
    hb_row_set_set_key(set, list);
    return set;
}

static void add(GArray *sketched, const HbRowSet *set, gint64 count, const char *row)
{
    HbRowScan scan;
    HbSketchedRow one;

    hb_row_scan_init(&scan, (const guint *)(void *)set->key->data, set->key->len);
    assert_true(hb_row_scan_add(&scan, row, strlen(row)));
    one = hb_row_sketch_row(&scan.mark);
    one.count = count;
    g_array_append_val(sketched, one);
    hb_row_scan_clear(&scan);
}

/* Each row with its fate: "changed a = 9; missing a = 10; " */
static char *tell(const HbRowDifference *difference)
{
    GString *text = g_string_new(NULL);

    for (guint i = 0; i < difference->rows->len; i++) {
        const HbNamedRow *row = difference->rows->pdata[i];
        g_autofree char *name = hb_row_difference_name_row(difference, row);
        g_string_append_printf(text, "%s %s x%d; ", hb_row_fate_get_name(row->fate), name != NULL ? name : "-",
                               (int)row->count);
    }
    return g_string_free(text, FALSE);
}

static void fates_are_told_by_keys(void **state)
{
    static const struct {
        const char *key;
        struct {
            int count;
            const char *row;
        } rows[6];
        const char *told;
    } cases[] = {
        {"a",
         {{1, "10\told\n"}, {-1, "10\tnew\n"}, {1, "9\tx\n"}, {-1, "11\ty\n"}},
         "missing a = 9 x1; changed a = 10 x1; extra a = 11 x1; "},
        {"a", {{-1, "10\tnew\n"}, {1, "10\told\n"}}, "changed a = 10 x1; "},
        {"b", {{1, "10\tx\n"}, {-1, "11\tx\n"}}, "changed b = x x1; "},
        {"a,b", {{1, "1\tx\n"}, {-1, "1\ty\n"}}, "missing a = 1, b = x x1; extra a = 1, b = y x1; "},
        {"", {{3, "1\tx\n"}, {-2, "1\ty\n"}}, "extra - x2; missing - x3; "},
        {"none", {{1, "1\tx\n"}, {-1, "1\ty\n"}}, "extra - x1; missing - x1; "},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(HbCatalog) catalog = hb_catalog_new();
        const HbRowSet *set = make_set(catalog, "a,b", cases[i].key);
        g_autoptr(GArray) sketched = g_array_new(FALSE, FALSE, sizeof(HbSketchedRow));
        for (gsize r = 0; cases[i].rows[r].row != NULL; r++)
            add(sketched, set, cases[i].rows[r].count, cases[i].rows[r].row);
        HbRowDifference *difference = hb_row_difference_new(sketched, set, 1);
        g_autofree char *told = tell(difference);
        assert_string_equal(told, cases[i].told);
        hb_row_difference_free(difference);
    }
}

/* A sample stands for all; of a changed row only what changed is described, and long values are cut */
static void values_and_estimates_are_described(void **state)
{
    g_autoptr(HbCatalog) catalog = hb_catalog_new();
    const HbRowSet *set = make_set(catalog, "a,b,c", "a");
    g_autoptr(GArray) sketched = g_array_new(FALSE, FALSE, sizeof(HbSketchedRow));
    g_autofree char *long_value = g_strnfill(100, 'z');

    (void)state;
    add(sketched, set, 1, "1\tx\ty\n");
    add(sketched, set, -1, "1\tX\ty\n");
    HbRowDifference *difference = hb_row_difference_new(sketched, set, 16);
    HbNamedRow *row = difference->rows->pdata[0];
    assert_int_equal(difference->counts[HB_ROW_CHANGED], 16);
    assert_null(hb_row_difference_describe(difference, row, FALSE));
    row->from = g_strdup("1\tx\ty");
    row->to = g_strdup_printf("1\t%s\ty", long_value);
    g_autofree char *from = hb_row_difference_describe(difference, row, FALSE);
    g_autofree char *to = hb_row_difference_describe(difference, row, TRUE);
    assert_string_equal(from, "b = x");
    check_contains(to, "b = zzz");
    check_contains(to, "z... (100 bytes)");
    hb_row_difference_free(difference);
}

static void keys_become_conditions(void **state)
{
    g_autoptr(HbCatalog) catalog = hb_catalog_new();
    const HbRowSet *one = make_set(catalog, "a,b", "b"), *two = make_set(catalog, "a,b,c", "a,c");
    g_autoptr(GArray) rows = g_array_new(FALSE, FALSE, sizeof(HbSketchedRow)),
                      pairs = g_array_new(FALSE, FALSE, sizeof(HbSketchedRow));

    (void)state;
    add(rows, one, 1, "1\tit's\n");
    add(rows, one, 1, "2\ta\\\\b\\n\\t;\n");
    add(pairs, two, 1, "1\tx\t\n");
    g_string_assign(two->hex_columns, "xtt");
    g_autofree char *plain = hb_key_condition_new(one, &hb_pg_dialect, rows, 0, 2);
    g_autofree char *escaped = hb_key_condition_new(one, &hb_my_dialect, rows, 1, 2);
    g_autofree char *both = hb_key_condition_new(two, &hb_my_dialect, pairs, 0, 1);
    assert_string_equal(plain, "(b) IN (('it''s'), ('a\\b\n\t;'))");
    assert_string_equal(escaped, "(b) IN (('a\\\\b\\n\t;'))");
    assert_string_equal(both, "(a, c) IN ((x'1', ''))");
}

static HbRowMark scan(HbRowScan *of, const HbRowSet *set, const char *row)
{
    hb_row_scan_init(of, (const guint *)(void *)set->key->data, set->key->len);
    assert_true(hb_row_scan_add(of, row, strlen(row)));
    return of->mark;
}

/* Each as often as it is wanted, and no oftener; of another row nothing is taken */
static void wanted_rows_are_taken_as_often_as_they_are_wanted(void **state)
{
    g_autoptr(HbCatalog) catalog = hb_catalog_new();
    const HbRowSet *set = make_set(catalog, "a,b", "a");
    g_autoptr(GArray) sketched = g_array_new(FALSE, FALSE, sizeof(HbSketchedRow));
    HbWantedRows wanted;
    static const struct {
        const char *row;
        gboolean is_taken;
        guint left;
    } steps[] = {{"9\tother\n", FALSE, 2}, {"1\tx\n", TRUE, 1}, {"1\tx\n", FALSE, 1}, {"2\ty\n", TRUE, 1},
                 {"2\ty\n", TRUE, 1},      {"2\ty\n", TRUE, 0}, {"2\ty\n", FALSE, 0}};

    (void)state;
    add(sketched, set, 1, "1\tx\n");
    add(sketched, set, -3, "2\ty\n");
    hb_wanted_rows_init(&wanted, sketched);
    for (gsize i = 0; i < G_N_ELEMENTS(steps); i++) {
        HbRowScan of;
        const HbRowMark mark = scan(&of, set, steps[i].row);
        assert_int_equal(hb_wanted_rows_take(&wanted, &mark), steps[i].is_taken);
        assert_int_equal(hb_wanted_rows_count_left(&wanted), steps[i].left);
        hb_row_scan_clear(&of);
    }
    hb_wanted_rows_clear(&wanted);
}

/* Only by keys that all were kept whole */
static void rows_are_asked_for_by_key_where_all_keys_are_known(void **state)
{
    g_autoptr(HbCatalog) catalog = hb_catalog_new();
    const HbRowSet *set = make_set(catalog, "a,b", "a");
    g_autoptr(GArray) sketched = g_array_new(FALSE, FALSE, sizeof(HbSketchedRow));
    const HbSketchedRow row = {.key_length = HB_ROW_KEY_MAX}, too_long = {.key_length = HB_ROW_KEY_MAX + 1};

    (void)state;
    assert_true(hb_key_condition_is_possible(set, sketched));
    for (int i = 0; i < 3; i++)
        g_array_append_val(sketched, row);
    assert_true(hb_key_condition_is_possible(set, sketched));
    g_array_append_val(sketched, too_long);
    assert_false(hb_key_condition_is_possible(set, sketched));
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(fates_are_told_by_keys),
        cmocka_unit_test(wanted_rows_are_taken_as_often_as_they_are_wanted),
        cmocka_unit_test(rows_are_asked_for_by_key_where_all_keys_are_known),
        cmocka_unit_test(values_and_estimates_are_described),
        cmocka_unit_test(keys_become_conditions),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
