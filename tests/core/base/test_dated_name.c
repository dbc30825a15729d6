/* SPDX-License-Identifier: Apache-2.0 */
/* Names with a date in them: written, and known again */
#include "support/check.h"

#include "core/base/dated_name.h"

static void dates_are_put_into_names(void **state)
{
    static const struct {
        const char *pattern, *name;
    } cases[] = {
        {"vale-%Y-%m-%d.dump", "vale-2026-03-07.dump"},
        {"%G-W%V-%u_%j", "2026-W10-6_066"},
        {"a%H%M%S", "a040509"},
        {"100%%-%Y", "100%-2026"},
        {"plain", "plain"},
        {"", ""},
        {"%q", NULL},
        {"ends with %", NULL},
        {"%-d", NULL},
    };
    g_autoptr(GDateTime) when = g_date_time_new_utc(2026, 3, 7, 4, 5, 9);

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        GError *error = NULL;
        g_autofree char *name = hb_dated_name_expand(cases[i].pattern, when, &error);
        if (cases[i].name == NULL) {
            assert_null(name);
            check_error(&error, HB_ERROR_USAGE, "is no part of a date");
            continue;
        }
        check_no_error(error);
        assert_string_equal(name, cases[i].name);
        assert_true(hb_dated_name_fits(cases[i].pattern, name));
    }
}

static void other_names_do_not_fit(void **state)
{
    static const struct {
        const char *pattern, *name;
    } cases[] = {
        {"vale-%Y-%m-%d.dump", "vale-2026-03-7.dump"},
        {"vale-%Y-%m-%d.dump", "vale-2026-03-07.dump.old"},
        {"vale-%Y-%m-%d.dump", "vale-2026-03-07.tar"},
        {"vale-%Y-%m-%d.dump", "vale-%Y-%m-%d.dump"},
        {"vale-%Y-%m-%d.dump", ""},
        {"vale-%Y-%m-%d.dump", "vale-20"},
        {"vale-%Y-%m-%d.dump", "vale-20x6-03-07.dump"},
        {"%", "%"},
        {"%q", "q"},
        {"a%%", "a"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        if (hb_dated_name_fits(cases[i].pattern, cases[i].name))
            fail_msg("“%s” fits “%s”", cases[i].name, cases[i].pattern);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(dates_are_put_into_names),
        cmocka_unit_test(other_names_do_not_fit),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
