/* SPDX-License-Identifier: Apache-2.0 */
/* Rows that differ, found from two small sums of which each has seen only one side */
#include "support/check.h"

#include "core/base/digest.h"
#include "core/rows/row_sketch.h"

#include <string.h>

static const guint first_field[] = {0};

static HbRowMark mark_of(const char *row, const guint *fields, guint count)
{
    HbRowScan scan;
    HbRowMark mark;

    hb_row_scan_init(&scan, fields, count);
    assert_true(hb_row_scan_add(&scan, row, strlen(row)));
    mark = scan.mark;
    hb_row_scan_clear(&scan);
    return mark;
}

static void add(HbRowSketch *sketch, const char *row)
{
    const HbRowMark mark = mark_of(row, first_field, 1);

    hb_row_sketch_add(sketch, &mark);
}

#define TWENTY  "12345678901234567890"
#define LONGEST TWENTY TWENTY TWENTY TWENTY "123"

static void keys_are_found_in_rows(void **state)
{
    static const struct {
        const char *row;
        guint fields[2], count;
        const char *key; /* NULL: none, or a long one */
    } cases[] = {
        {"17\tbirch\n", {0}, 1, "17"},
        {"17\tbirch\n", {1}, 1, "birch"},
        {"17\tbirch\n", {0, 1}, 2, "17\tbirch"},
        {"17\tbirch\t\\N\n", {0, 2}, 2, "17\t\\N"},
        {"17\tbirch\n", {0}, 0, NULL},
        {"\t\n", {0, 1}, 2, "\t"},
        {"\n", {0}, 1, ""},
        {"a\\tb\tc\n", {0}, 1, "a\\tb"},
        {LONGEST "\tx\n", {0}, 1, LONGEST},
        {LONGEST "2\tx\n", {0}, 1, NULL},
        {LONGEST "\tx\n", {0, 1}, 2, NULL},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        const gsize length = strlen(cases[i].row);
        HbDigest digest = {0};
        hb_digest_add_row(&digest, cases[i].row, length - 1);
        /* whole, and cut everywhere; a scan that has seen another row before */
        for (gsize cut = 0; cut < length; cut++) {
            HbRowScan scan;
            hb_row_scan_init(&scan, cases[i].fields, cases[i].count);
            assert_true(hb_row_scan_add(&scan, "another\trow\there\n", 17));
            assert_true(cut == 0 || !hb_row_scan_add(&scan, cases[i].row, cut));
            assert_true(hb_row_scan_add(&scan, cases[i].row + cut, length - cut));
            assert_true(scan.mark.low == digest.low && scan.mark.high == digest.high);
            if (cases[i].key == NULL)
                assert_int_equal(scan.mark.key_length, cases[i].count > 0 ? HB_ROW_KEY_HASHED : HB_ROW_KEY_NONE);
            else
                assert_memory_equal(scan.mark.key, cases[i].key, scan.mark.key_length);
            assert_true(cases[i].key == NULL || scan.mark.key_length == strlen(cases[i].key));
            hb_row_scan_clear(&scan);
        }
    }
}

/* The count of a row in the list, 0 if it is not there */
static gint64 count_of(const GArray *rows, const char *row)
{
    const HbRowMark mark = mark_of(row, first_field, 1);

    for (guint i = 0; i < rows->len; i++) {
        const HbSketchedRow *one = &g_array_index(rows, HbSketchedRow, i);
        if (!hb_row_sketch_is_of(one, &mark))
            continue;
        assert_int_equal(one->key_length, mark.key_length);
        assert_memory_equal(one->key, mark.key, hb_row_key_count_bytes(mark.key_length));
        return one->count;
    }
    return 0;
}

/* 3000 rows that both have, in sketches of these sizes, and so many that only one has; all are told exactly */
static void rows_that_differ_are_told(void **state)
{
    static const struct {
        guint cells_first, cells_second, missing, extra;
    } cases[] = {{64, 64, 0, 0},   {64, 64, 1, 0},      {64, 64, 0, 1},          {64, 1024, 5, 5},
                 {1024, 64, 7, 2}, {65, 128, 20, 20},   {1024, 1024, 0, 600},    {1024, 1024, 300, 300},
                 {1, 1, 3, 3},     {4096, 256, 80, 60}, {65536, 65536, 999, 999}};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        HbRowSketch *first = hb_row_sketch_new(cases[i].cells_first),
                    *second = hb_row_sketch_new(cases[i].cells_second);
        for (guint n = 0; n < 3000; n++) {
            g_autofree char *row = g_strdup_printf("%u\tboth\n", n), *back = g_strdup_printf("%u\tboth\n", 2999 - n);
            add(first, row);
            add(second, back);
        }
        for (guint n = 0; n < cases[i].missing; n++) {
            g_autofree char *row = g_strdup_printf("%u\tonly in the first %zu\n", n, i);
            add(first, row);
        }
        for (guint n = 0; n < cases[i].extra; n++) {
            g_autofree char *row = g_strdup_printf("%u\tonly in the second %zu\n", n, i);
            add(second, row);
        }
        g_autoptr(GArray) rows = hb_row_sketch_list_different(first, second);

        assert_non_null(rows);
        assert_int_equal(rows->len, cases[i].missing + cases[i].extra);
        for (guint n = 0; n < cases[i].missing; n++) {
            g_autofree char *row = g_strdup_printf("%u\tonly in the first %zu\n", n, i);
            assert_int_equal(count_of(rows, row), 1);
        }
        for (guint n = 0; n < cases[i].extra; n++) {
            g_autofree char *row = g_strdup_printf("%u\tonly in the second %zu\n", n, i);
            assert_int_equal(count_of(rows, row), -1);
        }
        hb_row_sketch_free(first);
        hb_row_sketch_free(second);
    }
}

static void rows_that_are_there_several_times_are_counted(void **state)
{
    static const int counts[] = {1, -1, 2, -2, 3, 7, -64, 1000, -30000};
    HbRowSketch *first = hb_row_sketch_new(64), *second = hb_row_sketch_new(64);
    g_autoptr(GArray) rows = NULL;

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(counts); i++) {
        g_autofree char *row = g_strdup_printf("%zu\ttwin\n", i);
        for (int n = 0; n < ABS(counts[i]); n++)
            add(counts[i] > 0 ? first : second, row);
        /* and as often on both sides, which is no difference */
        for (gsize n = 0; n < i; n++) {
            add(first, row);
            add(second, row);
        }
    }
    rows = hb_row_sketch_list_different(first, second);
    assert_int_equal(rows->len, G_N_ELEMENTS(counts));
    for (gsize i = 0; i < G_N_ELEMENTS(counts); i++) {
        g_autofree char *row = g_strdup_printf("%zu\ttwin\n", i);
        assert_int_equal(count_of(rows, row), counts[i]);
    }
    hb_row_sketch_free(first);
    hb_row_sketch_free(second);
}

/* Pieces that were summed apart are the whole; more than it can hold is said, never guessed */
static void pieces_add_up_and_too_much_is_said(void **state)
{
    HbRowSketch *whole = hb_row_sketch_new(256), *one = hb_row_sketch_new(256), *other = hb_row_sketch_new(256),
                *empty = hb_row_sketch_new(64);
    g_autoptr(GArray) none = NULL;

    (void)state;
    for (guint n = 0; n < 5000; n++) {
        g_autofree char *row = g_strdup_printf("%u\ttree\n", n);
        add(whole, row);
        add(n % 3 == 0 ? one : other, row);
    }
    hb_row_sketch_add_all(one, other);
    hb_row_sketch_add_all(one, empty = (hb_row_sketch_free(empty), hb_row_sketch_new(256)));
    none = hb_row_sketch_list_different(whole, one);
    assert_int_equal(none->len, 0);
    assert_null(hb_row_sketch_list_different(whole, empty));
    hb_row_sketch_clear(one);
    none = (g_array_unref(none), hb_row_sketch_list_different(one, empty));
    assert_int_equal(none->len, 0);
    hb_row_sketch_free(whole);
    hb_row_sketch_free(one);
    hb_row_sketch_free(other);
    hb_row_sketch_free(empty);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(keys_are_found_in_rows),
        cmocka_unit_test(rows_that_differ_are_told),
        cmocka_unit_test(rows_that_are_there_several_times_are_counted),
        cmocka_unit_test(pieces_add_up_and_too_much_is_said),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
