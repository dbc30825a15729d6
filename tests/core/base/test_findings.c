/* SPDX-License-Identifier: Apache-2.0 */
/* Findings: their order, what counts as open, what can be accepted */
#include "support/check.h"

#include "core/base/findings.h"

static char *list_objects(const GPtrArray *findings)
{
    GString *text = g_string_new(NULL);

    for (guint i = 0; i < findings->len; i++) {
        const HbFinding *finding = findings->pdata[i];
        g_string_append_printf(text, "%s%s%s", i > 0 ? " " : "", finding->object, finding->accepted ? "+" : "");
    }
    return g_string_free(text, FALSE);
}

/* note a, blocker b, warning c, blocker d (final), note e */
static GPtrArray *make_findings(void)
{
    GPtrArray *findings = hb_findings_new();

    hb_findings_add(findings, HB_FINDING_NOTE, "duration", "a", "one %s", "note");
    hb_findings_add(findings, HB_FINDING_BLOCKER, "role-missing", "b", "is missing");
    hb_findings_add(findings, HB_FINDING_WARNING, "role-differs", "c", "differs");
    hb_findings_add(findings, HB_FINDING_BLOCKER, "role-missing", "d", "is missing")->is_final = TRUE;
    hb_findings_add(findings, HB_FINDING_NOTE, "room", "e", "another note");
    return findings;
}

static void blockers_come_first_and_equals_keep_their_order(void **state)
{
    g_autoptr(GPtrArray) findings = make_findings();
    g_autofree char *text = NULL;

    (void)state;
    hb_findings_sort(findings);
    text = list_objects(findings);
    assert_string_equal(text, "b d c a e");
    assert_int_equal(hb_findings_count(findings, HB_FINDING_BLOCKER), 2);
    assert_int_equal(hb_findings_count(findings, HB_FINDING_WARNING), 1);
    assert_int_equal(hb_findings_count(findings, HB_FINDING_NOTE), 2);
    assert_string_equal(((const HbFinding *)findings->pdata[3])->what, "one note");
    assert_string_equal(hb_finding_level_get_name(HB_FINDING_WARNING), "warning");
    assert_string_equal(hb_finding_level_get_plural(HB_FINDING_NOTE), "Notes");
}

static void only_what_is_meant_is_accepted(void **state)
{
    static const struct {
        const char *accepted, *objects;
        guint open;
    } cases[] = {
        {"role-missing", "a b+ c d e", 1},
        {"role-missing:b", "a b+ c d e", 1},
        {"role-missing:*", "a b+ c d e", 1},
        {"role-missing:x", "a b c d e", 2},
        {"role", "a b c d e", 2},
        {"role-missing-too", "a b c d e", 2},
        {"role-differs", "a b c+ d e", 2},
        {"", "a b c d e", 2},
        {"role-missingb", "a b c d e", 2},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        char *const accepted[] = {(char *)"nothing-has-this-name", (char *)cases[i].accepted, NULL};
        g_autoptr(GPtrArray) findings = make_findings();
        g_autofree char *text = NULL;
        hb_findings_accept(findings, accepted);
        text = list_objects(findings);
        assert_string_equal(text, cases[i].objects);
        assert_int_equal(hb_findings_count_open(findings), cases[i].open);
        hb_findings_accept(findings, NULL);
        assert_int_equal(hb_findings_count_open(findings), cases[i].open);
    }
}

static void advice_replaces_advice(void **state)
{
    g_autoptr(GPtrArray) findings = make_findings();
    HbFinding *finding = findings->pdata[0];

    (void)state;
    hb_finding_advise(finding, "wait", "SELECT 1;");
    assert_string_equal(finding->sql, "SELECT 1;");
    hb_finding_advise(finding, "go on", NULL);
    assert_string_equal(finding->todo, "go on");
    assert_null(finding->sql);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(blockers_come_first_and_equals_keep_their_order),
        cmocka_unit_test(only_what_is_meant_is_accepted),
        cmocka_unit_test(advice_replaces_advice),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
