/* SPDX-License-Identifier: Apache-2.0 */
/* Rows counted while they come in pieces */
#include "support/check.h"

#include "core/rows/row_counter.h"

#include <string.h>

static HbDigest digest_of(const char *rows)
{
    g_auto(GStrv) lines = g_strsplit(rows, "\n", -1);
    HbDigest digest = {0};

    for (char **line = lines; *line != NULL && **line != '\0'; line++)
        hb_digest_add_row(&digest, *line, strlen(*line));
    return digest;
}

static void rows_are_counted_however_they_are_cut(void **state)
{
    static const char rows[] = "1\tone\n2\t\\N\n3\tline\\nend\n\t\n";
    HbDigest whole = digest_of(rows);

    (void)state;
    for (gsize cut = 1; cut < sizeof rows; cut++) {
        HbRowCounter counter;
        hb_row_counter_init(&counter, 2);
        for (gsize at = 0; at < sizeof rows - 1; at += cut)
            hb_row_counter_add(&counter, rows + at, MIN(cut, sizeof rows - 1 - at));
        assert_true(hb_row_counter_is_whole(&counter));
        assert_true(hb_digest_is_equal(&counter.sum.digest, &whole));
        assert_int_equal(counter.wrong_row, 0);
        hb_row_counter_clear(&counter);
    }
}

static void a_row_with_a_field_too_many_is_named(void **state)
{
    HbRowCounter counter;

    (void)state;
    hb_row_counter_init(&counter, 2);
    hb_row_counter_add(&counter, "1\t2\n1\t2\t3\n1\n", 12);
    assert_int_equal(counter.wrong_row, 2);
    hb_row_counter_add(&counter, "half", 4);
    assert_false(hb_row_counter_is_whole(&counter));
    hb_row_counter_clear(&counter);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(rows_are_counted_however_they_are_cut),
        cmocka_unit_test(a_row_with_a_field_too_many_is_named),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
