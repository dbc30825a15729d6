/* SPDX-License-Identifier: Apache-2.0 */
#include "report/handover_inner.h"

#include "report/findings.h"
#include "report/html.h"

/* The page that stays with the change ticket: the result first, then when what was done, and what there is to do */

#define LINE_LEFT  150
#define LINE_WIDTH 720
#define ROW_HEIGHT 30

/* From the first step to the last; at least as long as a step can be seen */
typedef struct {
    gint64 began_us, ended_us;
} Span;

static Span find_span(const HbHandoverReport *report)
{
    Span span = {G_MAXINT64, 0};

    for (int kind = HB_STEP_STOP; kind < HB_STEP_COUNT; kind++) {
        const HbHandoverStep *step = &report->steps[kind];
        if (step->began_us == 0)
            continue;
        span.began_us = MIN(span.began_us, step->began_us);
        span.ended_us = MAX(span.ended_us, step->ended_us);
    }
    return span;
}

static double place(const Span *span, gint64 us)
{
    return LINE_LEFT + LINE_WIDTH * (double)(us - span->began_us) / (double)MAX(span->ended_us - span->began_us, 1);
}

static void append_bar(GString *out, const Span *span, int kind, const HbHandoverStep *step, guint row)
{
    const double left = place(span, step->began_us), right = place(span, step->ended_us);
    const guint top = 34 + row * ROW_HEIGHT;

    g_string_append_printf(out, "<text x=\"0\" y=\"%u\">%s</text>\n", top + 14,
                           hb_handover_step_get_title((HbHandoverStepKind)kind));
    g_string_append_printf(out, "<rect class=\"%s\" x=\"%.1f\" y=\"%u\" width=\"%.1f\" height=\"18\" rx=\"3\"/>\n",
                           step->state == HB_HANDOVER_FAILED ? "failed" : "step", left, top, MAX(right - left, 2.0));
    g_string_append_printf(out, "<text class=\"soft\" x=\"%.1f\" y=\"%u\"%s>%.1f s</text>\n",
                           right > LINE_LEFT + LINE_WIDTH - 60 ? left - 6 : right + 6, top + 14,
                           right > LINE_LEFT + LINE_WIDTH - 60 ? " text-anchor=\"end\"" : "",
                           hb_handover_seconds_of(step->began_us, step->ended_us));
}

static void append_time_line(GString *out, const HbHandoverReport *report)
{
    const Span span = find_span(report);
    g_autofree char *from = hb_handover_write_time(span.began_us, "%H:%M:%S"),
                    *to = hb_handover_write_time(span.ended_us, "%H:%M:%S");
    guint rows = 0;

    if (span.ended_us == 0)
        return;
    for (int kind = HB_STEP_STOP; kind < HB_STEP_COUNT; kind++)
        rows += report->steps[kind].began_us > 0;
    g_string_append_printf(
        out,
        "<h2>Time line</h2>\n<svg viewBox=\"0 0 %d %u\" role=\"img\" aria-label=\"How long each step "
        "took\">\n<rect class=\"window\" x=\"%d\" y=\"26\" width=\"%d\" height=\"%u\"/>\n"
        "<text class=\"soft\" x=\"%d\" y=\"16\">%s writes stopped</text>\n"
        "<text class=\"soft\" x=\"%d\" y=\"16\" text-anchor=\"end\">%s %s</text>\n",
        LINE_LEFT + LINE_WIDTH, 40 + rows * ROW_HEIGHT, LINE_LEFT, LINE_WIDTH, 8 + rows * ROW_HEIGHT, LINE_LEFT, from,
        LINE_LEFT + LINE_WIDTH, to, report->opened_us > 0 ? "TO opened" : "ended");
    rows = 0;
    for (int kind = HB_STEP_STOP; kind < HB_STEP_COUNT; kind++) {
        if (report->steps[kind].began_us > 0)
            append_bar(out, &span, kind, &report->steps[kind], rows++);
    }
    g_string_append(out, "</svg>\n");
}

static void append_html_steps(GString *out, const HbHandoverReport *report)
{
    g_string_append(out,
                    "<h2>Steps</h2>\n<table>\n<tr><th>step</th><th>began, UTC</th><th>took</th><th>what</th></tr>\n");
    for (int kind = 0; kind < HB_STEP_COUNT; kind++) {
        const HbHandoverStep *step = &report->steps[kind];
        g_autofree char *time = hb_handover_write_time(step->began_us, "%H:%M:%S");
        g_string_append_printf(out, "<tr><td>%s</td><td>%s</td><td>%.1f s</td>",
                               hb_handover_step_get_title((HbHandoverStepKind)kind), time != NULL ? time : "",
                               hb_handover_seconds_of(step->began_us, step->ended_us));
        hb_html_append_text(out, step->state == HB_HANDOVER_FAILED ? "<td class=\"blocker\">failed: " : "<td>",
                            step->did != NULL ? step->did : "", "</td></tr>\n");
    }
    g_string_append(out, "</table>\n");
}

static void append_html_strings(GString *out, const HbHandoverReport *report)
{
    if (report->strings->len > 0)
        g_string_append(out,
                        "<h2>Connection strings</h2>\n<table>\n<tr><th>user</th><th>form</th><th>text</th></tr>\n");
    for (guint i = 0; i < report->strings->len; i++) {
        const HbTriedString *string = report->strings->pdata[i];
        hb_html_append_text(out, "<tr><td>", string->user != NULL ? string->user : report->to.user, "</td>");
        hb_html_append_text(out, "<td>", string->form->form, "</td><td>");
        if (string->form->text != NULL) {
            g_auto(GStrv) lines = g_strsplit(string->form->text, "\n", -1);
            for (char **line = lines; *line != NULL; line++)
                hb_html_append_text(out, line == lines ? "<code>" : "<br><code>", *line, "</code>");
        }
        hb_html_append_text(out, string->outcome == HB_STRING_FAILS ? "<p class=\"blocker\">" : "<p class=\"todo\">",
                            hb_handover_outcomes[string->outcome], "");
        hb_html_append_text(out, string->remark != NULL ? ": " : "", string->remark != NULL ? string->remark : "",
                            "</p></td></tr>\n");
    }
    if (report->strings->len > 0)
        g_string_append(out, "</table>\n");
}

static void append_html_left(GString *out, const HbHandoverReport *report)
{
    if (report->left_to_do->len > 0)
        g_string_append(out, "<h2>Left to do, or to know</h2>\n<ul>\n");
    for (guint i = 0; i < report->left_to_do->len; i++)
        hb_html_append_text(out, "<li>", report->left_to_do->pdata[i], "</li>\n");
    if (report->left_to_do->len > 0)
        g_string_append(out, "</ul>\n");
}

static void append_html_facts(GString *out, const HbHandover *handover, gboolean is_rehearsal)
{
    const HbHandoverReport *report = hb_handover_get_report(handover);
    g_autofree char *from = hb_handover_describe_side(&report->from), *to = hb_handover_describe_side(&report->to),
                    *window = is_rehearsal ? hb_handover_describe_guess(handover) : hb_handover_describe_window(report),
                    *moved = hb_handover_describe_moved(report);

    g_string_append(out, "<dl>\n");
    hb_html_append_fact(out, "from", from);
    hb_html_append_fact(out, "to", to);
    if (report->gate != NULL)
        hb_html_append_fact(out, "stop", report->gate);
    if (is_rehearsal || report->opened_us > 0)
        hb_html_append_fact(out, "window", window);
    if (!is_rehearsal)
        hb_html_append_fact(out, "moved in it", moved);
    g_string_append(out, "</dl>\n");
}

char *hb_handover_html(const HbHandover *handover, const GError *cause, gboolean is_rehearsal)
{
    const HbHandoverReport *report = hb_handover_get_report(handover);
    g_autofree char *verdict = hb_handover_describe_verdict(handover, cause, is_rehearsal);
    GString *out = g_string_new(NULL);

    hb_html_begin(out, "Hand-over");
    hb_html_append_text(out, "<h1>Hand-over of ", report->from.database,
                        is_rehearsal ? ", rehearsed</h1>\n" : "</h1>\n");
    append_html_facts(out, handover, is_rehearsal);
    hb_html_append_verdict(out, hb_handover_is_good(handover, cause), verdict);
    append_time_line(out, report);
    if (!is_rehearsal)
        append_html_steps(out, report);
    hb_findings_append_html(out, report->findings);
    if (report->is_over || is_rehearsal)
        append_html_strings(out, report);
    append_html_left(out, report);
    hb_html_end(out);
    return g_string_free(out, FALSE);
}
