/* SPDX-License-Identifier: Apache-2.0 */
/* How fast a server is read at most, by the hour */
#include "support/check.h"

#include "work/run/throttle.h"

static void rates_hold_at_their_hours(void **state)
{
    static const struct {
        const char *text;
        guint minute;
        guint64 rate;
    } cases[] = {
        {"50M", 0, 50000000},
        {"800k", 700, 800000},
        {"1.5G", 1439, 1500000000},
        {"1", 0, 1},
        {"none", 5, 0},
        {"20M,22:00-06:00=none", 21 * 60 + 59, 20000000},
        {"20M,22:00-06:00=none", 22 * 60, 0},
        {"20M,22:00-06:00=none", 0, 0},
        {"20M,22:00-06:00=none", 6 * 60, 20000000},
        {"none,08:00-12:30=5M,12:30-13:00=1M", 12 * 60 + 29, 5000000},
        {"none,08:00-12:30=5M,12:30-13:00=1M", 12 * 60 + 30, 1000000},
        {"none,08:00-12:30=5M,12:30-13:00=1M", 13 * 60, 0},
        {"none,00:00-24:00=7", 1439, 7},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        HbThrottle *throttle = hb_throttle_new(cases[i].text, NULL);
        assert_non_null(throttle);
        assert_int_equal(hb_throttle_get_rate(throttle, cases[i].minute), cases[i].rate);
        hb_throttle_free(throttle);
    }
    assert_null(hb_throttle_new(NULL, NULL));
}

static void what_is_no_rate_is_refused(void **state)
{
    static const char *const texts[] = {"",
                                        "0",
                                        "-5M",
                                        "5X",
                                        "5MB",
                                        "nan",
                                        "inf",
                                        "1e99",
                                        "5M,",
                                        "5M,9:00-10:00=1",
                                        "5M,10-11=1",
                                        "5M,10:00-11:00",
                                        "5M,10:60-11:00=1",
                                        "5M,25:00-26:00=1",
                                        "0x5"};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(texts); i++) {
        GError *error = NULL;
        assert_null(hb_throttle_new(texts[i], &error));
        check_error(&error, HB_ERROR_USAGE, "bytes a second");
    }
}

/* Two threads' worth of bytes take the time of both, within a tenth; a stop ends the wait */
static void what_is_taken_takes_its_time(void **state)
{
    HbThrottle *throttle = hb_throttle_new("1M", NULL);
    HbStop *stop = hb_stop_new();
    gint64 start = g_get_monotonic_time(), spent;
    guint64 untold = 0;

    (void)state;
    for (int i = 0; i < 10; i++)
        hb_throttle_take(throttle, 100 * 1000, stop);
    spent = g_get_monotonic_time() - start;
    assert_true(spent > 900 * 1000 && spent < 2000 * 1000);
    /* in small pieces, too */
    start = g_get_monotonic_time();
    for (int i = 0; i < 1024; i++)
        hb_throttle_meter(throttle, &untold, 1024, stop);
    spent = g_get_monotonic_time() - start;
    assert_true(spent > 900 * 1000 && spent < 2000 * 1000);
    assert_int_equal(untold, 0);
    hb_stop_trigger(stop);
    start = g_get_monotonic_time();
    hb_throttle_take(throttle, 1000 * 1000 * 1000, stop);
    assert_true(g_get_monotonic_time() - start < G_USEC_PER_SEC);
    hb_stop_free(stop);
    hb_throttle_free(throttle);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(rates_hold_at_their_hours),
        cmocka_unit_test(what_is_no_rate_is_refused),
        cmocka_unit_test(what_is_taken_takes_its_time),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
