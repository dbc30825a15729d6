/* SPDX-License-Identifier: Apache-2.0 */
#include "report/handover_inner.h"

#include "core/base/name_list.h"
#include "dump/json_writer.h"
#include "report/findings.h"
#include "report/json.h"
#include "report/origin.h"
#include "report/pages.h"
#include "report/pieces.h"
#include "report/text.h"

#include <jansson.h>

double hb_handover_seconds_of(gint64 began_us, gint64 ended_us)
{
    return began_us > 0 && ended_us > began_us ? (double)(ended_us - began_us) / G_USEC_PER_SEC : 0;
}

/* UTC; the caller's */
char *hb_handover_write_time(gint64 us, const char *format)
{
    g_autoptr(GDateTime) time = us > 0 ? g_date_time_new_from_unix_utc(us / G_USEC_PER_SEC) : NULL;

    return time != NULL ? g_date_time_format(time, format) : NULL;
}

/* ---- Facts, for text and HTML alike ---- */

char *hb_handover_describe_side(const HbServerInfo *side)
{
    return g_strdup_printf("database %s at %s, %s %s", side->database, side->address, side->product, side->version);
}

static char *describe_writers(const HbHandoverReport *report)
{
    HbNameList names;

    if (report->writers->len == 0)
        return g_strdup("nobody is in the middle of a change");
    hb_name_list_init(&names, 5);
    for (guint i = 0; i < report->writers->len; i++)
        hb_name_list_add(&names, report->writers->pdata[i]);
    return hb_name_list_end(&names);
}

static char *describe_check(const HbHandoverReport *report)
{
    g_autofree char *tables = hb_text_plural(report->check_tables, "table", "tables"),
                    *bytes = hb_text_bytes(report->check_bytes);

    if (report->check_s > 0 && report->check_tables == 0)
        return g_strdup("structure, and what will have changed");
    return report->check_s == 0 ? g_strdup("none")
                                : g_strdup_printf("structure, and the rows of %s, about %s", tables, bytes);
}

char *hb_handover_describe_guess(const HbHandover *handover)
{
    g_autofree char *time = hb_text_duration(hb_handover_guess_window(handover));
    const HbHandoverReport *report = hb_handover_get_report(handover);

    return g_strdup_printf("about %s, in which nobody may write (last pass %.1f s, check %.1f s)", time, report->lag_s,
                           report->check_s);
}

char *hb_handover_describe_window(const HbHandoverReport *report)
{
    g_autofree char *from = hb_handover_write_time(report->stopped_us, "%H:%M:%S"),
                    *to = hb_handover_write_time(report->opened_us, "%H:%M:%S");

    return g_strdup_printf("%.1f s, from %s to %s UTC", hb_handover_seconds_of(report->stopped_us, report->opened_us),
                           from, to);
}

char *hb_handover_describe_moved(const HbHandoverReport *report)
{
    g_autofree char *changes = hb_text_plural(report->rows, "change", "changes"),
                    *transactions = hb_text_plural(report->transactions, "transaction", "transactions");

    return report->transactions > 0 ? g_strdup_printf("%s in %s", changes, transactions) : g_strdup(changes);
}

char *hb_handover_describe_verdict(const HbHandover *handover, const GError *cause, gboolean is_rehearsal)
{
    const HbHandoverReport *report = hb_handover_get_report(handover);
    g_autofree char *counts = hb_findings_describe_counts(report->findings);

    if (hb_handover_is_blocked(handover))
        return g_strdup_printf("Blocked: %s. Nothing was stopped", counts);
    if (is_rehearsal)
        return g_strdup_printf("It can be handed over: %s", counts);
    if (cause == NULL)
        return g_strdup("Handed over: TO has taken FROM's place");
    if (report->is_over)
        return g_strdup_printf("Not ended: %s; `hornbeam handover FROM TO --resume` goes on", cause->message);
    if (report->is_undone)
        return g_strdup_printf("Not handed over: %s; FROM is open again, as it was", cause->message);
    return g_strdup_printf("Not handed over: %s%s", cause->message,
                           report->stopped_us > 0 ? "; FROM IS STILL CLOSED" : "");
}

gboolean hb_handover_is_good(const HbHandover *handover, const GError *cause)
{
    return cause == NULL && !hb_handover_is_blocked(handover);
}

/* ---- Text ---- */

const char *const hb_handover_outcomes[] = {
    [HB_STRING_NOT_TRIED] = "not tried", [HB_STRING_CONNECTS] = "connects", [HB_STRING_FAILS] = "FAILS"};

static void append_string(GString *out, gboolean color, const HbTriedString *string)
{
    static const HbPaint paints[] = {HB_PAINT_FAINT, HB_PAINT_GOOD, HB_PAINT_BAD};
    g_autofree char *remark = string->remark != NULL ? hb_text_visible(string->remark) : NULL,
                    *state = g_strdup_printf("%s%s%s", hb_handover_outcomes[string->outcome],
                                             remark != NULL ? ": " : "", remark != NULL ? remark : "");
    g_auto(GStrv) lines = string->form->text != NULL ? g_strsplit(string->form->text, "\n", -1) : NULL;

    g_string_append_printf(out, "  %-14s ", string->form->form);
    hb_text_append_painted(out, color, paints[string->outcome], state);
    g_string_append_c(out, '\n');
    for (char **line = lines; line != NULL && *line != NULL; line++) {
        g_autofree char *visible = hb_text_visible(*line);
        g_string_append_printf(out, "      %s\n", visible);
    }
}

static void append_strings(GString *out, gboolean color, const GPtrArray *strings)
{
    const char *user = NULL;

    for (guint i = 0; i < strings->len; i++) {
        const HbTriedString *string = strings->pdata[i];
        if (i == 0 || g_strcmp0(user, string->user) != 0) {
            g_autofree char *title = string->user != NULL ? g_strdup_printf("Connection strings of %s", string->user)
                                                          : g_strdup("Connection strings"),
                            *visible = hb_text_visible(title);
            g_string_append_c(out, '\n');
            hb_piece_append_heading(out, color, visible);
        }
        user = string->user;
        append_string(out, color, string);
    }
}

static void append_sides(GString *out, gboolean color, const HbHandoverReport *report)
{
    g_autofree char *from = hb_handover_describe_side(&report->from), *to = hb_handover_describe_side(&report->to);

    hb_piece_append_fact(out, color, "from", "%s", from);
    hb_piece_append_fact(out, color, "to", "%s", to);
}

char *hb_handover_rehearsal_page(const HbHandover *handover, gboolean with_strings, gboolean color)
{
    const HbHandoverReport *report = hb_handover_get_report(handover);
    g_autofree char *writers = describe_writers(report), *check = describe_check(report),
                    *guess = hb_handover_describe_guess(handover),
                    *verdict = hb_handover_describe_verdict(handover, NULL, TRUE),
                    *origin = report->origin != NULL ? hb_origin_describe(report->origin) : NULL,
                    *bytes = hb_text_bytes(report->log_bytes);
    GString *out = g_string_new(NULL);

    hb_piece_append_heading(out, color, "Hand-over, rehearsed");
    append_sides(out, color, report);
    if (origin != NULL)
        hb_piece_append_fact(out, color, "origin", "%s", origin);
    if (report->log_bytes > 0)
        hb_piece_append_fact(out, color, "log",
                             "%s of it are kept for TO, which it has not read yet, or may read again", bytes);
    hb_piece_append_fact(out, color, "stop", "%s", report->gate != NULL ? report->gate : "done before");
    hb_piece_append_fact(out, color, "writing", "%s", writers);
    hb_piece_append_fact(out, color, "check", "%s", check);
    hb_piece_append_fact(out, color, "window", "%s", guess);
    hb_findings_append(out, color, report->findings);
    if (with_strings)
        append_strings(out, color, report->strings);
    g_string_append_c(out, '\n');
    hb_piece_append_verdict(out, color, !hb_handover_is_blocked(handover), "%s", verdict);
    return g_string_free(out, FALSE);
}

static void append_step(GString *out, gboolean color, HbHandoverStepKind kind, const HbHandoverStep *step)
{
    static const char *const states[] = {"-", "...", "done", "FAILED", "skipped"};
    static const HbPaint paints[] = {HB_PAINT_FAINT, HB_PAINT_PLAIN, HB_PAINT_GOOD, HB_PAINT_BAD, HB_PAINT_FAINT};
    g_autofree char *did = step->did != NULL ? hb_text_visible(step->did) : g_strdup(""),
                    *time = hb_handover_write_time(step->began_us, "%H:%M:%S");

    g_string_append_printf(out, "  %-19s %8s %6.1f s  ", hb_handover_step_get_title(kind), time != NULL ? time : "",
                           hb_handover_seconds_of(step->began_us, step->ended_us));
    hb_text_append_painted(out, color, paints[step->state], states[step->state]);
    g_string_append_printf(out, "%s%s\n", *did != '\0' ? ": " : "", did);
}

static void append_left(GString *out, gboolean color, const GPtrArray *left)
{
    if (left->len == 0)
        return;
    g_string_append_c(out, '\n');
    hb_piece_append_heading(out, color, "Left to do, or to know");
    for (guint i = 0; i < left->len; i++) {
        g_autofree char *visible = hb_text_visible(left->pdata[i]);
        g_string_append_printf(out, "  %s\n", visible);
    }
}

char *hb_handover_page(const HbHandover *handover, const GError *cause, gboolean color)
{
    const HbHandoverReport *report = hb_handover_get_report(handover);
    g_autofree char *window = hb_handover_describe_window(report), *moved = hb_handover_describe_moved(report),
                    *verdict = hb_handover_describe_verdict(handover, cause, FALSE);
    GString *out = g_string_new(NULL);

    hb_piece_append_heading(out, color, "Hand-over");
    append_sides(out, color, report);
    if (report->opened_us > 0 && report->stopped_us > 0) {
        hb_piece_append_fact(out, color, "window", "%s", window);
        hb_piece_append_fact(out, color, "moved", "%s", moved);
    }
    g_string_append_c(out, '\n');
    hb_piece_append_heading(out, color, "Steps");
    for (int kind = 0; kind < HB_STEP_COUNT; kind++)
        append_step(out, color, (HbHandoverStepKind)kind, &report->steps[kind]);
    if (report->differences.differences->len > 0 && cause != NULL)
        hb_piece_append_heading(out, color, "Not the same");
    if (cause != NULL)
        hb_page_append_differences(out, color, report->differences.differences, 5, FALSE);
    if (report->is_over)
        append_strings(out, color, report->strings);
    append_left(out, color, report->left_to_do);
    g_string_append_c(out, '\n');
    hb_piece_append_verdict(out, color, hb_handover_is_good(handover, cause), "%s", verdict);
    return g_string_free(out, FALSE);
}

/* ---- JSON ---- */

static json_t *write_us(gint64 us)
{
    g_autofree char *time = hb_handover_write_time(us, "%Y-%m-%dT%H:%M:%SZ");

    return hb_json_readable(time);
}

static json_t *write_side(const HbServerInfo *side)
{
    return json_pack("{s:o, s:o, s:o, s:o}", "database", hb_json_readable(side->database), "address",
                     hb_json_readable(side->address), "product", hb_json_readable(side->product), "version",
                     hb_json_readable(side->version));
}

static json_t *write_steps(const HbHandoverReport *report)
{
    static const char *const states[] = {"waiting", "running", "done", "failed", "skipped"};
    json_t *list = json_array();

    for (int kind = 0; kind < HB_STEP_COUNT; kind++) {
        const HbHandoverStep *step = &report->steps[kind];
        json_array_append_new(list, json_pack("{s:s, s:s, s:o, s:o, s:f}", "step",
                                              hb_handover_step_get_name((HbHandoverStepKind)kind), "state",
                                              states[step->state], "what", hb_json_readable(step->did), "began",
                                              write_us(step->began_us), "seconds",
                                              hb_handover_seconds_of(step->began_us, step->ended_us)));
    }
    return list;
}

static json_t *write_strings(const HbHandoverReport *report)
{
    static const char *const words[] = {"not tried", "connects", "fails"};
    json_t *list = json_array();

    for (guint i = 0; i < report->strings->len; i++) {
        const HbTriedString *string = report->strings->pdata[i];
        json_array_append_new(list,
                              json_pack("{s:o, s:s, s:o, s:s, s:o}", "user", hb_json_readable(string->user), "form",
                                        string->form->form, "text", hb_json_readable(string->form->text), "outcome",
                                        words[string->outcome], "remark", hb_json_readable(string->remark)));
    }
    return list;
}

static json_t *write_texts(const GPtrArray *texts)
{
    json_t *list = json_array();

    for (guint i = 0; i < texts->len; i++)
        json_array_append_new(list, hb_json_readable(texts->pdata[i]));
    return list;
}

static json_t *write_findings(const GPtrArray *findings)
{
    json_t *list = json_array();

    for (guint i = 0; i < findings->len; i++) {
        const HbFinding *one = findings->pdata[i];
        json_array_append_new(list, json_pack("{s:s, s:s, s:o, s:o, s:o, s:b}", "level",
                                              hb_finding_level_get_name(one->level), "name", one->name, "object",
                                              hb_json_readable(one->object), "what", hb_json_readable(one->what),
                                              "todo", hb_json_readable(one->todo), "accepted", (int)one->accepted));
    }
    return list;
}

static const char *name_outcome(const HbHandover *handover, const GError *cause, gboolean is_rehearsal)
{
    const HbHandoverReport *report = hb_handover_get_report(handover);

    if (hb_handover_is_blocked(handover))
        return "blocked";
    if (is_rehearsal)
        return "rehearsed";
    if (cause == NULL)
        return "handed over";
    return report->is_over ? "not ended" : report->is_undone ? "undone" : report->stopped_us > 0 ? "closed" : "failed";
}

char *hb_handover_json(const HbHandover *handover, const GError *cause, gboolean is_rehearsal)
{
    const HbHandoverReport *report = hb_handover_get_report(handover);
    json_t *root = hb_json_begin("handover");

    json_object_set_new(root, "outcome", json_string(name_outcome(handover, cause, is_rehearsal)));
    json_object_set_new(root, "cause", hb_json_readable(cause != NULL ? cause->message : NULL));
    json_object_set_new(root, "from", write_side(&report->from));
    json_object_set_new(root, "to", write_side(&report->to));
    json_object_set_new(root, "origin", report->origin != NULL ? hb_origin_json(report->origin) : json_null());
    json_object_set_new(root, "stop_writes", json_string(hb_stop_way_words[report->way]));
    json_object_set_new(root, "writers", write_texts(report->writers));
    json_object_set_new(root, "findings", write_findings(report->findings));
    json_object_set_new(root, "log_bytes", hb_json_number(report->log_bytes));
    json_object_set_new(root, "window_guessed", json_real(hb_handover_guess_window(handover)));
    json_object_set_new(root, "stopped", write_us(report->stopped_us));
    json_object_set_new(root, "opened", write_us(report->opened_us));
    json_object_set_new(root, "window", json_real(hb_handover_seconds_of(report->stopped_us, report->opened_us)));
    json_object_set_new(root, "changes", hb_json_number(report->rows));
    json_object_set_new(root, "transactions", hb_json_number(report->transactions));
    json_object_set_new(root, "checked_tables", json_integer(report->checked_tables));
    json_object_set_new(root, "checked_rows", hb_json_number(report->checked_rows));
    json_object_set_new(root, "steps", write_steps(report));
    json_object_set_new(root, "differences", hb_json_differences(report->differences.differences));
    json_object_set_new(root, "connection_strings", write_strings(report));
    json_object_set_new(root, "left_to_do", write_texts(report->left_to_do));
    return hb_json_end(root);
}
