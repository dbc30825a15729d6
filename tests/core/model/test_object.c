/* SPDX-License-Identifier: Apache-2.0 */
/* Objects: the parts that they belong to */
#include "support/check.h"

#include "core/model/object.h"

#include <string.h>

static void parts_are_read_and_written(void **state)
{
    guint parts;
    GError *error = NULL;
    g_autofree char *text = NULL;

    (void)state;
    assert_true(hb_parts_read("data, schema", &parts, NULL));
    text = hb_parts_write(parts);
    assert_string_equal(text, "schema,data");
    assert_false(hb_parts_read("schema,indexes", &parts, &error));
    check_error(&error, HB_ERROR_USAGE, "indexes");
    assert_false(hb_parts_read("", &parts, &error));
    check_error(&error, HB_ERROR_USAGE, "no part");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(parts_are_read_and_written),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
