/* SPDX-License-Identifier: Apache-2.0 */
/* Digests of rows: their values, their order, their sums */
#include "support/check.h"

#include "core/base/digest.h"

#include <string.h>

static HbDigest digest_of(const char *rows)
{
    g_auto(GStrv) lines = g_strsplit(rows, "\n", -1);
    HbDigest digest = {0};

    for (char **line = lines; *line != NULL && **line != '\0'; line++)
        hb_digest_add_row(&digest, *line, strlen(*line));
    return digest;
}

/* What dumps say for ever; the values were made by another program */
static void digests_are_those_of_the_specification(void **state)
{
    static const char leaf[] = "leaf ";
    g_autoptr(GString) long_row = g_string_new(NULL);
    const struct {
        const char *rows; /* NULL: a long one */
        const char *digest;
    } golden[] = {
        {"", "00000000000000000000000000000000"},
        {"1\tFagus sylvatica\t\\N\n", "8da23d7b828194c2197d1cc87dbcdf89"},
        {"1\tFagus sylvatica\t\\N\n2\tQuercus robur\tx\n", "aa314655f733e251116142c80752faa8"},
        {NULL, "3778afeb5b0d506b6240382ce608b227"},
    };

    (void)state;
    for (int i = 0; i < 200; i++)
        g_string_append(long_row, leaf);
    g_string_append_c(long_row, '\n');
    for (gsize i = 0; i < G_N_ELEMENTS(golden); i++) {
        HbDigest digest = digest_of(golden[i].rows != NULL ? golden[i].rows : long_row->str);
        char text[HB_DIGEST_TEXT_LENGTH + 1];
        hb_digest_write(&digest, text);
        assert_string_equal(text, golden[i].digest);
    }
    HbDigest sum = digest_of(golden[2].rows), more = digest_of(long_row->str); /* carries over into the high half */
    char text[HB_DIGEST_TEXT_LENGTH + 1];
    HbDigest empty = {0};
    hb_digest_add_row(&empty, "", 0);
    hb_digest_write(&empty, text);
    assert_string_equal(text, "99aa06d3014798d86001c324468d497f");
    hb_digest_add(&sum, &more);
    hb_digest_add(&sum, &more);
    hb_digest_write(&sum, text);
    assert_string_equal(text, "1922a62cad4e8327d5e1b321d3645ef6");
    assert_int_equal(sum.rows, 4);
}

static void digests_ignore_order_and_nothing_else(void **state)
{
    HbDigest one = digest_of("a\t1\nb\t2\na\t1\n"), other = digest_of("a\t1\na\t1\nb\t2\n");
    static const char *const different[] = {"a\t1\nb\t2\n", "a\t1\nb\t2\nb\t2\n", "a\t1\nb\t2\na\t\\N\n",
                                            "a\t1\nb\t2\na\t1\n\\N\n"};

    (void)state;
    assert_true(hb_digest_is_equal(&one, &other));
    for (gsize i = 0; i < G_N_ELEMENTS(different); i++) {
        other = digest_of(different[i]);
        assert_false(hb_digest_is_equal(&one, &other));
    }
}

static void digests_add_up_and_survive_writing(void **state)
{
    HbDigest whole = digest_of("a\nb\nc\n"), part = digest_of("c\n"), sum = digest_of("b\na\n"), read = {.rows = 3};
    char text[HB_DIGEST_TEXT_LENGTH + 1];
    static const char *const bad[] = {"", "12", "zz6d1d6fbe9a35d8c3d4e5f60718293a", "AB6d1d6fbe9a35d8c3d4e5f60718293a"};

    (void)state;
    hb_digest_add(&sum, &part);
    assert_true(hb_digest_is_equal(&whole, &sum));
    hb_digest_write(&whole, text);
    assert_true(hb_digest_read(&read, text));
    assert_true(hb_digest_is_equal(&whole, &read));
    for (gsize i = 0; i < G_N_ELEMENTS(bad); i++)
        assert_false(hb_digest_read(&read, bad[i]));
    /* of the empty row, as xxHash 0.8 specifies it: XXH3-128 of no bytes */
    sum = (HbDigest){0};
    hb_digest_add_row(&sum, "", 0);
    hb_digest_write(&sum, text);
    assert_string_equal(text, "99aa06d3014798d86001c324468d497f");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(digests_are_those_of_the_specification),
        cmocka_unit_test(digests_ignore_order_and_nothing_else),
        cmocka_unit_test(digests_add_up_and_survive_writing),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
