/* SPDX-License-Identifier: Apache-2.0 */
/* The live view through the life of a restore, as it is drawn in terminals of several sizes: what people watch at night
 */
#include "support/check.h"

#include "cli/view.h"

#define SECOND G_USEC_PER_SEC

static const HbViewSpace spaces[] = {{100, 30, FALSE}, {60, 12, FALSE}, {30, 6, FALSE}};

static void draw(GString *out, HbView *view, const char *when, gint64 now)
{
    g_autofree char *line = hb_view_describe(view, now), *json = hb_view_write_json(view, now);

    g_string_append_printf(out, "==== %s\n%s\n%s\n", when, line, json);
    for (gsize i = 0; i < G_N_ELEMENTS(spaces); i++) {
        g_autofree char *text = hb_view_draw(view, now, &spaces[i]);
        g_string_append_printf(out, "-- %u columns\n%s", spaces[i].columns, text);
    }
}

static void tell(HbView *view, HbEvent event, gint64 now)
{
    hb_view_follow(view, &event, now);
}

static void play(GString *out, HbView *view)
{
    tell(view, (HbEvent){.type = HB_EVENT_PHASE, .what = "restoring", .total = 400000000}, 0);
    draw(out, view, "it begins", 0);
    tell(view, (HbEvent){.type = HB_EVENT_STARTED, .what = "table garden.plot"}, 0);
    tell(view,
         (HbEvent){.type = HB_EVENT_STARTED,
                   .worker = 1,
                   .what = "rows garden.\"Größter Baum\" rows/x/0001.rows.zst",
                   .total = 120000000,
                   .path = 300000000,
                   .next = "key garden.tree.tree_pkey"},
         SECOND);
    for (int i = 1; i <= 12; i++)
        tell(view, (HbEvent){.type = HB_EVENT_ADVANCED, .worker = 1, .cost = 6000000, .bytes = 6000000}, i * SECOND);
    draw(out, view, "rows come", 12 * SECOND);
    tell(view, (HbEvent){.type = HB_EVENT_HOST, .what = "oak:4711", .cost = 40000000, .bytes = 38000000}, 13 * SECOND);
    tell(view,
         (HbEvent){.type = HB_EVENT_HOST, .what = "a-host-with-a-long-name.arboretum.example:12", .cost = 2000000},
         14 * SECOND);
    tell(view,
         (HbEvent){.type = HB_EVENT_NOTED,
                   .severity = HB_SEVERITY_ERROR,
                   .what = "index garden.plot_idx: could not extend file: No space left on device"},
         15 * SECOND);
    hb_view_set_limit(view, 8000000);
    draw(out, view, "other hosts, a failure, a limit", 16 * SECOND);
    hb_view_set_limit(view, 0);
    tell(view, (HbEvent){.type = HB_EVENT_FINISHED, .worker = 0}, 17 * SECOND);
    tell(view, (HbEvent){.type = HB_EVENT_WAITING, .what = "the target: process 7 of role ida waits for garden.plot"},
         40 * SECOND);
    draw(out, view, "it waits", 60 * SECOND);
    tell(view, (HbEvent){.type = HB_EVENT_ADVANCED, .worker = 1, .cost = 400000000, .bytes = 90000000}, 61 * SECOND);
    tell(view, (HbEvent){.type = HB_EVENT_FINISHED, .worker = 1}, 61 * SECOND);
    draw(out, view, "it ends", 62 * SECOND);
    tell(view, (HbEvent){.type = HB_EVENT_PHASE, .what = "reading the catalog"}, 63 * SECOND);
    draw(out, view, "a phase without a measure", 64 * SECOND);
}

static void the_view_is_drawn_as_it_always_was(void **state)
{
    g_autoptr(GString) out = g_string_new(NULL);
    HbView *view = hb_view_new();

    (void)state;
    play(out, view);
    check_golden("view.txt", out->str);
    hb_view_free(view);
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(the_view_is_drawn_as_it_always_was)};

    return cmocka_run_group_tests(tests, NULL, NULL);
}
