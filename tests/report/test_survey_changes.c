/* SPDX-License-Identifier: Apache-2.0 */
/* What a survey shows otherwise than one that was kept, row by row */
#include "support/check.h"

#include "report/json.h"
#include "report/survey_changes.h"

#include <jansson.h>
#include <string.h>

/* Rows "name|bytes|remarks", parted by ';' */
static HbSurvey make_survey(const char *rows)
{
    HbResultTable *table = hb_result_table_new("tables", "Largest tables"),
                  *kinds = hb_result_table_new("kinds", "Objects by kind");
    HbSurvey survey = {.server = {.product = (char *)"P", .address = (char *)"keeper@old"}, .time = (char *)"now"};
    g_auto(GStrv) all = g_strsplit(rows, ";", -1);

    hb_result_table_add_column(table, "name", "table", HB_COLUMN_TEXT);
    hb_result_table_add_column(table, "bytes", "size", HB_COLUMN_BYTES);
    hb_result_table_add_column(table, "remarks", "remarks", HB_COLUMN_TEXT);
    hb_result_table_add_column(kinds, "kind", "kind", HB_COLUMN_TEXT);
    hb_result_table_add_column(kinds, "count", "objects", HB_COLUMN_COUNT);
    for (guint i = 0; all[i] != NULL && *all[i] != '\0'; i++) {
        g_auto(GStrv) cells = g_strsplit(all[i], "|", 3);
        hb_result_table_add_row(table);
        for (guint c = 0; c < 3; c++)
            hb_result_table_set(table, i, c, *cells[c] != '\0' ? cells[c] : NULL);
    }
    hb_result_table_add_row(kinds);
    hb_result_table_set(kinds, 0, 0, "tables");
    hb_result_table_set_count(kinds, 0, 1, table->rows->len);
    survey.tables = g_ptr_array_new_with_free_func((GDestroyNotify)hb_result_table_free);
    g_ptr_array_add(survey.tables, table);
    g_ptr_array_add(survey.tables, kinds);
    return survey;
}

static void changes_are_told_by_name(void **state)
{
    static const struct {
        const char *before, *now, *page[3];
        guint changes; /* in JSON */
    } cases[] = {
        {"plot|77|;tree|1|", "tree|1|;plot|77|", {"Nothing that a survey shows has changed"}, 0},
        {"plot|77|", "plot|77|;tree|1|", {"new      tree\n", "changed  tables: objects 1 -> 2", "2 changes"}, 2},
        {"plot|77|;tree|1|", "plot|77|", {"gone     tree\n", "changed  tables: objects 2 -> 1"}, 2},
        {"plot|2000|", "plot|4000|unlogged", {"changed  plot: size 2.0 kB -> 4.0 kB, remarks nothing -> unlogged"}, 1},
        {"plot|2000|unlogged", "plot|2001|unlogged", {"Nothing that a survey shows has changed"}, 1},
        {"pl\033ot|1|", "plot|1|", {"gone     pl\\x1Bot", "new      plot"}, 2},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        HbSurvey before = make_survey(cases[i].before), now = make_survey(cases[i].now);
        g_autofree char *kept = hb_json_survey(&before);
        g_autoptr(HbSurveyChanges) changes = hb_survey_changes_find(kept, &now, NULL);
        g_autofree char *page = hb_survey_changes_page(changes, FALSE), *text = hb_survey_changes_json(changes);
        json_t *json = json_loads(text, 0, NULL);
        for (gsize part = 0; part < G_N_ELEMENTS(cases[i].page) && cases[i].page[part] != NULL; part++)
            check_contains(page, cases[i].page[part]);
        assert_int_equal(json_array_size(json_object_get(json, "changes")), cases[i].changes);
        json_decref(json);
        g_ptr_array_unref(before.tables);
        g_ptr_array_unref(now.tables);
    }
}

/* Whatever somebody has put into the file */
static void what_is_no_survey_is_refused_or_looked_over(void **state)
{
    static const char *const refused[] = {"", "[]", "{}", "{\"document\": 7}", "{\"document\": \"dump\"}"};
    static const char *const odd[] = {
        "{\"document\": \"survey\"}",
        "{\"document\": \"survey\", \"server\": 5, \"time\": [], \"tables\": {}, \"kinds\": [7, null, []]}",
        "{\"document\": \"survey\", \"tables\": [{\"name\": {}, \"bytes\": \"x\"}, {\"name\": \"plot\", \"bytes\": "
        "-1}]}"};
    HbSurvey now = make_survey("plot|77|");

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(refused); i++) {
        GError *error = NULL;
        assert_null(hb_survey_changes_find(refused[i], &now, &error));
        check_error(&error, HB_ERROR_FILE, "no survey");
    }
    for (gsize i = 0; i < G_N_ELEMENTS(odd); i++) {
        g_autoptr(HbSurveyChanges) changes = hb_survey_changes_find(odd[i], &now, NULL);
        g_autofree char *page = hb_survey_changes_page(changes, FALSE), *json = hb_survey_changes_json(changes);
        assert_non_null(page);
        assert_non_null(json);
    }
    g_ptr_array_unref(now.tables);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(changes_are_told_by_name),
        cmocka_unit_test(what_is_no_survey_is_refused_or_looked_over),
    };

    return cmocka_run_group_tests(tests, NULL, NULL);
}
