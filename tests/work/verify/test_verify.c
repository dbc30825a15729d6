/* SPDX-License-Identifier: Apache-2.0 */
/* Verify on the scripted engine, and the parts of the work that stand alone: stops, steps */
#include "support/check.h"
#include "support/scripted.h"

#include "work/dump/dump.h"
#include "work/restore/restore_plan.h"
#include "work/verify/verify.h"

static const char garden[] =
    "schema garden\ntable tree: schema garden\nrows tree: table tree\nkey tree.pk: table tree, rows tree\n"
    "index tree.by_age: table tree, rows tree\ntable plot: schema garden\nrows plot: table plot\n"
    "rows all: rows tree, rows plot";

static HbVerification verify(HbStop *stop, GError **error)
{
    const HbVerifyOptions options = {.from = {.engine = &scripted_engine, .address = {.uri = "scripted://source/vale"}},
                                     .to = {.engine = &scripted_engine, .address = {.uri = "scripted://source/copy"}},
                                     .parts = HB_PART_ALL,
                                     .jobs = 2,
                                     .stop = stop};
    HbVerification result = {0};

    hb_verify_run(&options, &result, error);
    return result;
}

static void equal_servers_are_equal(void **state)
{
    HbStop *stop = hb_stop_new();
    HbVerification result;
    GError *error = NULL;

    (void)state;
    scripted_reset(garden, 333);
    result = verify(stop, &error);
    check_no_error(error);
    assert_int_equal(result.differences->len, 0);
    assert_int_equal(result.rows, 3 * 333);
    assert_int_equal(scripted_count_sessions(), 0);
    hb_verification_clear(&result);
    hb_stop_free(stop);
}

static void what_fails_on_one_side_ends_both(void **state)
{
    static const struct {
        ScriptedPoint point;
        guint at;
        HbErrorCode code;
    } failures[] = {{SCRIPTED_OPEN, 1, HB_ERROR_CONNECT},
                    {SCRIPTED_OPEN, 5, HB_ERROR_CONNECT},
                    {SCRIPTED_CATALOG, 2, HB_ERROR_RIGHTS},
                    {SCRIPTED_READ, 500, HB_ERROR_STATEMENT}};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(failures); i++) {
        HbStop *stop = hb_stop_new();
        HbVerification result;
        GError *error = NULL;
        scripted_reset(garden, 333);
        scripted_fail(failures[i].point, failures[i].at, 100000, failures[i].code);
        result = verify(stop, &error);
        check_error(&error, failures[i].code, "scripted failure");
        assert_int_equal(scripted_count_sessions(), 0);
        hb_verification_clear(&result);
        hb_stop_free(stop);
    }
}

static void a_stop_wakes_whoever_sleeps(void **state)
{
    HbStop *stop = hb_stop_new();

    (void)state;
    assert_true(hb_stop_sleep(stop, 1));
    hb_stop_trigger(stop);
    hb_stop_trigger_by_user(stop);
    assert_false(hb_stop_sleep(stop, 100000));
    assert_false(hb_stop_is_by_user(stop));
    hb_stop_free(stop);
}

static HbManifest *dump(const char *path)
{
    HbStop *stop = hb_stop_new();
    const HbDumpOptions options = {.source = {.engine = &scripted_engine,
                                              .from = {.uri = "scripted://source/vale"},
                                              .parts = HB_PART_ALL,
                                              .jobs = 1,
                                              .stop = stop},
                                   .path = path,
                                   .chunk_bytes = 1000};
    GError *error = NULL;
    HbManifest *manifest = hb_dump_run(&options, &error);

    check_no_error(error);
    hb_stop_free(stop);
    return manifest;
}

/* Steps as they may be taken: those that are ready together stand between the same two commas */
static char *list_rounds(HbRestorePlan *steps)
{
    GString *text = g_string_new(NULL);

    while (hb_plan_count_open(steps->plan) > 0) {
        g_autoptr(GArray) taken = g_array_new(FALSE, FALSE, sizeof(guint));
        gsize before = text->len;
        guint number;
        while (hb_plan_take(steps->plan, &number))
            g_array_append_val(taken, number);
        assert_true(taken->len > 0);
        for (guint i = 0; i < taken->len; i++) {
            const HbStep *step = hb_plan_get_what(steps->plan, g_array_index(taken, guint, i));
            if (step->type == HB_STEP_TYPE_CHUNK)
                g_string_append_printf(text, "%s ", step->rows->set->table);
            else if (step->key != NULL)
                g_string_append_printf(text, "%s ", step->key);
            hb_plan_settle(steps->plan, g_array_index(taken, guint, i), HB_STEP_DONE);
        }
        if (text->len > before)
            g_string_append(text, "| ");
    }
    return g_string_free(text, FALSE);
}

/* A key locks its table, an index shares it; figures are refreshed for the whole of a partitioned table at once */
static void steps_that_would_wait_for_locks_are_not_run_together(void **state)
{
    char *folder = check_make_folder();
    g_autofree char *path = g_build_filename(folder, "d", NULL), *rounds = NULL;
    g_autoptr(HbManifest) manifest = NULL;
    HbRestorePlan *steps;

    (void)state;
    scripted_reset(garden, 10);
    manifest = dump(path);
    steps = hb_restore_plan_new(manifest, &scripted_engine, &(HbRestorePlanOptions){.analyze = TRUE, .in_order = TRUE},
                                NULL);
    rounds = list_rounds(steps);
    assert_string_equal(rounds,
                        "schema garden | table plot table tree | plot tree | all key tree.pk | index tree.by_age | "
                        "analyze all | ");
    hb_restore_plan_free(steps);
    check_remove_folder(folder);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(equal_servers_are_equal),
        cmocka_unit_test(what_fails_on_one_side_ends_both),
        cmocka_unit_test(a_stop_wakes_whoever_sleeps),
        cmocka_unit_test(steps_that_would_wait_for_locks_are_not_run_together),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
