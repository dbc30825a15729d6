/* SPDX-License-Identifier: Apache-2.0 */
/* Dump, restore and verify on the scripted engine: what happens when the Nth thing fails */
#include "support/check.h"
#include "support/scripted.h"

#include "work/dump/dump.h"
#include "work/restore/restore.h"
#include "work/verify/verify.h"

#include <glib/gstdio.h>
#include <string.h>

static const char garden[] = "role keeper\n"
                             "schema garden\n"
                             "table tree: schema garden\n"
                             "table plot: schema garden\n"
                             "rows tree: table tree\n"
                             "rows plot: table plot\n"
                             "key tree.pk: table tree, rows tree\n"
                             "key plot.pk: table plot, rows plot\n"
                             "foreign-key tree.plot: table tree, table plot, rows tree, rows plot, key plot.pk\n"
                             "view list: table tree\n"
                             "event-trigger watch\n"
                             "comment event-trigger watch: event-trigger watch\n"
                             "database-setting zone";

#define ROWS 250

typedef struct {
    char *folder;
    char *path; /* of the dump */
    HbStop *stop;
    HbObservers *observers; /* of restore(); may be NULL */
} Bench;

static Bench bench;

static int begin(void **state)
{
    (void)state;
    scripted_reset(garden, ROWS);
    bench.folder = check_make_folder();
    bench.path = g_build_filename(bench.folder, "vale.dump", NULL);
    bench.stop = hb_stop_new();
    return 0;
}

static int end(void **state)
{
    (void)state;
    assert_int_equal(scripted_count_sessions(), 0);
    hb_stop_free(bench.stop);
    g_free(bench.path);
    check_remove_folder(bench.folder);
    return 0;
}

static HbManifest *dump(guint jobs, GError **error)
{
    const HbDumpOptions options = {.source = {.engine = &scripted_engine,
                                              .from = {.uri = "scripted://source/vale"},
                                              .parts = HB_PART_ALL,
                                              .jobs = jobs,
                                              .stop = bench.stop},
                                   .path = bench.path,
                                   .level = 1,
                                   .chunk_bytes = 1500};

    return hb_dump_run(&options, error);
}

static void dump_well(void)
{
    GError *error = NULL;
    g_autoptr(HbManifest) manifest = dump(2, &error);

    check_no_error(error);
    assert_non_null(manifest);
}

typedef struct {
    gboolean opened;
    gboolean ok;
    HbRestoreResult result;
    guint failed, left_out, kept;
    GError *error;
} Outcome;

static void count_outcomes(Outcome *outcome)
{
    for (guint i = 0; outcome->result.exceptions != NULL && i < outcome->result.exceptions->len; i++) {
        HbOutcome one = ((HbException *)outcome->result.exceptions->pdata[i])->outcome;
        outcome->failed += one == HB_OUTCOME_FAILED;
        outcome->left_out += one == HB_OUTCOME_LEFT_OUT;
        outcome->kept += one == HB_OUTCOME_KEPT;
    }
}

static Outcome restore_as(guint jobs, gboolean resume, gboolean join)
{
    Outcome outcome = {0};
    g_autoptr(HbReader) reader = hb_reader_open(bench.path, NULL, &outcome.error);
    const HbRestoreOptions options = {.manifest = hb_reader_get_manifest(reader),
                                      .dump = reader,
                                      .engine = &scripted_engine,
                                      .to = {.uri = "scripted://target/vale"},
                                      .parts = HB_PART_ALL,
                                      .jobs = jobs,
                                      .resume = resume,
                                      .join = join,
                                      .analyze = TRUE,
                                      .stop = bench.stop,
                                      .observers = bench.observers};
    HbRestore *run;

    check_no_error(outcome.error);
    run = hb_restore_open(&options, &outcome.error);
    outcome.opened = run != NULL;
    if (run != NULL && hb_restore_is_blocked(run)) {
        hb_restore_set_blocked_error(run, &outcome.error);
        outcome.opened = FALSE;
    } else if (run != NULL) {
        outcome.ok = hb_restore_run(run, &outcome.result, &outcome.error);
    }
    count_outcomes(&outcome);
    hb_restore_free(run);
    return outcome;
}

static Outcome restore(guint jobs, gboolean resume)
{
    return restore_as(jobs, resume, FALSE);
}

static void outcome_clear(Outcome *outcome)
{
    hb_restore_result_clear(&outcome->result);
    g_clear_error(&outcome->error);
}

static void check_whole(void)
{
    assert_int_equal(scripted_count_loaded("tree"), ROWS);
    assert_int_equal(scripted_count_loaded("plot"), ROWS);
    assert_false(scripted_has_journal());
}

/* ---- Dumping ---- */

static void a_dump_holds_every_object_and_row(void **state)
{
    g_autoptr(HbReader) reader = NULL;
    const HbManifest *manifest;
    HbFileCheck check = {0};
    GError *error = NULL;

    (void)state;
    dump_well();
    reader = hb_reader_open(bench.path, NULL, &error);
    check_no_error(error);
    manifest = hb_reader_get_manifest(reader);
    assert_int_equal(hb_catalog_count(manifest->catalog), 13);
    assert_int_equal(hb_manifest_count_rows(manifest), 2 * ROWS);
    assert_true(hb_manifest_count_chunks(manifest) > 4);
    assert_string_equal(hb_catalog_find(manifest->catalog, "table tree")->definition, "create table tree;");
    assert_true(hb_verify_files(reader, 2, bench.stop, NULL, &check, &error));
    assert_int_equal(check.flaws->len, 0);
    assert_int_equal(check.rows, 2 * ROWS);
    hb_file_check_clear(&check);
}

static void a_dump_by_one_worker_is_the_same_every_time(void **state)
{
    g_autoptr(HbManifest) one = dump(1, NULL), two = NULL;
    g_autofree char *first = bench.path;

    (void)state;
    bench.path = g_strconcat(first, "2", NULL);
    two = dump(1, NULL);
    for (guint i = 0; i < one->rows->len; i++) {
        const HbStoredRows *a = one->rows->pdata[i], *b = two->rows->pdata[i];
        assert_true(hb_digest_is_equal(&a->digest, &b->digest));
        assert_int_equal(a->chunks->len, b->chunks->len);
        for (guint c = 0; c < a->chunks->len; c++)
            assert_string_equal(((HbChunk *)a->chunks->pdata[c])->file, ((HbChunk *)b->chunks->pdata[c])->file);
    }
}

static guint count_entries(const char *folder)
{
    GDir *dir = g_dir_open(folder, 0, NULL);
    guint count = 0;

    while (g_dir_read_name(dir) != NULL)
        count++;
    g_dir_close(dir);
    return count;
}

static void a_dump_that_fails_leaves_nothing(void **state)
{
    static const struct {
        ScriptedPoint point;
        guint at;
        HbErrorCode code;
    } failures[] = {{SCRIPTED_OPEN, 1, HB_ERROR_CONNECT},      {SCRIPTED_OPEN, 2, HB_ERROR_CONNECT},
                    {SCRIPTED_OPEN, 4, HB_ERROR_CONNECT},      {SCRIPTED_CATALOG, 1, HB_ERROR_STATEMENT},
                    {SCRIPTED_READ, 1, HB_ERROR_STATEMENT},    {SCRIPTED_READ, 137, HB_ERROR_STATEMENT},
                    {SCRIPTED_READ, 2 * ROWS, HB_ERROR_RIGHTS}};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(failures); i++) {
        GError *error = NULL;
        scripted_reset(garden, ROWS);
        scripted_fail(failures[i].point, failures[i].at, 1000, failures[i].code);
        assert_null(dump(2, &error));
        check_error(&error, failures[i].code, "scripted failure");
        assert_int_equal(count_entries(bench.folder), 0);
        hb_stop_free(bench.stop);
        bench.stop = hb_stop_new();
    }
}

static void a_lost_connection_is_opened_again_while_dumping(void **state)
{
    g_autoptr(HbManifest) manifest = NULL;
    GError *error = NULL;

    (void)state;
    scripted_fail(SCRIPTED_READ, 120, 1, HB_ERROR_LOST);
    manifest = dump(1, &error);
    check_no_error(error);
    assert_int_equal(hb_manifest_count_rows(manifest), 2 * ROWS);
}

static void a_dump_never_overwrites(void **state)
{
    GError *error = NULL;

    (void)state;
    g_mkdir(bench.path, 0700);
    assert_null(dump(1, &error));
    check_error(&error, HB_ERROR_FILE, "exists already");
    assert_int_equal(count_entries(bench.path), 0);
}

/* ---- Restoring ---- */

static void one_worker_restores_in_the_order_of_the_files(void **state)
{
    Outcome outcome;
    g_autofree char *run = NULL;

    (void)state;
    dump_well();
    outcome = restore(1, FALSE);
    check_no_error(outcome.error);
    assert_true(outcome.ok);
    run = scripted_get_run();
    assert_string_equal(run,
                        "create role keeper;\ncreate schema garden;\ncreate table plot;\ncreate table tree;\n"
                        "create view list;\ncreate key plot.pk;\ncreate key tree.pk;\ncreate foreign-key tree.plot;\n"
                        "create event-trigger watch;\ncreate comment event-trigger watch;\n"
                        "create database-setting zone;\nanalyze plot;\nanalyze tree;\n");
    check_whole();
    outcome_clear(&outcome);
}

static void many_workers_restore_the_same(void **state)
{
    (void)state;
    dump_well();
    for (guint jobs = 2; jobs <= 8; jobs += 3) {
        Outcome outcome;
        scripted_reset(garden, ROWS);
        outcome = restore(jobs, FALSE);
        check_no_error(outcome.error);
        assert_true(outcome.ok);
        assert_int_equal(outcome.failed + outcome.left_out, 0);
        assert_int_equal(outcome.result.rows, 2 * ROWS);
        check_whole();
        outcome_clear(&outcome);
    }
}

static void a_failed_step_leaves_out_what_needs_it_and_can_be_resumed(void **state)
{
    Outcome outcome;

    (void)state;
    dump_well();
    scripted_fail_statement("create key plot.pk", HB_ERROR_STATEMENT);
    outcome = restore(2, FALSE);
    assert_true(outcome.ok);
    assert_int_equal(outcome.failed, 1);
    assert_int_equal(outcome.left_out, 1);
    assert_true(scripted_has_journal());
    outcome_clear(&outcome);

    scripted_fail_statement(NULL, HB_ERROR_STATEMENT);
    outcome = restore(2, FALSE);
    assert_false(outcome.opened);
    check_error(&outcome.error, HB_ERROR_BLOCKED, "unfinished restore");
    outcome_clear(&outcome);

    outcome = restore(2, TRUE);
    check_no_error(outcome.error);
    assert_true(outcome.ok);
    assert_int_equal(outcome.result.done, 2);
    check_whole();
    outcome_clear(&outcome);
}

static const char beds[] = "table tree:\n"
                           "rows tree: table tree\n"
                           "index tree.a: table tree, rows tree\n"
                           "index tree.b: table tree, rows tree\n"
                           "index tree.c: table tree, rows tree\n";

static char *list_failed(const Outcome *outcome)
{
    GString *list = g_string_new(NULL);

    for (guint i = 0; i < outcome->result.exceptions->len; i++) {
        const HbException *one = outcome->result.exceptions->pdata[i];
        if (one->outcome == HB_OUTCOME_FAILED)
            g_string_append_printf(list, "%s;", one->what);
    }
    return g_string_free(list, FALSE);
}

static guint count_runs(const char *statement)
{
    g_autofree char *run = scripted_get_run();
    g_auto(GStrv) lines = g_strsplit(run, "\n", -1);
    guint count = 0;

    for (char **line = lines; *line != NULL; line++)
        count += strcmp(*line, statement) == 0;
    return count;
}

/* Of several that one statement makes; and whatever breaks off meanwhile, the others are made once, and the bad one is
 * told of until it can be made */
static void one_that_cannot_be_made_keeps_no_other_from_being_made(void **state)
{
    static const ScriptedPoint points[] = {SCRIPTED_STEP, SCRIPTED_COMMIT};

    (void)state;
    scripted_reset(beds, ROWS);
    dump_well();
    for (gsize p = 0; p < G_N_ELEMENTS(points); p++) {
        for (guint at = 0; at <= 9; at++) {
            g_autofree char *failed = NULL;
            Outcome outcome;

            scripted_reset(beds, ROWS);
            scripted_fail_statement("create index tree.b;", HB_ERROR_STATEMENT);
            if (at > 0)
                scripted_fail(points[p], at, 1, HB_ERROR_LOST);
            outcome = restore(2, FALSE);
            check_no_error(outcome.error);
            failed = list_failed(&outcome);
            assert_string_equal(failed, "index tree.b;");
            assert_int_equal(count_runs("create index tree.a;"), 1);
            assert_int_equal(count_runs("create index tree.c;"), 1);
            assert_int_equal(count_runs("create index tree.b;"), 0);
            outcome_clear(&outcome);
            scripted_fail_statement(NULL, HB_ERROR_STATEMENT);
            outcome = restore(2, TRUE);
            check_no_error(outcome.error);
            assert_int_equal(outcome.failed + outcome.left_out, 0);
            assert_false(scripted_has_journal());
            outcome_clear(&outcome);
        }
    }
}

static void what_fails_for_a_passing_reason_is_tried_again(void **state)
{
    static const struct {
        ScriptedPoint point;
        guint at, times;
        HbErrorCode code;
    } failures[] = {{SCRIPTED_STEP, 3, 2, HB_ERROR_RETRY},
                    {SCRIPTED_STEP, 5, 1, HB_ERROR_LOST},
                    {SCRIPTED_WRITE, 4, 1, HB_ERROR_LOST},
                    {SCRIPTED_COMMIT, 2, 1, HB_ERROR_LOST},
                    {SCRIPTED_COMMIT, 9, 1, HB_ERROR_LOST}};

    (void)state;
    dump_well();
    for (gsize i = 0; i < G_N_ELEMENTS(failures); i++) {
        Outcome outcome;
        scripted_reset(garden, ROWS);
        scripted_fail(failures[i].point, failures[i].at, failures[i].times, failures[i].code);
        outcome = restore(2, FALSE);
        check_no_error(outcome.error);
        assert_int_equal(outcome.failed + outcome.left_out, 0);
        check_whole();
        outcome_clear(&outcome);
    }
}

static void commits_that_a_crash_takes_back_are_done_again(void **state)
{
    Outcome outcome;
    g_autofree char *run = NULL;
    g_auto(GStrv) lines = NULL;

    (void)state;
    dump_well();
    scripted_fail(SCRIPTED_STEP, 5, 1, HB_ERROR_LOST);
    scripted_forget(3);
    outcome = restore(2, FALSE);
    check_no_error(outcome.error);
    assert_int_equal(outcome.failed + outcome.left_out, 0);
    check_whole();
    run = scripted_get_run();
    lines = g_strsplit(run, "\n", -1);
    assert_int_equal(g_strv_length(lines), 13 + 1);
    outcome_clear(&outcome);
}

/* Before a worker's session has done anything */
static void a_connection_may_break_as_soon_as_it_is_there(void **state)
{
    (void)state;
    dump_well();
    for (guint at = 1; at <= 3; at++) {
        Outcome outcome;

        scripted_reset(garden, ROWS);
        scripted_fail(SCRIPTED_SERVE, at, 1, HB_ERROR_LOST);
        outcome = restore(2, FALSE);
        check_no_error(outcome.error);
        assert_int_equal(outcome.failed + outcome.left_out, 0);
        check_whole();
        outcome_clear(&outcome);
    }
}

/* As one of several hosts: what broke off in a table without transactions is done again once nobody else is there */
static void a_host_of_several_finishes_whatever_breaks_off(void **state)
{
    static const HbErrorCode codes[] = {HB_ERROR_LEFTOVER, HB_ERROR_LOST, HB_ERROR_RETRY};

    (void)state;
    dump_well();
    for (gsize c = 0; c < G_N_ELEMENTS(codes); c++) {
        for (guint at = 2; at <= 13; at++) {
            Outcome outcome;

            scripted_reset(garden, ROWS);
            scripted_fail(SCRIPTED_STEP, at, 1, codes[c]);
            outcome = restore_as(2, TRUE, TRUE);
            check_no_error(outcome.error);
            assert_int_equal(outcome.failed + outcome.left_out, 0);
            assert_int_equal(outcome.result.elsewhere, 0);
            check_whole();
            outcome_clear(&outcome);
        }
    }
}

static void a_server_that_stays_away_stops_the_restore_which_goes_on_later(void **state)
{
    Outcome outcome;
    guint done;

    (void)state;
    dump_well();
    scripted_fail(SCRIPTED_STEP, 6, 100000, HB_ERROR_LOST);
    scripted_fail(SCRIPTED_OPEN, 5, 100000, HB_ERROR_CONNECT);
    outcome = restore(1, FALSE);
    assert_false(outcome.ok);
    check_error(&outcome.error, HB_ERROR_LOST, "scripted failure");
    assert_true(outcome.result.open > 0);
    assert_int_equal(outcome.failed, 0);
    done = outcome.result.done;
    outcome_clear(&outcome);
    hb_stop_free(bench.stop);
    bench.stop = hb_stop_new();

    scripted_fail(SCRIPTED_STEP, 0, 0, 0);
    scripted_fail(SCRIPTED_OPEN, 0, 0, 0);
    outcome = restore(2, TRUE);
    check_no_error(outcome.error);
    assert_int_equal(outcome.result.done_before, done);
    check_whole();
    outcome_clear(&outcome);
}

static void a_role_that_exists_is_kept(void **state)
{
    Outcome outcome;

    (void)state;
    dump_well();
    scripted_set_role("keeper");
    outcome = restore(2, FALSE);
    assert_true(outcome.ok);
    assert_int_equal(outcome.kept, 1);
    assert_int_equal(outcome.failed, 0);
    check_whole();
    outcome_clear(&outcome);
}

static void a_target_that_holds_something_is_refused(void **state)
{
    Outcome outcome;
    g_autofree char *run = NULL;

    (void)state;
    dump_well();
    scripted_set_target(TRUE, "table precious");
    outcome = restore(2, FALSE);
    assert_false(outcome.opened);
    check_error(&outcome.error, HB_ERROR_BLOCKED, "table precious");
    run = scripted_get_run();
    assert_string_equal(run, "");
    outcome_clear(&outcome);
}

static void flip_in_first_chunk(gboolean cut)
{
    g_autofree char *rows = g_build_filename(bench.path, "rows", "tree", "0001.rows.zst", NULL);

    if (cut)
        check_truncate(rows, 100);
    else
        check_flip_byte(rows, 60);
}

static void a_damaged_chunk_is_never_loaded(void **state)
{
    Outcome outcome;

    (void)state;
    dump_well();
    flip_in_first_chunk(FALSE);
    outcome = restore(2, FALSE);
    assert_int_equal(outcome.failed, 1);
    assert_true(scripted_count_loaded("tree") < ROWS);
    assert_true(scripted_has_journal());
    outcome_clear(&outcome);
}

static void a_shortened_chunk_is_found_before_anything_is_written(void **state)
{
    GError *error = NULL;

    (void)state;
    dump_well();
    flip_in_first_chunk(TRUE);
    assert_null(hb_reader_open(bench.path, NULL, &error));
    check_error(&error, HB_ERROR_DAMAGED, "rows/tree/0001.rows.zst");
}

/* When to stop: at the fifth event of this type */
typedef struct {
    HbEventType type;
    guint seen;
} Trigger;

static void stop_at_the_fifth(gpointer data, const HbEvent *event)
{
    Trigger *trigger = data;

    if (event->type == trigger->type && ++trigger->seen == 5)
        hb_stop_trigger_by_user(bench.stop);
}

static void an_interrupted_restore_can_be_resumed(void **state)
{
    /* in the middle of a step, and between two */
    static const HbEventType types[] = {HB_EVENT_STARTED, HB_EVENT_FINISHED};

    (void)state;
    dump_well();
    for (gsize i = 0; i < G_N_ELEMENTS(types); i++) {
        Trigger trigger = {types[i], 0};
        Outcome outcome;
        scripted_reset(garden, ROWS);
        bench.observers = hb_observers_new();
        hb_observers_add(bench.observers, stop_at_the_fifth, &trigger);
        outcome = restore(1, FALSE);
        check_error(&outcome.error, HB_ERROR_CANCELLED, "interrupted");
        assert_int_equal(outcome.failed, 0);
        assert_true(outcome.result.open > 0);
        outcome_clear(&outcome);
        hb_stop_free(bench.stop);
        bench.stop = hb_stop_new();
        g_clear_pointer(&bench.observers, hb_observers_free);
        outcome = restore(2, TRUE);
        check_no_error(outcome.error);
        check_whole();
        outcome_clear(&outcome);
    }
}

static void observe(gpointer data, const HbEvent *event)
{
    guint64 *sums = data;

    if (event->type == HB_EVENT_PHASE)
        sums[0] += event->total;
    if (event->type == HB_EVENT_ADVANCED)
        sums[1] += event->cost;
    if (event->type == HB_EVENT_STARTED)
        sums[2]++;
    if (event->type == HB_EVENT_FINISHED)
        sums[3]++;
}

static void progress_adds_up(void **state)
{
    guint64 sums[4] = {0};
    HbObservers *observers = hb_observers_new();
    const HbDumpOptions options = {.source = {.engine = &scripted_engine,
                                              .from = {.uri = "scripted://source/vale"},
                                              .parts = HB_PART_ALL,
                                              .jobs = 3,
                                              .stop = bench.stop,
                                              .observers = observers},
                                   .path = bench.path,
                                   .level = 0,
                                   .chunk_bytes = 1500};
    g_autoptr(HbManifest) manifest = NULL;

    (void)state;
    hb_observers_add(observers, observe, sums);
    manifest = hb_dump_run(&options, NULL);
    assert_non_null(manifest);
    assert_true(sums[0] > 0);
    assert_int_equal(sums[0], sums[1]);
    assert_int_equal(sums[2], sums[3]);
    hb_observers_free(observers);
}

#define TEST(name) cmocka_unit_test_setup_teardown(name, begin, end)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(a_dump_holds_every_object_and_row),
        TEST(a_dump_by_one_worker_is_the_same_every_time),
        TEST(a_dump_that_fails_leaves_nothing),
        TEST(a_lost_connection_is_opened_again_while_dumping),
        TEST(a_dump_never_overwrites),
        TEST(one_worker_restores_in_the_order_of_the_files),
        TEST(many_workers_restore_the_same),
        TEST(a_failed_step_leaves_out_what_needs_it_and_can_be_resumed),
        TEST(one_that_cannot_be_made_keeps_no_other_from_being_made),
        TEST(what_fails_for_a_passing_reason_is_tried_again),
        TEST(commits_that_a_crash_takes_back_are_done_again),
        TEST(a_connection_may_break_as_soon_as_it_is_there),
        TEST(a_host_of_several_finishes_whatever_breaks_off),
        TEST(a_server_that_stays_away_stops_the_restore_which_goes_on_later),
        TEST(a_role_that_exists_is_kept),
        TEST(a_target_that_holds_something_is_refused),
        TEST(a_damaged_chunk_is_never_loaded),
        TEST(a_shortened_chunk_is_found_before_anything_is_written),
        TEST(an_interrupted_restore_can_be_resumed),
        TEST(progress_adds_up),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
