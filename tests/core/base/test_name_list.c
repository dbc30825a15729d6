/* SPDX-License-Identifier: Apache-2.0 */
/* Lists of names for people */
#include "support/check.h"

#include "core/base/name_list.h"

#include <string.h>

static void a_long_list_says_how_many_more_there_are(void **state)
{
    static const char *const lists[] = {"", "oak", "oak, oak", "oak, oak, oak", "oak, oak, oak and 1 more"};

    (void)state;
    for (guint count = 0; count < G_N_ELEMENTS(lists); count++) {
        HbNameList names;
        hb_name_list_init(&names, 3);
        for (guint i = 0; i < count; i++)
            hb_name_list_add(&names, "oak");
        g_autofree char *list = hb_name_list_end(&names);
        assert_string_equal(list, lists[count]);
        assert_int_equal(names.count, count);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_long_list_says_how_many_more_there_are),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
