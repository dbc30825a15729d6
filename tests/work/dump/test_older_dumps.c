/* SPDX-License-Identifier: Apache-2.0 */
/* Which dumps of a dated name stay, which go, and which are never touched */
#include "support/check.h"

#include "dump/folder.h"
#include "dump/writer.h"
#include "work/dump/older_dumps.h"

#include <glib/gstdio.h>
#include <string.h>
#include <unistd.h>

static char *folder, *pattern;

static int begin(void **state)
{
    (void)state;
    folder = check_make_folder();
    pattern = g_build_filename(folder, "vale-%Y-%m-%d.dump", NULL);
    return 0;
}

static int end(void **state)
{
    (void)state;
    check_remove_folder(folder);
    g_free(pattern);
    return 0;
}

/* A dump of that day and source; its moment is noon, or what is said. The path is the caller's */
static char *write_dump(const char *day, const char *source_id, const char *moment, const char *ending)
{
    g_autoptr(HbManifest) manifest = check_make_manifest();
    g_autofree char *name = g_strdup_printf("vale-%s%s", day, ending);
    char *path = g_build_filename(folder, name, NULL);
    GError *error = NULL;
    HbWriter *writer;

    manifest->database = g_strdup("vale");
    manifest->catalog = check_read_catalog("table t");
    manifest->source_id = g_strdup(source_id);
    g_free(manifest->snapshot_time);
    manifest->snapshot_time = moment != NULL ? g_strdup(moment) : g_strdup_printf("%sT12:00:00.5Z", day);
    writer = hb_writer_open(path, NULL, manifest, "", &error);
    check_no_error(error);
    hb_writer_begin_rows(writer, &error);
    check_no_error(error);
    hb_writer_finish(writer, &error);
    check_no_error(error);
    return path;
}

static void remove_all(void)
{
    g_autoptr(GDir) entries = g_dir_open(folder, 0, NULL);
    const char *name;

    while ((name = g_dir_read_name(entries)) != NULL) {
        g_autofree char *path = g_build_filename(folder, name, NULL);
        if (g_unlink(path) != 0)
            hb_folder_remove(path, NULL);
    }
}

static void rules_say_what_stays(void **state)
{
    static const struct {
        guint count;
        gint64 days;
        const char *kept; /* days of January, of which the 20th is the newest; the others there are 1, 10, 18 and 19 */
    } cases[] = {
        {1, 0, "20"},
        {2, 0, "19 20"},
        {5, 0, "01 10 18 19 20"},
        {99, 0, "01 10 18 19 20"},
        {0, 1, "19 20"},
        {0, 2, "18 19 20"},
        {0, 10, "10 18 19 20"},
        {2, 10, "10 18 19 20"},
        {4, 1, "10 18 19 20"},
        {0, 365, "01 10 18 19 20"},
    };
    static const char *const days[] = {"01", "10", "18", "19"};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        const HbKeepRule rule = {cases[i].count, cases[i].days * 86400};
        g_autofree char *newest = NULL;
        g_autoptr(HbReader) dump = NULL;
        HbOlderDumps result;
        GError *error = NULL;

        remove_all();
        for (gsize day = 0; day < G_N_ELEMENTS(days); day++) {
            g_autofree char *date = g_strconcat("2026-01-", days[day], NULL);
            g_free(write_dump(date, "one", NULL, ".dump"));
        }
        newest = write_dump("2026-01-20", "one", NULL, ".dump");
        dump = hb_reader_open(newest, NULL, &error);
        check_no_error(error);
        assert_true(hb_older_dumps_clear_away(pattern, dump, &rule, &result, &error));
        for (gsize day = 0; day < G_N_ELEMENTS(days); day++) {
            g_autofree char *path = g_strdup_printf("%s/vale-2026-01-%s.dump", folder, days[day]);
            const gboolean is_kept = strstr(cases[i].kept, days[day]) != NULL;
            if (g_file_test(path, G_FILE_TEST_EXISTS) != is_kept)
                fail_msg("case %zu: the dump of day %s is %s", i, days[day], is_kept ? "gone" : "still there");
        }
        assert_int_equal(result.kept, (strlen(cases[i].kept) + 1) / 3);
        assert_int_equal(result.removed->len, 5 - result.kept);
        assert_int_equal(result.passed_over->len, 0);
        assert_false(result.is_incomplete);
        hb_older_dumps_clear(&result);
    }
}

/* The rule would have all of them go */
static void what_is_no_older_dump_of_the_same_is_left_alone(void **state)
{
    const HbKeepRule rule = {1, 0};
    g_autofree char *newest = NULL, *link_path = g_build_filename(folder, "vale-2025-01-04.dump", NULL),
                    *empty = g_build_filename(folder, "vale-2025-01-05.dump", NULL),
                    *rest = g_build_filename(folder, ".vale-2025-01-09.dump.removed", NULL),
                    *file = g_build_filename(folder, "vale-2025-01-06.dump", NULL), *old = NULL;
    static const struct {
        const char *day, *why;
    } passed_over[] = {{"2025-01-02", "another source"},
                       {"2025-01-03", "after that of the newest"},
                       {"2025-01-04", "it is a link"},
                       {"2025-01-05", "no readable SHA256SUMS"},
                       {"2025-01-06", "no whole tar"}};
    g_autoptr(HbReader) dump = NULL;
    HbOlderDumps result;
    GError *error = NULL;

    (void)state;
    remove_all();
    old = write_dump("2025-01-01", "one", NULL, ".dump");
    g_free(write_dump("2025-01-01", "one", NULL, ".tar")); /* another name */
    g_free(write_dump("2025-01-02", "other", NULL, ".dump"));
    g_free(write_dump("2025-01-03", "one", "2027-01-01T00:00:00Z", ".dump"));
    assert_int_equal(symlink(old, link_path), 0);
    assert_int_equal(g_mkdir(empty, 0700), 0);
    assert_int_equal(g_mkdir(rest, 0700), 0);
    assert_true(g_file_set_contents(file, "oak", -1, NULL));
    newest = write_dump("2026-01-20", "one", NULL, ".dump");
    dump = hb_reader_open(newest, NULL, &error);
    check_no_error(error);
    assert_true(hb_older_dumps_clear_away(pattern, dump, &rule, &result, &error));
    assert_int_equal(result.kept, 1);
    assert_int_equal(result.removed->len, 1);
    assert_int_equal(result.passed_over->len, G_N_ELEMENTS(passed_over));
    for (guint i = 0; i < result.passed_over->len; i++) {
        const HbPassedOver *one = result.passed_over->pdata[i];
        check_contains(one->path, passed_over[i].day);
        check_contains(one->why, passed_over[i].why);
        assert_true(g_file_test(one->path, G_FILE_TEST_IS_SYMLINK) || g_file_test(one->path, G_FILE_TEST_EXISTS));
    }
    assert_false(g_file_test(rest, G_FILE_TEST_EXISTS));
    hb_older_dumps_clear(&result);
}

/* By what they hold, not by their names; what cannot be read is none */
static void the_newest_is_found_by_its_moment(void **state)
{
    g_autofree char *found = NULL, *newest = NULL, *empty = g_build_filename(folder, "vale-2026-12-31.dump", NULL);
    GError *error = NULL;

    (void)state;
    remove_all();
    assert_null(hb_older_dumps_find_newest(pattern, &error));
    check_error(&error, HB_ERROR_FILE, "no dump with such a name");
    assert_null(hb_older_dumps_find_newest("/nowhere/vale-%Y.dump", &error));
    check_error(&error, HB_ERROR_FILE, "looking for dumps");
    g_free(write_dump("2026-03-03", "one", "2026-01-01T00:00:00Z", ".dump"));
    newest = write_dump("2026-02-02", "one", "2026-05-05T00:00:00Z", ".dump");
    g_free(write_dump("2026-01-01", "other", NULL, ".dump"));
    assert_int_equal(g_mkdir(empty, 0700), 0);
    found = hb_older_dumps_find_newest(pattern, &error);
    check_no_error(error);
    assert_string_equal(found, newest);
}

static void a_dump_goes_whole_or_is_no_dump_any_more(void **state)
{
    g_autofree char *path = write_dump("2026-07-07", "one", NULL, ".dump"),
                    *tar = write_dump("2026-07-07", "one", NULL, ".tar"), *name = NULL, *other = NULL;
    GError *error = NULL;

    (void)state;
    assert_true(hb_folder_remove(path, &error));
    assert_true(hb_folder_remove(tar, &error));
    assert_false(g_file_test(path, G_FILE_TEST_EXISTS));
    assert_false(g_file_test(tar, G_FILE_TEST_EXISTS));
    assert_false(hb_folder_remove(path, &error));
    check_error(&error, HB_ERROR_FILE, "removing");
    name = hb_folder_read_removed(".vale.dump.removed");
    other = hb_folder_read_removed("vale.dump.removed");
    assert_string_equal(name, "vale.dump");
    assert_null(other);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(rules_say_what_stays),
        cmocka_unit_test(what_is_no_older_dump_of_the_same_is_left_alone),
        cmocka_unit_test(the_newest_is_found_by_its_moment),
        cmocka_unit_test(a_dump_goes_whole_or_is_no_dump_any_more),
    };
    return cmocka_run_group_tests(tests, begin, end);
}
