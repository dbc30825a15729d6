/* SPDX-License-Identifier: Apache-2.0 */
#include "support/check.h"

#include "cli/options.h"
#include "cli/view.h"
#include "report/table.h"
#include <jansson.h>

static void harmful_characters_are_made_visible(void **state)
{
    static const struct {
        const char *in, *out;
    } pairs[] = {{"plain ñ 木", "plain ñ 木"}, {"a\033[31mb", "a\\x1B[31mb"}, {"a\nb\tc", "a\\nb\\tc"},
                 {"\xff\xfe", "\\xFF\\xFE"},   {"\u202Egpj", "\\u202Egpj"},   {"\xC2\x85", "\\x85"}};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(pairs); i++) {
        g_autofree char *out = hb_text_visible(pairs[i].in);
        assert_string_equal(out, pairs[i].out);
    }
}

static void widths_are_those_of_the_display(void **state)
{
    static const struct {
        const char *text;
        guint width;
    } pairs[] = {{"abc", 3}, {"Größe", 5}, {"大きな木", 8}, {"e\u0301", 1}, {"🌳", 2}, {"", 0}};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(pairs); i++)
        assert_int_equal(hb_text_width(pairs[i].text), pairs[i].width);
}

static void numbers_are_written_for_people(void **state)
{
    static const struct {
        guint64 number;
        const char *count, *bytes;
    } numbers[] = {{0, "0", "0 B"},
                   {999, "999", "999 B"},
                   {1000, "1,000", "1.0 kB"},
                   {99949, "99,949", "99.9 kB"},
                   {123456, "123,456", "123 kB"},
                   {999600, "999,600", "1.0 MB"},
                   {5110760000, "5,110,760,000", "5.1 GB"}};
    static const struct {
        double seconds;
        const char *text;
    } times[] = {{0.04, "0.0 s"}, {9.94, "9.9 s"}, {12.4, "12 s"}, {65, "1:05 min"}, {3725, "1:02:05 h"}};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(numbers); i++) {
        g_autofree char *count = hb_text_count(numbers[i].number), *bytes = hb_text_bytes(numbers[i].number);
        assert_string_equal(count, numbers[i].count);
        assert_string_equal(bytes, numbers[i].bytes);
    }
    for (gsize i = 0; i < G_N_ELEMENTS(times); i++) {
        g_autofree char *text = hb_text_duration(times[i].seconds);
        assert_string_equal(text, times[i].text);
    }
}

static void tables_are_aligned_by_display_width(void **state)
{
    g_autoptr(HbResultTable) table = hb_result_table_new("k", "Trees");
    g_autoptr(GString) out = g_string_new(NULL);

    (void)state;
    hb_result_table_add_column(table, "name", "name", HB_COLUMN_TEXT);
    hb_result_table_add_column(table, "rows", "rows", HB_COLUMN_COUNT);
    hb_result_table_add_column(table, "note", "note", HB_COLUMN_TEXT);
    hb_result_table_add_row(table);
    hb_result_table_set(table, 0, 0, "大きな木");
    hb_result_table_set(table, 0, 1, "1234");
    hb_result_table_set(table, 0, 2, "x");
    hb_result_table_add_row(table);
    hb_result_table_set(table, 1, 0, "a\nb");
    hb_table_append(out, table, FALSE);
    assert_string_equal(out->str, "Trees\n  name       rows  note\n  大きな木  1,234  x\n  a\\nb\n");
}

static void the_nearest_option_is_found(void **state)
{
    static const char *const words[] = {"parts", "jobs", "compress", "no-analyze", NULL};
    static const struct {
        const char *typed, *nearest;
    } pairs[] = {
        {"job", "jobs"}, {"pars", "parts"}, {"no-analyse", "no-analyze"}, {"compresion", "compress"}, {"xyzzy", NULL}};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(pairs); i++) {
        const char *nearest = hb_options_find_nearest(pairs[i].typed, words);
        if (pairs[i].nearest == NULL)
            assert_null(nearest);
        else
            assert_string_equal(nearest, pairs[i].nearest);
    }
}

static void the_view_shows_bar_rate_time_and_workers(void **state)
{
    HbView *view = hb_view_new();
    g_autofree char *silent = NULL;
    gint64 second = G_USEC_PER_SEC;
    const HbViewSpace space = {100, 24, FALSE}, small = {30, 24, FALSE};
    g_autofree char *narrow = NULL, *wide = NULL;

    (void)state;
    hb_view_follow(view, &(HbEvent){.type = HB_EVENT_PHASE, .what = "reading rows", .total = 50000000}, 0);
    hb_view_follow(view, &(HbEvent){.type = HB_EVENT_PHASE, .what = "reading rows", .total = 50000000}, 0);
    hb_view_follow(view, &(HbEvent){.type = HB_EVENT_STARTED, .worker = 1, .what = "garden.\033tree"}, 0);
    for (int i = 0; i <= 10; i++)
        hb_view_follow(view, &(HbEvent){.type = HB_EVENT_ADVANCED, .cost = 2500000, .bytes = 2000000}, i * second);
    wide = hb_view_draw(view, 11 * second, &space);
    check_contains(wide, "reading rows  ▪▪▪▪▪▪▪▪······················  27%  22.0 MB  2.0 MB/s  29 s left");
    check_contains(wide, "   1  -\n   2  garden.\\x1Btree  11 s\n");
    assert_null(hb_view_describe_silence(view, 19 * second));
    hb_view_follow(view,
                   &(HbEvent){.type = HB_EVENT_WAITING, .what = "the source: process 7 waits for garden.\033plot"},
                   15 * second);
    silent = hb_view_describe_silence(view, 32 * second);
    assert_string_equal(silent, "reading rows: nothing new for 22 s; the source: process 7 waits for garden.\\x1Bplot");
    hb_view_follow(view, &(HbEvent){.type = HB_EVENT_FINISHED, .worker = 0}, 33 * second);
    assert_null(hb_view_get_wait(view));
    hb_view_follow(view, &(HbEvent){.type = HB_EVENT_WAITING, .what = "the source: held by the process of oak"},
                   44 * second);
    narrow = hb_view_draw(view, 44 * second, &small);
    check_contains(narrow, "nothing new for 11 s");
    check_contains(narrow, "of oak\n");
    for (char **line = g_strsplit(narrow, "\n", -1), **at = line; at != NULL; at = NULL) {
        for (; *at != NULL; at++)
            assert_true(hb_text_width(*at) <= 30);
        g_strfreev(line);
        break;
    }
    hb_view_free(view);
}

/* A line for each other host, of which some have room; control bytes of names are shown, never sent */
static void the_view_has_a_line_for_each_host(void **state)
{
    const HbViewSpace spaces[] = {{100, 24, FALSE}, {100, 10, FALSE}};
    HbView *view = hb_view_new();
    g_autofree char *whole = NULL, *cut = NULL, *json = NULL;
    g_auto(GStrv) lines = NULL;

    (void)state;
    hb_view_follow(view, &(HbEvent){.type = HB_EVENT_PHASE, .what = "reading rows", .total = 100000000}, 0);
    hb_view_follow(view, &(HbEvent){.type = HB_EVENT_HOST, .what = "n\0332:7", .cost = 10000000, .bytes = 9000000}, 0);
    hb_view_follow(view, &(HbEvent){.type = HB_EVENT_HOST, .what = "n\0332:7", .cost = 20000000, .bytes = 1000000},
                   G_USEC_PER_SEC);
    whole = hb_view_draw(view, 4 * G_USEC_PER_SEC, &spaces[0]);
    check_contains(whole, " 30%  0 B  0 B/s");
    check_contains(whole, "  n\\x1B2:7   30%  10.0 MB, its last part 3.0 s ago\n");
    json = hb_view_write_json(view, 4 * G_USEC_PER_SEC);
    check_contains(json, "\"bytes\":10000000,\"cost\":30000000,\"parts\":2,\"silent_seconds\":3.0");
    for (guint i = 0; i < 63; i++) {
        g_autofree char *name = g_strdup_printf("n%u", i);
        hb_view_follow(view, &(HbEvent){.type = HB_EVENT_HOST, .what = name, .cost = 1}, G_USEC_PER_SEC);
        hb_view_follow(view, &(HbEvent){.type = HB_EVENT_STARTED, .worker = i, .what = "garden.tree"}, G_USEC_PER_SEC);
    }
    cut = hb_view_draw(view, 4 * G_USEC_PER_SEC, &spaces[1]);
    lines = g_strsplit(cut, "\n", -1);
    assert_true(g_strv_length(lines) <= spaces[1].rows);
    check_contains(cut, "more hosts\n");
    check_contains(cut, "more sessions\n");
    hb_view_free(view);
}

/* Each session's own progress, what went wrong, the rate over time, the path that decides; never more than fits */
static void the_view_says_what_decides_the_end(void **state)
{
    static const HbViewSpace spaces[] = {{120, 40, FALSE}, {60, 8, FALSE}, {20, 3, FALSE}, {1, 1, FALSE}, {0, 0, TRUE}};
    const gint64 second = G_USEC_PER_SEC;
    HbView *view = hb_view_new();
    g_autofree char *json = NULL, *whole = NULL;
    json_t *root;

    (void)state;
    hb_view_follow(view, &(HbEvent){.type = HB_EVENT_PHASE, .what = "restoring", .total = 1000}, 0);
    hb_view_follow(
        view, &(HbEvent){.type = HB_EVENT_STARTED, .what = "rows a", .total = 200, .path = 900, .next = "key k"}, 0);
    hb_view_follow(view,
                   &(HbEvent){.type = HB_EVENT_STARTED, .worker = 11, .what = "rows b", .total = 800, .path = 800}, 0);
    for (int i = 0; i < 200; i++)
        hb_view_follow(view, &(HbEvent){.type = HB_EVENT_ADVANCED, .worker = i % 2 ? 11 : 0, .cost = 1, .bytes = 1000},
                       i * second);
    hb_view_follow(view, &(HbEvent){.type = HB_EVENT_NOTED, .severity = HB_SEVERITY_WARNING, .what = "odd"},
                   200 * second);
    hb_view_follow(view,
                   &(HbEvent){.type = HB_EVENT_NOTED, .severity = HB_SEVERITY_ERROR, .what = "index \033i: no room"},
                   200 * second);
    hb_view_follow(view, &(HbEvent){.type = HB_EVENT_NOTED, .severity = HB_SEVERITY_NOTE, .what = "of no weight"},
                   200 * second);
    hb_view_set_limit(view, 5000);
    whole = hb_view_draw(view, 201 * second, &spaces[0]);
    check_contains(whole, "/s of 5.0 kB/s allowed");
    check_contains(whole, "  1 failed, 1 warning; last: index \\x1Bi: no room\n");
    check_contains(whole, "  the end waits for rows a, then key k\n");
    check_contains(whole, "   1  rows a   50%  3:21 min\n");
    check_contains(whole, "  12  rows b   12%");
    check_contains(whole, "█");
    check_contains(whole, "1.0 kB/s at most");
    for (gsize i = 1; i < G_N_ELEMENTS(spaces); i++) {
        g_autofree char *text = hb_view_draw(view, 201 * second, &spaces[i]);
        g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
        if (spaces[i].rows > 7)
            assert_true(g_strv_length(lines) <= spaces[i].rows);
        for (char **line = lines; *line != NULL && spaces[i].columns >= 20; line++)
            assert_true(hb_text_width(*line) <= spaces[i].columns);
    }
    json = hb_view_write_json(view, 201 * second);
    check_lacks(json, "\n");
    root = json_loads(json, JSON_REJECT_DUPLICATES, NULL);
    assert_int_equal(json_integer_value(json_object_get(root, "percent")), 20);
    assert_int_equal(json_integer_value(json_object_get(root, "failed")), 1);
    assert_int_equal(json_integer_value(json_object_get(root, "allowed_a_second")), 5000);
    assert_int_equal(json_array_size(json_object_get(root, "sessions")), 12);
    json_decref(root);
    hb_view_free(view);
}

static void long_lines_are_broken_at_blanks(void **state)
{
    static const struct {
        const char *text, *folded;
    } cases[] = {
        {"short", "short"},
        {"one two three\n", "one two\n    three\n"},
        {"  one two three four", "  one two\n     three\n     four"},
        {"unbreakable-word", "unbreakable-word"},
        {"a \033[31mred\033[0m word b", "a \033[31mred\033[0m word\n    b"},
        {"größte äpfel da", "größte\n    äpfel\n    da"},
        {"\n\nx\n", "\n\nx\n"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *folded = hb_text_fold(cases[i].text, 11);
        assert_string_equal(folded, cases[i].folded);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(harmful_characters_are_made_visible),
        cmocka_unit_test(widths_are_those_of_the_display),
        cmocka_unit_test(numbers_are_written_for_people),
        cmocka_unit_test(tables_are_aligned_by_display_width),
        cmocka_unit_test(the_nearest_option_is_found),
        cmocka_unit_test(long_lines_are_broken_at_blanks),
        cmocka_unit_test(the_view_shows_bar_rate_time_and_workers),
        cmocka_unit_test(the_view_has_a_line_for_each_host),
        cmocka_unit_test(the_view_says_what_decides_the_end),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
