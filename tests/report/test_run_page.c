/* SPDX-License-Identifier: Apache-2.0 */
/* Pages about a run: what the document says is on it, drawn where that helps, and nothing of it is markup */
#include "support/check.h"

#include "report/run_page.h"

#include <string.h>

static char *make_page(const char *document, const GError *error, gboolean is_good, const HbRecording *recording)
{
    HbRecording *none = hb_recording_new();
    const HbRun run = {"restore", "hornbeam restore <d.dump>",         document, "a server's statement failed", is_good,
                       error,     recording != NULL ? recording : none};
    char *page = hb_run_page(&run);

    hb_recording_free(none);
    check_contains(page, "hornbeam restore &lt;d.dump&gt;");
    check_lacks(page, "<script");
    check_lacks(page, "src=");
    check_lacks(page, "http");
    check_lacks(page, "url(");
    return page;
}

static void what_a_document_says_is_on_the_page(void **state)
{
    static const struct {
        const char *document, *part, *no_part;
        gboolean is_good;
    } cases[] = {
        {"{\"document\": \"restore\", \"database\": \"<b>vale\", \"rows\": 12345, \"bytes\": 2500000, \"resumed\": "
         "false}",
         "Restore of &lt;b&gt;vale</h1>", "resumed", TRUE},
        {"{\"document\": \"restore\", \"rows\": 12345}", "Restored whole", "Failed", TRUE},
        {"{\"document\": \"restore\", \"rows\": 0, \"seconds\": 2.25}", "<dt>rows</dt><dd>0</dd>", NULL, TRUE},
        {"{\"document\": \"restore\", \"failed\": [{\"what\": \"index i\\u001b[1m\", \"message\": \"no\\nroom\", "
         "\"hint\": null}]}",
         "index i\\x1B[1m</td><td>no<br>room</td></tr>", "hint</th>", FALSE},
        {"{\"document\": \"restore\"}", "A server&apos;s statement failed", "Restored whole", FALSE},
        {"{\"document\": \"survey\", \"tables\": [{\"name\": \"a\", \"bytes\": 1000, \"index_bytes\": 1000}, "
         "{\"name\": \"b\","
         " \"bytes\": 500, \"index_bytes\": 0}]}",
         "Tables by size</h2>", NULL, TRUE},
        {"{\"document\": \"verify\", \"differences\": [{\"type\": \"rows\", \"identity\": \"rows t\", \"from\": \"1 "
         "row\","
         " \"to\": null, \"rows\": {\"missing\": 1, \"extra\": 0, \"one_in\": 1, \"named\": [{\"fate\": \"missing\","
         " \"count\": 1, \"key\": {\"id\": 7}, \"from\": null}]}}], \"questions\": [{\"same\": false}]}",
         "Different: 1 difference, 1 other answer", "one in", FALSE},
        {"{\"document\": \"server restore\", \"parts\": [{\"document\": \"restore\", \"database\": null}, "
         "{\"document\":"
         " \"restore\", \"database\": \"loans\"}]}",
         "<section>\n<h2>loans</h2>", NULL, TRUE},
        {"{\"document\": \"results\", \"notes\": [\"one\", \"two\"]}", "<li>two</li>", NULL, TRUE},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *page = make_page(cases[i].document, NULL, cases[i].is_good, NULL);
        check_contains(page, cases[i].part);
        if (cases[i].no_part != NULL)
            check_lacks(page, cases[i].no_part);
    }
}

static void an_error_comes_first(void **state)
{
    g_autoptr(GError) error = NULL;
    g_autofree char *page = NULL, *bare = NULL;

    (void)state;
    hb_error_set(&error, HB_ERROR_FILE, "make <room>", "the disk is full");
    page =
        make_page("{\"document\": \"error\", \"message\": \"the disk is full\", \"hint\": \"x\"}", error, FALSE, NULL);
    check_contains(page,
                   "<p class=\"blocker\">the disk is full</p>\n<p class=\"todo\">what to do: make &lt;room&gt;</p>");
    check_lacks(page, "<dt>message");
    bare = make_page(NULL, error, FALSE, NULL);
    check_contains(bare, "<h1>Restore</h1>");
}

/* Each session has a lane; what was still at work is marked; the longest are named. A rate needs some moments */
static void what_was_done_is_drawn(void **state)
{
    HbRecording *recording = hb_recording_new();
    g_autofree char *page = NULL;

    (void)state;
    hb_recording_follow(recording, &(HbEvent){.type = HB_EVENT_PHASE, .what = "rest & more", .total = 100}, 0);
    for (guint i = 0; i < 10; i++) {
        g_autofree char *what = g_strdup_printf("rows t%u", i);
        const gint64 now = (gint64)i * G_USEC_PER_SEC;
        hb_recording_follow(recording, &(HbEvent){.type = HB_EVENT_STARTED, .worker = i % 2, .what = what}, now);
        hb_recording_follow(recording, &(HbEvent){.type = HB_EVENT_ADVANCED, .worker = i % 2, .bytes = 1000000},
                            now + 500000);
        if (i < 8)
            hb_recording_follow(recording, &(HbEvent){.type = HB_EVENT_FINISHED, .worker = i % 2}, now + 900000);
    }
    page = make_page(NULL, NULL, TRUE, recording);
    check_contains(page, "rest &amp; more");
    check_contains(page, "<title>rows t7: 0.90 s</title>");
    check_contains(page, "class=\"failed\"");
    check_contains(page, "rows t8</td><td>1</td><td>8.0 s</td><td>1.5 s, not ended");
    check_contains(page, "aria-label=\"Bytes a second over time: 10.0 MB in all");
    hb_recording_free(recording);
}

/* However long the run is: the longest steps stay, what is at work too, and all bytes are counted */
static void a_long_run_is_remembered_in_little_room(void **state)
{
    HbRecording *recording = hb_recording_new();
    const guint steps = 20000;
    gboolean has_longest = FALSE;

    (void)state;
    hb_recording_follow(recording, &(HbEvent){.type = HB_EVENT_STARTED, .worker = 1, .what = "all along"}, 0);
    for (guint i = 0; i < steps; i++) {
        const gint64 now = (gint64)i * 100000;
        hb_recording_follow(recording, &(HbEvent){.type = HB_EVENT_STARTED, .what = i == 17 ? "long" : "short"}, now);
        hb_recording_follow(recording, &(HbEvent){.type = HB_EVENT_ADVANCED, .bytes = 3}, now + 10);
        hb_recording_follow(recording, &(HbEvent){.type = HB_EVENT_FINISHED}, now + (i == 17 ? 99999 : i % 7 + 20));
    }
    assert_true(recording->steps->len <= 4096);
    assert_int_equal(recording->steps->len + recording->dropped, steps + 1);
    assert_true(recording->moments->len <= 601);
    assert_int_equal(recording->bytes, 3 * steps);
    assert_int_equal(g_array_index(recording->moments, HbRecordedMoment, recording->moments->len - 1).bytes, 3 * steps);
    for (guint i = 0; i < recording->steps->len; i++)
        has_longest |= strcmp(((HbRecordedStep *)recording->steps->pdata[i])->what, "long") == 0;
    assert_true(has_longest);
    hb_recording_follow(recording, &(HbEvent){.type = HB_EVENT_FINISHED, .worker = 1}, (gint64)steps * 100000);
    hb_recording_free(recording);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_a_document_says_is_on_the_page),
        cmocka_unit_test(an_error_comes_first),
        cmocka_unit_test(what_was_done_is_drawn),
        cmocka_unit_test(a_long_run_is_remembered_in_little_room),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
