/* SPDX-License-Identifier: Apache-2.0 */
#include "work/handover/handover_inner.h"

#include "core/base/error.h"

#include <string.h>

/*
 * Each step tells before what it will do, and afterwards what it did. What a step changes is noted in TO before it is
 * changed: a note of what was not done costs nothing, what was done without a note could not be undone. The note says
 * "opened" from the point of no return on. From there the way is forward only: an application may have found TO.
 */

/* ---- Words ---- */

const char *const hb_stop_way_words[] = {"auto", "sessions", "read-only", "ask", "command", NULL};
const char *const hb_handover_check_words[] = {"changed", "all", "none", NULL};
const char *const hb_source_fate_words[] = {"read-only", "open", "rename", "drop", NULL};

static const struct {
    const char *name, *title;
} steps[HB_STEP_COUNT] = {
    [HB_STEP_REHEARSE] = {"rehearse", "Rehearse"},
    [HB_STEP_STOP] = {"stop_writes", "Stop writes"},
    [HB_STEP_PASS] = {"last_pass", "Last pass"},
    [HB_STEP_CHECK] = {"check", "Check"},
    [HB_STEP_STRINGS] = {"connection_strings", "Connection strings"},
    [HB_STEP_WAY_BACK] = {"way_back", "Way back"},
    [HB_STEP_SOURCE] = {"source", "Source"},
    [HB_STEP_OPEN] = {"open", "Open"},
};

const char *hb_handover_step_get_name(HbHandoverStepKind kind)
{
    return steps[kind].name;
}

const char *hb_handover_step_get_title(HbHandoverStepKind kind)
{
    return steps[kind].title;
}

/* ---- Life ---- */

static void string_free(gpointer data)
{
    HbTriedString *string = data;

    g_free(string->user);
    hb_connection_form_free(string->form);
    g_free(string->remark);
    g_free(string);
}

static void report_init(HbHandoverReport *report)
{
    report->findings = hb_findings_new();
    report->writers = g_ptr_array_new_with_free_func(g_free);
    report->strings = g_ptr_array_new_with_free_func(string_free);
    report->left_to_do = g_ptr_array_new_with_free_func(g_free);
    hb_verification_init(&report->differences);
    hb_restore_result_init(&report->pass_result);
}

static void report_clear(HbHandoverReport *report)
{
    for (int kind = 0; kind < HB_STEP_COUNT; kind++)
        g_free(report->steps[kind].did);
    g_ptr_array_unref(report->findings);
    g_ptr_array_unref(report->writers);
    g_ptr_array_unref(report->strings);
    g_ptr_array_unref(report->left_to_do);
    hb_server_info_clear(&report->from);
    hb_server_info_clear(&report->to);
    hb_verification_clear(&report->differences);
    hb_restore_result_clear(&report->pass_result);
    g_free(report->gate);
}

static HbHandover *handover_new(const HbHandoverOptions *options)
{
    HbHandover *handover = g_new0(HbHandover, 1);

    handover->options = *options;
    handover->from = options->pass.from.from;
    handover->to = options->pass.to.to;
    handover->from.watch = handover->to.watch = NULL;
    handover->report.way = options->way;
    handover->accepted = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    report_init(&handover->report);
    return handover;
}

void hb_handover_free(HbHandover *handover)
{
    if (handover == NULL)
        return;
    hb_pass_free(handover->pass);
    hb_handover_get_engine(handover)->connector->close(handover->gate);
    hb_origin_free(handover->origin);
    hb_handover_note_free(handover->note);
    g_free(handover->state);
    g_clear_pointer(&handover->check_from, g_hash_table_unref);
    g_clear_pointer(&handover->check_to, g_hash_table_unref);
    g_hash_table_unref(handover->accepted);
    report_clear(&handover->report);
    g_free(handover);
}

const HbEngine *hb_handover_get_engine(const HbHandover *handover)
{
    return handover->options.pass.from.engine;
}

const HbHandoverReport *hb_handover_get_report(const HbHandover *handover)
{
    return &handover->report;
}

gboolean hb_handover_is_blocked(const HbHandover *handover)
{
    return hb_findings_count_open(handover->report.findings) > 0;
}

/* Two looks at FROM while it must not move, a pass as the last one was, and what is read to check */
#define STILL_S 1.5

double hb_handover_guess_window(const HbHandover *handover)
{
    return STILL_S + handover->report.lag_s + handover->report.check_s;
}

HbSession *hb_handover_open_from(const HbHandover *handover, GError **error)
{
    return handover->options.pass.from.engine->connector->open(&handover->from, error);
}

HbSession *hb_handover_open_to(const HbHandover *handover, GError **error)
{
    return handover->options.pass.to.engine->connector->open(&handover->to, error);
}

/* ---- The note ---- */

gboolean hb_handover_recall(HbHandover *handover, GError **error)
{
    const HbRestoreOptions *to = &handover->options.pass.to;
    HbSession *session = hb_handover_open_to(handover, error);
    HbOrigin *origin = NULL;
    const gboolean ok = session != NULL && hb_origin_recall_in(to->engine, session, &origin, error);

    to->engine->connector->close(session);
    hb_pass_free(handover->pass); /* it borrows the old one */
    handover->pass = NULL;
    hb_origin_free(handover->origin);
    handover->origin = origin;
    handover->report.origin = origin;
    return ok && (origin != NULL ||
                  hb_error_set(error, HB_ERROR_BLOCKED,
                               "make it one: hornbeam freshen FROM TO --remember, or --keep-log to follow FROM's log",
                               "TO does not remember that it is a copy of FROM"));
}

gboolean hb_handover_write_note(HbHandover *handover, GError **error)
{
    const HbRestoreOptions *to = &handover->options.pass.to;
    HbSession *session = hb_handover_open_to(handover, error);
    g_autoptr(HbOrigin) origin = NULL;
    gboolean ok = session != NULL && hb_origin_recall_in(to->engine, session, &origin, error) &&
                  (origin != NULL || hb_error_set(error, HB_ERROR_BLOCKED, NULL, "TO has lost what it remembers"));

    if (ok) {
        hb_handover_note_free(origin->handover);
        origin->handover = hb_handover_note_copy(handover->note);
        ok = hb_origin_keep_in(to->engine, session, origin, error);
    }
    to->engine->connector->close(session);
    return ok;
}

/* ---- Steps ---- */

typedef struct {
    HbHandoverStepKind kind;
    gboolean (*run)(HbHandover *handover, char **did, GError **error);
    const char *will;
} Step;

static void tell(const HbHandover *handover, HbSeverity severity, HbHandoverStepKind kind, const char *what)
{
    hb_observers_note(handover->options.pass.from.observers, severity, NULL, "step %d of %d, %s: %s", kind + 1,
                      HB_STEP_COUNT, hb_handover_step_get_title(kind), what);
}

static gboolean run_step(HbHandover *handover, const Step *step, GError **error)
{
    HbHandoverStep *state = &handover->report.steps[step->kind];
    HbStop *stop = handover->options.pass.from.stop;
    GError *ours = NULL;
    gboolean ok;

    if (!handover->report.is_over && hb_stop_is_set(stop))
        return hb_stop_set_error(error);
    tell(handover, HB_SEVERITY_NOTE, step->kind, step->will);
    state->state = HB_HANDOVER_RUNS;
    state->began_us = g_get_real_time();
    g_clear_pointer(&state->did, g_free);
    ok = step->run(handover, &state->did, &ours);
    state->ended_us = g_get_real_time();
    state->state = ok ? HB_HANDOVER_DONE : HB_HANDOVER_FAILED;
    if (ok) {
        g_autofree char *line =
            g_strdup_printf("%s (%.1f s)", state->did, (double)(state->ended_us - state->began_us) / G_USEC_PER_SEC);
        tell(handover, HB_SEVERITY_NOTE, step->kind, line);
        return TRUE;
    }
    g_free(state->did);
    state->did = g_strdup(ours->message);
    g_propagate_error(error, ours);
    return FALSE;
}

static gboolean skip_step(HbHandover *handover, HbHandoverStepKind kind, const char *why)
{
    handover->report.steps[kind].state = HB_HANDOVER_SKIPPED;
    handover->report.steps[kind].did = g_strdup(why);
    return TRUE;
}

static gboolean run_way_back(HbHandover *handover, GError **error)
{
    const Step step = {HB_STEP_WAY_BACK, hb_handover_prepare_way_back,
                       "TO keeps its log from now on, and FROM becomes a copy of TO"};

    return handover->options.way_back ? run_step(handover, &step, error)
                                      : skip_step(handover, HB_STEP_WAY_BACK, "not asked for (--way-back)");
}

static gboolean run_check(HbHandover *handover, GError **error)
{
    const Step step = {HB_STEP_CHECK, hb_handover_check, "both sides are compared"};

    return handover->options.check != HB_CHECK_NONE ? run_step(handover, &step, error)
                                                    : skip_step(handover, HB_STEP_CHECK, "not wanted (--check none)");
}

/* What is done in spite of a server that is being started again is tried for as long as that takes */
static const guint waits_ms[] = {0, 300, 700, 1500, 3000, 5000, 8000};

/* Its sessions at FROM would be in the gate's way */
static void end_pass(HbHandover *handover)
{
    hb_pass_free(handover->pass);
    handover->pass = NULL;
}

/* Up to here everything can be taken back */
static gboolean run_until_no_return(HbHandover *handover, GError **error)
{
    const Step stop = {HB_STEP_STOP, hb_handover_stop_writes, handover->report.gate},
               pass = {HB_STEP_PASS, hb_handover_last_pass, "what was written last comes over"},
               strings = {HB_STEP_STRINGS, hb_handover_try_strings, "each that can be tried here is tried"};

    end_pass(handover);
    return run_step(handover, &stop, error) && run_step(handover, &pass, error) && run_check(handover, error) &&
           run_step(handover, &strings, error) && run_way_back(handover, error) &&
           hb_handover_is_still(handover, error);
}

/* A write whose answer did not come may have been done: TO is asked, for as long as a server needs to come back. FALSE:
 * it cannot be asked */
static gboolean learn_outcome(HbHandover *handover, gboolean *is_opened)
{
    for (guint i = 0; i < G_N_ELEMENTS(waits_ms); i++) {
        g_autoptr(HbOrigin) origin = NULL;
        HbSession *session = hb_handover_open_to(handover, NULL);
        const gboolean known =
            session != NULL && hb_origin_recall_in(hb_handover_get_engine(handover), session, &origin, NULL);
        hb_handover_get_engine(handover)->connector->close(session);
        if (known) {
            *is_opened = origin != NULL && origin->handover != NULL && origin->handover->is_opened;
            return TRUE;
        }
        g_usleep(waits_ms[i] * 1000);
    }
    return FALSE;
}

static gboolean note_no_return(HbHandover *handover, GError **error)
{
    GError *ours = NULL;
    gboolean is_opened = FALSE;

    handover->note->is_opened = TRUE;
    if (hb_handover_write_note(handover, &ours))
        return TRUE;
    handover->is_unknown = !learn_outcome(handover, &is_opened);
    if (is_opened) {
        g_error_free(ours);
        return TRUE;
    }
    handover->note->is_opened = FALSE;
    g_propagate_error(error, ours);
    return FALSE;
}

static gboolean pass_no_return(HbHandover *handover, GError **error)
{
    if (hb_stop_is_set(handover->options.pass.from.stop))
        return hb_stop_set_error(error);
    if (!hb_handover_plan_closing(handover, error) || !note_no_return(handover, error))
        return FALSE;
    handover->report.is_over = TRUE;
    end_pass(handover);
    hb_observers_note(handover->options.pass.from.observers, HB_SEVERITY_NOTE, NULL,
                      "the point of no return: from here on the way is forward; TO takes FROM's place");
    return TRUE;
}

static gboolean run_to_the_end(HbHandover *handover, GError **error)
{
    const Step source = {HB_STEP_SOURCE, hb_handover_settle_source, "what becomes of FROM"},
               open = {HB_STEP_OPEN, hb_handover_open_target, "TO forgets that it was a copy"};

    if (run_step(handover, &source, error) && run_step(handover, &open, error)) {
        handover->report.opened_us = g_get_real_time();
        hb_handover_try_strings_at_the_end(handover);
        return TRUE;
    }
    g_prefix_error(error, "TO has taken FROM's place, but the hand-over has not ended: ");
    return FALSE;
}

/* ---- Undoing ---- */

static void say_closed(HbHandover *handover, const GError *cause)
{
    hb_observers_note(handover->options.pass.from.observers, HB_SEVERITY_ERROR,
                      "hornbeam handover FROM TO --undo lets it in again, as soon as both can be reached",
                      "FROM IS STILL CLOSED to applications: %s", cause->message);
}

static gboolean let_in(HbHandover *handover, GError **error)
{
    g_autoptr(GError) cause = NULL;

    for (guint i = 0; i < G_N_ELEMENTS(waits_ms); i++) {
        g_usleep(waits_ms[i] * 1000);
        g_clear_error(&cause);
        if (hb_handover_let_in(handover, &cause))
            return TRUE;
        if (!hb_error_is(cause, HB_ERROR_CONNECT) && !hb_error_is(cause, HB_ERROR_LOST))
            break;
    }
    g_propagate_error(error, g_steal_pointer(&cause));
    return FALSE;
}

static void say_unknown(HbHandover *handover)
{
    hb_observers_note(
        handover->options.pass.from.observers, HB_SEVERITY_ERROR,
        "when TO can be reached: hornbeam handover FROM TO --undo, and if that says that it is too late, --resume",
        "it is not known whether TO has noted that it takes FROM's place: FROM STAYS CLOSED");
}

/* Whatever went wrong: FROM first, then the notes of it */
static void undo(HbHandover *handover)
{
    g_autoptr(GError) ours = NULL;

    end_pass(handover);
    if (handover->note == NULL)
        return;
    if (handover->is_unknown) {
        say_unknown(handover);
        return;
    }
    hb_handover_forget_way_back(handover);
    if (!let_in(handover, &ours)) {
        say_closed(handover, ours);
        return;
    }
    handover->report.is_undone = TRUE;
    g_clear_pointer(&handover->note, hb_handover_note_free);
    if (hb_handover_write_note(handover, &ours))
        hb_observers_note(handover->options.pass.from.observers, HB_SEVERITY_NOTE, NULL,
                          "FROM is open to applications again, as it was; TO remains its copy");
    else
        hb_observers_note(handover->options.pass.from.observers, HB_SEVERITY_WARNING,
                          "hornbeam handover FROM TO --undo, as soon as TO can be reached",
                          "FROM is open to applications again, but TO could not note that: %s", ours->message);
}

gboolean hb_handover_run(HbHandover *handover, GError **error)
{
    if (handover->note != NULL && handover->note->is_opened) {
        handover->report.is_over = TRUE;
        return run_to_the_end(handover, error);
    }
    if (!run_until_no_return(handover, error) || !pass_no_return(handover, error)) {
        undo(handover);
        return FALSE;
    }
    return run_to_the_end(handover, error);
}

/* ---- Whole ---- */

static gboolean rehearse(HbHandover *handover, char **did, GError **error)
{
    *did = g_strdup("everything that can be known was looked at");
    return hb_handover_rehearse(handover, error);
}

HbHandover *hb_handover_open(const HbHandoverOptions *options, gboolean is_rehearsal, GError **error)
{
    HbHandover *handover = handover_new(options);
    const Step step = {HB_STEP_REHEARSE, rehearse,
                       is_rehearsal ? "both sides are looked at"
                                    : "TO is brought up to date, and both sides looked at"};

    handover->is_rehearsal = is_rehearsal;
    if (run_step(handover, &step, error))
        return handover;
    hb_handover_free(handover);
    return NULL;
}

static gboolean undo_noted(HbHandover *handover, char **what, GError **error)
{
    if (handover->origin->handover == NULL)
        return hb_error_set(error, HB_ERROR_BLOCKED, NULL, "TO knows of no hand-over that was broken off");
    if (handover->origin->handover->is_opened)
        return hb_error_set(error, HB_ERROR_BLOCKED, "hornbeam handover FROM TO --resume ends it",
                            "the hand-over is past its point of no return: applications may have written to TO");
    handover->note = hb_handover_note_copy(handover->origin->handover);
    *what = g_strdup_printf("the hand-over that began at %s", handover->note->began);
    hb_handover_forget_way_back(handover);
    if (!hb_handover_let_in(handover, error))
        return FALSE;
    g_clear_pointer(&handover->note, hb_handover_note_free);
    return hb_handover_write_note(handover, error);
}

gboolean hb_handover_undo(const HbHandoverOptions *options, char **what, GError **error)
{
    HbHandover *handover = handover_new(options);
    const gboolean ok = hb_handover_recall(handover, error) && undo_noted(handover, what, error);

    hb_handover_free(handover);
    return ok;
}
