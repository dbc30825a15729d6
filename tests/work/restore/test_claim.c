/* SPDX-License-Identifier: Apache-2.0 */
/* The hold on a target: who is refused, and who only has to wait until the dead are gone */
#include "support/check.h"
#include "support/scripted.h"

#include "work/restore/claim.h"

static const HbAddress target = {.uri = "scripted://target/vale"};

static void who_lives_is_told_from_who_is_going(void **state)
{
    static const struct {
        const char *what;
        ScriptedHolder seen[4]; /* one look after the other; then the hold is free */
        gboolean taken;
    } cases[] = {
        {"nobody", {{0}}, TRUE},
        {"a session that is silent, and then gone", {{1, 2}, {1, 3}}, TRUE},
        {"a session that is silent, and then stirs", {{1, 2}, {1, 0}, {1, 1}, {1, 2}}, FALSE},
        {"one that goes, and another that goes, too", {{1, 2}, {2, 0}, {3, 0}}, TRUE},
        {"one that goes, and another that lives", {{1, 5}, {2, 3}, {2, 0}, {2, 1}}, FALSE},
        {"one that nothing is known of, for a moment", {{1, -1}}, TRUE},
        {"one that nothing is known of, for longer", {{1, -1}, {1, -1}, {1, -1}, {1, -1}}, FALSE},
        {"a program that is dead for long", {{1, 40}}, TRUE},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        HbStop *stop = hb_stop_new();
        GError *error = NULL;
        HbClaim *claim;

        scripted_reset("", 0);
        scripted_set_holders(cases[i].seen, G_N_ELEMENTS(cases[i].seen));
        claim = hb_claim_take(&scripted_engine, &target, FALSE, stop, NULL, &error);
        if ((claim != NULL) != cases[i].taken)
            fail_msg("%s: %s", cases[i].what, error != NULL ? error->message : "taken");
        assert_true(cases[i].taken || hb_error_is(error, HB_ERROR_BLOCKED));
        g_clear_error(&error);
        hb_claim_release(claim);
        assert_int_equal(scripted_count_sessions(), 0);
        hb_stop_free(stop);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(who_lives_is_told_from_who_is_going),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
