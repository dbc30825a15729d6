/* SPDX-License-Identifier: Apache-2.0 */
/* What people and programs are given to read: pages of text, JSON documents */
#include "support/check.h"

#include "report/json.h"
#include "report/pages.h"

#include <jansson.h>
#include <stdlib.h>
#include <string.h>

static HbManifest *make_manifest(void)
{
    HbManifest *manifest = check_make_manifest();
    HbStoredRows *rows;
    HbChunk *chunk;

    manifest->database = g_strdup("va\033[1mle");
    manifest->parts = HB_PART_SCHEMA | HB_PART_DATA;
    manifest->catalog =
        check_read_catalog("schema garden\ntable garden.plot: schema garden\nrows garden.plot: table garden.plot\n"
                           "view garden.list: table garden.plot");
    hb_catalog_find(manifest->catalog, "table garden.plot")->owner = g_strdup("ida");
    hb_catalog_add_row_set(manifest->catalog, "rows garden.plot", "garden.plot");
    rows = hb_manifest_add_rows(manifest, hb_catalog_get_row_sets(manifest->catalog)->pdata[0]);
    rows->digest.rows = 12345;
    rows->bytes = 1234567;
    chunk = hb_chunk_new("rows/garden.plot/0001.rows.zst");
    chunk->stored = 400000;
    g_ptr_array_add(rows->chunks, chunk);
    return manifest;
}

/* Takes the text; the caller's */
static json_t *parse(char *text, const char *document)
{
    json_error_t problem;
    json_t *root = json_loads(text, JSON_REJECT_DUPLICATES, &problem);

    if (root == NULL)
        fail_msg("no JSON: %s: %s", problem.text, text);
    assert_string_equal(json_string_value(json_object_get(root, "document")), document);
    assert_non_null(json_object_get(root, "hornbeam"));
    g_free(text);
    return root;
}

static void check_page(char *text, const char *const *parts)
{
    check_lacks(text, "\033");
    for (; *parts != NULL; parts++)
        check_contains(text, *parts);
    g_free(text);
}

static void a_dump_is_summed_up(void **state)
{
    static const char *const parts[] = {
        "va\\x1B[1mle at keeper@old, PostgreSQL 15.1", "4 objects; 12,345 rows of 1 table\n",
        "1.2 MB of rows as text, 400 kB stored in 1 chunk", "Written whole: x.dump", NULL};
    static const char *const omitted[] = {"Not in the dump", "cast a to b", "but 1 thing is left out", NULL};
    g_autoptr(HbManifest) manifest = make_manifest();
    json_t *json;

    (void)state;
    check_page(hb_page_dump(manifest, "x.dump", 2.5, FALSE), parts);
    hb_catalog_add_omission(manifest->catalog, "cast a to b", "not yet");
    check_page(hb_page_dump(manifest, "x.dump", 2.5, FALSE), omitted);
    json = parse(hb_json_dump(manifest, "x.dump", 2.5), "dump");
    assert_int_equal(json_integer_value(json_object_get(json, "rows")), 12345);
    assert_int_equal(json_array_size(json_object_get(json, "left_out")), 1);
    json_decref(json);
}

static void a_dump_is_listed_in_its_order(void **state)
{
    static const char *const parts[] = {"      2  structure  table   garden.plot  ida\n",
                                        "      3  rows       rows    garden.plot         12,345  1.2 MB\n", NULL};
    g_autoptr(HbManifest) manifest = make_manifest();
    json_t *json;

    (void)state;
    check_page(hb_page_show(manifest, "x.dump", FALSE), parts);
    json = parse(hb_json_show(manifest, "x.dump"), "show");
    assert_int_equal(json_array_size(json_object_get(json, "order")), 4);
    assert_int_equal(json_array_size(json_object_get(json, "row_sets")), 1);
    json_decref(json);
}

static void needs_are_told_with_their_distance(void **state)
{
    static const char *const parts[] = {"place      4 of 4",
                                        "It needs\n  table garden.plot\n  schema garden  (2 steps away)\n",
                                        "Needed by\n  nothing", NULL};
    g_autoptr(HbManifest) manifest = make_manifest();
    const HbObject *view = hb_catalog_find(manifest->catalog, "view garden.list");
    json_t *json;

    (void)state;
    check_page(hb_page_needs(manifest->catalog, view, FALSE), parts);
    json = parse(hb_json_needs(manifest->catalog, view), "needs");
    assert_int_equal(json_array_size(json_object_get(json, "needs")), 2);
    json_decref(json);
}

/* Many are counted by type and kind, and the first few of each are shown, unless all are asked for. Rows come last */
static void many_differences_are_grouped(void **state)
{
    static const char *const grouped[] = {"missing in TO        index 10, table 1\n", "other rows           rows 2\n",
                                          "index i2: missing in TO\n  and 7 more of kind index: missing in TO\n",
                                          "Different: 13 differences", NULL};
    HbDifference differences[13];
    g_autoptr(GPtrArray) list = g_ptr_array_new(), none = g_ptr_array_new();
    HbVerification verification = {
        .differences = list, .unread = none, .ignored = none, .translated = none, .probes = none, .only_in_to = none};
    g_autofree char *page = NULL, *all = NULL, *unfinished = NULL;

    (void)state;
    for (guint i = 0; i < G_N_ELEMENTS(differences); i++) {
        const char *kind = i < 2 ? "rows r" : i < 12 ? "index i" : "table t";
        differences[i] = (HbDifference){i < 2 ? HB_DIFFERENCE_ROWS : HB_DIFFERENCE_MISSING,
                                        g_strdup_printf("%s%u", kind, i < 2 ? i : i - 2), NULL, NULL, NULL};
        g_ptr_array_add(list, &differences[i]);
    }
    check_page(hb_page_verification(&verification, 2, FALSE, FALSE), grouped);
    all = hb_page_verification(&verification, 2, TRUE, FALSE);
    check_contains(all, "index i9: missing");
    check_lacks(all, "more of kind");
    verification.unfinished = (char *)"dump 4711";
    verification.steps_done = 5;
    unfinished = hb_page_verification(&verification, 2, FALSE, FALSE);
    assert_true(strstr(unfinished, "TO is unfinished") < strstr(unfinished, "compared"));
    check_contains(unfinished, "5 steps done (work dump 4711)");
    g_ptr_array_set_size(list, 12);
    page = hb_page_verification(&verification, 2, FALSE, FALSE);
    check_lacks(page, "more of kind");
    for (guint i = 0; i < G_N_ELEMENTS(differences); i++)
        g_free(differences[i].identity);
}

static void differences_are_shown_side_by_side(void **state)
{
    static const char *const equal[] = {"3 objects; every row of 1 table (7 rows)", "Equal: TO holds what FROM holds",
                                        NULL};
    static const char *const different[] = {
        "table t: defined differently\n      FROM  a int,\n            b int\n      TO    a text,\n",
        "view v: missing in TO",
        "not        passwords: not read on one side",
        "not        role ida: has another name in TO",
        "only in TO membership ida in \\x1B[2Jkeepers: the server's own, and no difference",
        "Different: 2 differences",
        NULL};
    HbVerification verification = {.objects = 3, .tables = 1, .rows = 7};
    HbDifference one = {HB_DIFFERENCE_DEFINITION, (char *)"table t", (char *)"a int,\nb int", (char *)"a text,", NULL};
    HbDifference other = {HB_DIFFERENCE_MISSING, (char *)"view v", NULL, NULL, NULL};
    json_t *json;

    (void)state;
    verification.differences = g_ptr_array_new();
    verification.unread = g_ptr_array_new();
    verification.ignored = g_ptr_array_new();
    verification.translated = g_ptr_array_new();
    verification.probes = g_ptr_array_new();
    verification.only_in_to = g_ptr_array_new();
    check_page(hb_page_verification(&verification, 2, FALSE, FALSE), equal);
    g_ptr_array_add(verification.differences, &one);
    g_ptr_array_add(verification.differences, &other);
    g_ptr_array_add(verification.unread, (gpointer) "passwords");
    g_ptr_array_add(verification.ignored, (gpointer) "role ida");
    g_ptr_array_add(verification.only_in_to, (gpointer) "membership ida in \033[2Jkeepers");
    check_page(hb_page_verification(&verification, 2, FALSE, FALSE), different);
    json = parse(hb_json_verification(&verification), "verify");
    assert_true(json_is_false(json_object_get(json, "equal")));
    assert_int_equal(json_array_size(json_object_get(json, "differences")), 2);
    assert_int_equal(json_array_size(json_object_get(json, "only_in_to")), 1);
    json_decref(json);
    hb_verification_clear(&verification);
}

static void flaws_of_files_are_listed(void **state)
{
    static const char *const parts[] = {"2 files, 30 B, 1 row", "rows/a: its sum differs", "Damaged: x.dump has 1 flaw",
                                        NULL};
    HbFlaw flaw = {(char *)"rows/a", (char *)"its sum differs"};
    HbFileCheck check = {.files = 2, .bytes = 30, .rows = 1, .flaws = g_ptr_array_new()};
    json_t *json;

    (void)state;
    g_ptr_array_add(check.flaws, &flaw);
    check_page(hb_page_files(&check, "x.dump", FALSE), parts);
    json = parse(hb_json_files(&check, "x.dump"), "files");
    assert_true(json_is_false(json_object_get(json, "whole")));
    json_decref(json);
    hb_file_check_clear(&check);
}

static void bytes_that_are_no_text_do_not_break_json(void **state)
{
    HbResultTable *table = hb_result_table_new("tables", "Tables");
    HbSurvey survey = {.server = {.product = (char *)"P", .address = (char *)"\xff"}, .time = (char *)"now"};
    json_t *json, *row;

    (void)state;
    hb_result_table_add_column(table, "name", "name", HB_COLUMN_TEXT);
    hb_result_table_add_column(table, "bytes", "size", HB_COLUMN_BYTES);
    hb_result_table_add_row(table);
    hb_result_table_set(table, 0, 0, "bad \xfe name");
    hb_result_table_set_count(table, 0, 1, 77);
    survey.tables = g_ptr_array_new_with_free_func((GDestroyNotify)hb_result_table_free);
    g_ptr_array_add(survey.tables, table);
    json = parse(hb_json_survey(&survey), "survey");
    row = json_array_get(json_object_get(json, "tables"), 0);
    assert_string_equal(json_string_value(json_object_get(row, "name")), "bad \xef\xbf\xbd name");
    assert_int_equal(json_integer_value(json_object_get(row, "bytes")), 77);
    json_decref(json);
    g_free(hb_page_survey(&survey, TRUE));
    g_ptr_array_unref(survey.tables);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_dump_is_summed_up),
        cmocka_unit_test(a_dump_is_listed_in_its_order),
        cmocka_unit_test(needs_are_told_with_their_distance),
        cmocka_unit_test(differences_are_shown_side_by_side),
        cmocka_unit_test(many_differences_are_grouped),
        cmocka_unit_test(flaws_of_files_are_listed),
        cmocka_unit_test(bytes_that_are_no_text_do_not_break_json),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
