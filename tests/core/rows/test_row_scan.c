/* SPDX-License-Identifier: Apache-2.0 */
/* Rows that stream by in pieces: hash and key are those of the whole row, wherever it is cut */
#include "support/check.h"

#include "core/base/digest.h"
#include "core/rows/row_scan.h"

#include <string.h>

typedef struct {
    const char *row; /* with its line end */
    guint fields[3];
    guint count;
    const char *key; /* NULL: there is none; "#": known by a hash only */
} Case;

#define LONG "0123456789012345678901234567890123456789" /* forty bytes */

static const Case cases[] = {
    {"1\toak\t3\n", {0}, 1, "1"},
    {"1\toak\t3\n", {1}, 1, "oak"},
    {"1\toak\t3\n", {2}, 1, "3"},
    {"1\toak\t3\n", {0, 2}, 2, "1\t3"},
    {"1\toak\t3\n", {0, 1, 2}, 3, "1\toak\t3"},
    {"1\toak\t3\n", {0}, 0, NULL},
    {"\t\t\n", {0, 1, 2}, 3, "\t\t"},
    {"\n", {0}, 1, ""},
    {"\\N\ta\\tb\n", {1}, 1, "a\\tb"},
    {"größte Bäume\t\\\\\n", {0}, 1, "größte Bäume"},
    {LONG LONG "012\tx\n", {0}, 1, LONG LONG "012"}, /* 83 bytes: the longest that is kept */
    {LONG LONG "0123\tx\n", {0}, 1, "#"},
    {LONG "\t" LONG "\t3\n", {0, 1}, 2, LONG "\t" LONG},
    {LONG "\t" LONG "\t3\n", {0, 1, 2}, 3, LONG "\t" LONG "\t3"}, /* 83 */
    {LONG "\t" LONG "\t34\n", {0, 1, 2}, 3, "#"},
};

static void check_mark(const Case *it, const HbRowMark *mark, const HbRowMark *whole)
{
    const gboolean is_hashed = it->key != NULL && strcmp(it->key, "#") == 0;

    assert_true(mark->low == whole->low && mark->high == whole->high);
    assert_int_equal(mark->key_length, whole->key_length);
    assert_int_equal(hb_row_mark_spread(mark), hb_row_mark_spread(whole));
    if (it->key == NULL) {
        assert_int_equal(mark->key_length, HB_ROW_KEY_NONE);
        assert_int_equal(hb_row_key_count_bytes(mark->key_length), 0);
    } else if (is_hashed) {
        assert_int_equal(mark->key_length, HB_ROW_KEY_HASHED);
        assert_memory_equal(mark->key, whole->key, sizeof(guint64));
    } else {
        assert_int_equal(mark->key_length, strlen(it->key));
        assert_memory_equal(mark->key, it->key, strlen(it->key));
    }
}

/* Each row, cut at each two places, one after the other with one scan: nothing is left of the row before */
static void a_row_is_the_same_wherever_it_is_cut(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        const gsize length = strlen(cases[i].row);
        HbRowMark whole;
        HbRowScan scan;

        hb_row_scan_init(&scan, cases[i].fields, cases[i].count);
        assert_true(hb_row_scan_add(&scan, cases[i].row, length));
        whole = scan.mark;
        check_mark(&cases[i], &scan.mark, &whole);
        for (gsize first = 1; first < length; first++) {
            for (gsize second = first; second < length; second++) {
                assert_false(hb_row_scan_add(&scan, cases[i].row, first));
                if (second > first)
                    assert_false(hb_row_scan_add(&scan, cases[i].row + first, second - first));
                assert_true(hb_row_scan_add(&scan, cases[i].row + second, length - second));
                check_mark(&cases[i], &scan.mark, &whole);
            }
        }
        hb_row_scan_clear(&scan);
    }
}

/* The hash is the digest's, and one bit more or less is another row */
static void hashes_are_those_of_digests(void **state)
{
    char row[200];

    (void)state;
    for (gsize length = 1; length < sizeof row; length++) {
        HbDigest digest = {0}, by_hash = {0};
        HbRowScan scan;
        guint64 low;

        memset(row, 'x', length);
        row[length - 1] = '\n';
        hb_row_scan_init(&scan, NULL, 0);
        hb_row_scan_add(&scan, row, length);
        low = scan.mark.low;
        hb_digest_add_row(&digest, row, length - 1);
        hb_digest_add_hash(&by_hash, scan.mark.low, scan.mark.high);
        assert_true(hb_digest_is_equal(&digest, &by_hash));
        for (gsize at = 0; at + 1 < length; at++) {
            row[at] ^= 1;
            hb_row_scan_add(&scan, row, length);
            assert_true(scan.mark.low != low);
            row[at] ^= 1;
        }
        hb_row_scan_clear(&scan);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_row_is_the_same_wherever_it_is_cut),
        cmocka_unit_test(hashes_are_those_of_digests),
    };

    return cmocka_run_group_tests(tests, NULL, NULL);
}
