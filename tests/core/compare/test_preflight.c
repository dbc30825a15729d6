/* SPDX-License-Identifier: Apache-2.0 */
/* What catalogs alone say of a restore to come */
#include "support/check.h"

#include "core/compare/preflight.h"
#include "engine/postgres/dialect/dialect.h"

static char *tell(const GPtrArray *findings)
{
    GString *text = g_string_new(NULL);

    for (guint i = 0; i < findings->len; i++) {
        const HbFinding *finding = findings->pdata[i];
        g_string_append_printf(text, "%s%s: %s", i > 0 ? "; " : "", finding->name, finding->object);
    }
    return g_string_free(text, FALSE);
}

static void define(HbCatalog *catalog, const char *identity, const char *on, const char *definition)
{
    HbObject *object = (HbObject *)hb_catalog_find(catalog, identity);

    g_free(object->on);
    g_free(object->definition);
    object->on = g_strdup(on);
    object->definition = g_strdup(definition);
}

static void what_should_be_known_of_objects_is_told(void **state)
{
    static const struct {
        const char *lines, *keyed, *told; /* keyed: an object that has a unique key of table t; NULL: none */
    } cases[] = {
        {"table t", NULL, "no-key: t"},
        {"table t\nkey t.pk: table t", "key t.pk", ""},
        {"table t\nindex t.i: table t", "index t.i", ""},
        {"table t\nindex t.i: table t", NULL, "no-key: t"},
        {"table t\nview v: table t", "view v", "no-key: t"},
        {"function f()\ntable t\ncheck t.c: table t, function f()", NULL, "code-runs: f(); no-key: t"},
        {"function f()\nfunction g()\ntable t\nindex t.i: function f()\nindex t.j: function f(), function g()",
         "index t.i", "code-runs: f(), g()"},
        {"function f()\nview v: function f()", NULL, ""},
        {"domain d\ntable t\ncheck t.c: domain d", NULL, "no-key: t"},
        {"foreign-server s\nsubscription u", NULL, "foreign-host: foreign-server s; foreign-host: subscription u"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(HbCatalog) catalog = check_read_catalog(cases[i].lines);
        g_autoptr(GPtrArray) findings = hb_findings_new();
        g_autofree char *told = NULL;
        hb_catalog_add_row_set(catalog, "rows t", "t");
        if (cases[i].keyed != NULL)
            define(catalog, cases[i].keyed, "table t", "CREATE UNIQUE INDEX ON t (a);");
        hb_preflight_check_objects(catalog, &hb_pg_dialect, findings);
        told = tell(findings);
        assert_string_equal(told, cases[i].told);
    }
}

static void room_is_judged_by_what_indexes_will_need(void **state)
{
    static const struct {
        guint64 bytes, free;
        const char *told; /* the level; "": nothing is said */
    } cases[] = {
        {1000, G_MAXUINT64, "note"}, {1000, 999, "blocker"}, {1000, 1000, "warning"},
        {1000, 1001, "warning"},     {1000, 100000, ""},     {0, 0, ""},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(GPtrArray) findings = hb_findings_new();
        hb_preflight_judge_room(cases[i].bytes, cases[i].free, findings);
        assert_string_equal(
            findings->len > 0 ? hb_finding_level_get_name(((const HbFinding *)findings->pdata[0])->level) : "",
            cases[i].told);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_should_be_known_of_objects_is_told),
        cmocka_unit_test(room_is_judged_by_what_indexes_will_need),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
