/* SPDX-License-Identifier: Apache-2.0 */
#include "support/check.h"

/* Of others' errors nothing is known but the message */
static void hints_are_those_of_our_own_errors(void **state)
{
    g_autoptr(GError) ours = NULL, bare = NULL, other = g_error_new(G_FILE_ERROR, HB_ERROR_LOST, "no file");

    (void)state;
    assert_false(hb_error_set(&ours, HB_ERROR_LOST, "look again", "%s is %d", "it", 7));
    assert_false(hb_error_set(&bare, HB_ERROR_FILE, NULL, "plain"));
    assert_false(hb_error_set(NULL, HB_ERROR_FILE, "nobody", "listens"));
    assert_string_equal(ours->message, "it is 7");
    assert_string_equal(hb_error_hint(ours), "look again");
    assert_null(hb_error_hint(bare));
    assert_null(hb_error_hint(other));
    assert_null(hb_error_hint(NULL));
    assert_true(hb_error_is(ours, HB_ERROR_LOST) && !hb_error_is(ours, HB_ERROR_FILE));
    assert_false(hb_error_is(other, HB_ERROR_LOST) || hb_error_is(NULL, HB_ERROR_USAGE));
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(hints_are_those_of_our_own_errors)};
    return cmocka_run_group_tests(tests, NULL, NULL);
}
