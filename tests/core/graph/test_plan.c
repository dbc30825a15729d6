/* SPDX-License-Identifier: Apache-2.0 */
#include "support/check.h"

#include "core/graph/plan.h"

/* Steps a..h by their cost; needs "ba" means b needs a; "~ba" softly */
typedef struct {
    const char *claim;
    guint64 costs[8]; /* ended by 0 */
    const char *needs;
    gboolean in_order;
    const char *failing; /* steps that fail */
    const char *taken;   /* in the order of taking, one at a time */
    const char *left_out;
} Case;

static const Case cases[] = {
    {"the longest remaining path first", {1, 5, 2, 9}, "ca dc", FALSE, "", "acdb", ""},
    {"a single large step beats a shorter tail", {3, 8, 2, 2}, "ca dc", FALSE, "", "bacd", ""},
    {"in order, numbers decide", {1, 9, 5}, "", TRUE, "", "abc", ""},
    {"in order, needs come first all the same", {1, 1, 1}, "ab", TRUE, "", "bac", ""},
    {"what needs a failed step is left out, and what needs that", {1, 1, 1, 1}, "ba cb", TRUE, "a", "ad", "bc"},
    {"a soft need only has to be settled", {1, 1, 1}, "~ba cb", TRUE, "a", "abc", ""},
    {"a soft need of a step that is left out is settled", {1, 1, 1}, "ba ~cb", TRUE, "a", "ac", "b"},
    {"one failed need of two is enough", {1, 1, 1, 1}, "ca cb dc", TRUE, "b", "ab", "cd"},
};

static HbPlan *make_plan(const Case *one)
{
    g_auto(GStrv) needs = g_strsplit(one->needs, " ", -1);
    HbPlan *plan = hb_plan_new();

    for (int i = 0; i < 8 && one->costs[i] > 0; i++)
        hb_plan_add_step(plan, NULL, one->costs[i]);
    for (char **need = needs; *need != NULL && **need != '\0'; need++) {
        if (**need == '~')
            hb_plan_add_soft_need(plan, (guint)((*need)[1] - 'a'), (guint)((*need)[2] - 'a'));
        else
            hb_plan_add_need(plan, (guint)((*need)[0] - 'a'), (guint)((*need)[1] - 'a'));
    }
    assert_true(hb_plan_seal(plan, one->in_order, NULL));
    return plan;
}

static void steps_run_in_the_right_order(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(HbPlan) plan = make_plan(&cases[i]);
        g_autoptr(GString) taken = g_string_new(NULL), left_out = g_string_new(NULL);
        guint step;
        while (hb_plan_take(plan, &step)) {
            g_string_append_c(taken, (char)('a' + step));
            hb_plan_settle(plan, step, strchr(cases[i].failing, 'a' + (int)step) ? HB_STEP_FAILED : HB_STEP_DONE);
        }
        for (guint s = 0; s < hb_plan_count(plan); s++) {
            if (hb_plan_get_state(plan, s) == HB_STEP_LEFT_OUT)
                g_string_append_c(left_out, (char)('a' + s));
        }
        assert_string_equal(taken->str, cases[i].taken);
        assert_string_equal(left_out->str, cases[i].left_out);
        assert_int_equal(hb_plan_count_open(plan), 0);
    }
}

static void the_culprit_is_the_step_that_failed(void **state)
{
    g_autoptr(HbPlan) plan = make_plan(&cases[4]);
    guint step;

    (void)state;
    assert_true(hb_plan_take(plan, &step));
    hb_plan_settle(plan, step, HB_STEP_FAILED);
    assert_int_equal(hb_plan_get_culprit(plan, 2), 0);
}

static void exclusive_claims_exclude_and_shared_ones_do_not(void **state)
{
    g_autoptr(HbPlan) plan = hb_plan_new();
    guint step;

    (void)state;
    for (int i = 0; i < 4; i++)
        hb_plan_add_step(plan, NULL, 10 - (guint64)i);
    hb_plan_add_claim(plan, 0, "table t", FALSE);
    hb_plan_add_claim(plan, 1, "table t", TRUE);
    hb_plan_add_claim(plan, 2, "table t", FALSE);
    hb_plan_add_claim(plan, 3, "table t", FALSE);
    hb_plan_add_claim(plan, 3, "table t", TRUE); /* the stronger claim counts */
    assert_true(hb_plan_seal(plan, FALSE, NULL));
    assert_true(hb_plan_take(plan, &step));
    assert_int_equal(step, 0);
    assert_true(hb_plan_take(plan, &step));
    assert_int_equal(step, 2);
    assert_false(hb_plan_take(plan, &step));
    hb_plan_settle(plan, 0, HB_STEP_DONE);
    assert_false(hb_plan_take(plan, &step));
    hb_plan_put_back(plan, 2);
    assert_true(hb_plan_take(plan, &step));
    assert_int_equal(step, 1);
    assert_false(hb_plan_take(plan, &step));
    hb_plan_settle(plan, 1, HB_STEP_FAILED);
    assert_true(hb_plan_take(plan, &step));
    assert_int_equal(step, 2);
}

static void a_circle_is_an_error(void **state)
{
    g_autoptr(HbPlan) plan = hb_plan_new();
    GError *error = NULL;

    (void)state;
    for (int i = 0; i < 5; i++)
        hb_plan_add_step(plan, NULL, 1);
    hb_plan_add_need(plan, 0, 1);
    hb_plan_add_soft_need(plan, 1, 0);
    hb_plan_add_need(plan, 3, 4);
    assert_false(hb_plan_seal(plan, FALSE, &error));
    check_error(&error, HB_ERROR_CIRCLE, "2 steps");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(steps_run_in_the_right_order),
        cmocka_unit_test(the_culprit_is_the_step_that_failed),
        cmocka_unit_test(exclusive_claims_exclude_and_shared_ones_do_not),
        cmocka_unit_test(a_circle_is_an_error),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
