/* SPDX-License-Identifier: Apache-2.0 */
#include "core/base/error.h"
#include "core/base/name_list.h"
#include "work/handover/handover_inner.h"

#include <string.h>

/* FROM stands still when nobody has written something that is not committed, and two looks, so far apart, find the same
 */
#define LOOKS_APART_MS 1100
#define PATIENCE_S     20

static const HbGate *gate_of(const HbHandover *handover)
{
    return hb_handover_get_engine(handover)->gate;
}

static const HbAddress *from_of(const HbHandover *handover)
{
    return &handover->options.pass.from.from;
}

/* A session that broke is opened again: what was stopped must not stay so for that */
static gboolean open_gate(HbHandover *handover, GError **error)
{
    const HbEngine *engine = hb_handover_get_engine(handover);

    engine->connector->close(handover->gate);
    handover->gate = hb_handover_open_from(handover, error);
    return handover->gate != NULL;
}

static gboolean is_by_engine(HbStopWay way)
{
    return way == HB_WAY_SESSIONS || way == HB_WAY_READ_ONLY;
}

static HbGateWay get_gate_way(const HbHandover *handover)
{
    return handover->report.way == HB_WAY_SESSIONS ? HB_GATE_SESSIONS : HB_GATE_READ_ONLY;
}

/* ---- Looking ahead ---- */

gboolean hb_handover_choose_way(HbHandover *handover, GError **error)
{
    g_autofree char *note = NULL;

    if (!open_gate(handover, error))
        return FALSE;
    if (handover->report.way == HB_WAY_AUTO)
        handover->report.way =
            gate_of(handover)->find_best(handover->gate, handover->options.way_back) == HB_GATE_READ_ONLY
                ? HB_WAY_READ_ONLY
                : HB_WAY_SESSIONS;
    if (!is_by_engine(handover->report.way)) {
        handover->report.gate = g_strdup(handover->report.way == HB_WAY_ASK ? "a person stops the applications"
                                                                            : "a command stops the applications");
        return TRUE;
    }
    note = handover->note != NULL ? g_strdup(handover->note->gate)
                                  : gate_of(handover)->make_note(handover->gate, get_gate_way(handover), error);
    handover->report.gate = note != NULL ? gate_of(handover)->describe(note) : NULL;
    return note != NULL || (handover->note != NULL &&
                            hb_error_set(error, HB_ERROR_BLOCKED, "hornbeam handover FROM TO --undo, and begin again",
                                         "TO does not remember how FROM was closed"));
}

static GArray *list_ours(const HbHandover *handover)
{
    return hb_stop_list_ids(handover->options.pass.from.stop, from_of(handover)->uri);
}

gboolean hb_handover_look_at_gate(HbHandover *handover, GError **error)
{
    g_autoptr(GArray) ours = list_ours(handover);
    g_autofree char *state = NULL, *counters = NULL;

    return (!is_by_engine(handover->report.way) ||
            gate_of(handover)->look(handover->gate, get_gate_way(handover), ours, handover->report.findings, error)) &&
           gate_of(handover)->find_writers(handover->gate, ours, handover->report.writers, &state, &counters, error);
}

/* ---- Stopping ---- */

static gboolean run_command(const HbHandover *handover, const char *word, GError **error)
{
    g_autoptr(GPtrArray) words = g_ptr_array_new();
    g_autoptr(GError) cause = NULL;
    int status;

    for (char *const *one = handover->options.command; *one != NULL; one++)
        g_ptr_array_add(words, *one);
    g_ptr_array_add(words, (gpointer)word);
    g_ptr_array_add(words, NULL);
    if (g_spawn_sync(NULL, (char **)words->pdata, NULL, G_SPAWN_SEARCH_PATH | G_SPAWN_STDOUT_TO_DEV_NULL, NULL, NULL,
                     NULL, NULL, &status, &cause) &&
        g_spawn_check_wait_status(status, &cause))
        return TRUE;
    return hb_error_set(error, HB_ERROR_BLOCKED, "see why it fails, by hand", "%s %s: %s",
                        (const char *)words->pdata[0], word, cause->message);
}

static gboolean stop_by_engine(HbHandover *handover, GError **error)
{
    g_autoptr(GArray) ours = list_ours(handover);
    guint ended;

    return gate_of(handover)->end_sessions(handover->gate, handover->note->gate, ours, &ended, error) &&
           gate_of(handover)->stop(handover->gate, handover->note->gate, error) &&
           gate_of(handover)->end_sessions(handover->gate, handover->note->gate, ours, &ended, error);
}

static gboolean stop_somehow(HbHandover *handover, GError **error)
{
    if (is_by_engine(handover->report.way))
        return stop_by_engine(handover, error);
    if (handover->report.way == HB_WAY_COMMAND)
        return run_command(handover, "stop", error);
    return handover->options.ask(handover->options.data,
                                 "Stop the applications now: nothing may write to FROM any more", error);
}

static gboolean make_note(HbHandover *handover, GError **error)
{
    g_autoptr(GDateTime) now = g_date_time_new_now_utc();
    HbHandoverNote *note;

    if (handover->note != NULL) /* one that is resumed: what it found open is what is to be opened */
        return TRUE;
    note = g_new0(HbHandoverNote, 1);
    note->began = g_date_time_format(now, "%Y-%m-%dT%H:%M:%SZ");
    note->way = g_strdup(hb_stop_way_words[handover->report.way]);
    note->source = g_strdup(hb_source_fate_words[handover->options.fate]);
    note->way_back = handover->options.way_back;
    if (is_by_engine(handover->report.way))
        note->gate = gate_of(handover)->make_note(handover->gate, get_gate_way(handover), error);
    if (is_by_engine(handover->report.way) && note->gate == NULL) {
        hb_handover_note_free(note);
        return FALSE;
    }
    handover->note = note;
    if (hb_handover_write_note(handover, error))
        return TRUE;
    g_clear_pointer(&handover->note, hb_handover_note_free);
    return FALSE;
}

/* ---- Is it still? ---- */

static char *join_writers(const GPtrArray *writers)
{
    HbNameList list;

    hb_name_list_init(&list, 5);
    for (guint i = 0; i < writers->len; i++)
        hb_name_list_add(&list, writers->pdata[i]);
    return hb_name_list_end(&list);
}

typedef struct {
    GPtrArray *writers;
    char *state, *counters;
} Look;

static void look_clear(Look *look)
{
    g_clear_pointer(&look->writers, g_ptr_array_unref);
    g_clear_pointer(&look->state, g_free);
    g_clear_pointer(&look->counters, g_free);
}

static gboolean look(HbHandover *handover, Look *seen, GError **error)
{
    g_autoptr(GArray) ours = list_ours(handover);

    *seen = (Look){.writers = g_ptr_array_new_with_free_func(g_free)};
    return gate_of(handover)->find_writers(handover->gate, ours, seen->writers, &seen->state, &seen->counters, error);
}

static gboolean is_same(const Look *one, const Look *other)
{
    return one->writers->len == 0 && g_strcmp0(one->state, other->state) == 0 &&
           g_strcmp0(one->counters, other->counters) == 0;
}

/* Who comes in all the same is sent away again */
static gboolean press(HbHandover *handover, GError **error)
{
    g_autoptr(GArray) ours = list_ours(handover);
    guint ended;

    return !is_by_engine(handover->report.way) ||
           gate_of(handover)->end_sessions(handover->gate, handover->note->gate, ours, &ended, error);
}

static gboolean set_written_error(const Look *seen, const char *what, GError **error)
{
    g_autofree char *names = join_writers(seen->writers);

    return hb_error_set(error, HB_ERROR_BLOCKED, "stop what writes there; see --stop-writes for other ways", "%s%s%s",
                        what, *names != '\0' ? ": " : "", names);
}

static gboolean await_stillness(HbHandover *handover, GError **error)
{
    const gint64 deadline = g_get_monotonic_time() + PATIENCE_S * G_USEC_PER_SEC;
    Look last, now;
    gboolean ok = look(handover, &last, error), is_still = FALSE;

    while (ok && !is_still) {
        ok = press(handover, error) &&
             (hb_stop_sleep(handover->options.pass.from.stop, LOOKS_APART_MS) || hb_stop_set_error(error));
        if (!ok)
            break;
        ok = look(handover, &now, error);
        is_still = ok && is_same(&now, &last);
        look_clear(&last);
        last = now;
        if (ok && !is_still && g_get_monotonic_time() > deadline)
            ok = set_written_error(&last, "FROM is still written to", error);
    }
    g_free(handover->state);
    handover->state = g_strdup(last.state);
    look_clear(&last);
    return ok;
}

/* Writing to FROM has been stopped since the run that is resumed */
static gint64 find_begin(const HbHandover *handover)
{
    g_autoptr(GTimeZone) utc = g_time_zone_new_utc();
    g_autoptr(GDateTime) began =
        handover->note != NULL ? g_date_time_new_from_iso8601(handover->note->began, utc) : NULL;

    return began != NULL ? g_date_time_to_unix(began) * G_USEC_PER_SEC : g_get_real_time();
}

gboolean hb_handover_stop_writes(HbHandover *handover, char **did, GError **error)
{
    g_autofree char *time = NULL;
    g_autoptr(GDateTime) now = NULL;

    if (handover->gate == NULL && !open_gate(handover, error))
        return FALSE;
    handover->report.stopped_us = find_begin(handover);
    if (!make_note(handover, error) || !stop_somehow(handover, error) || !await_stillness(handover, error))
        return FALSE;
    now = g_date_time_new_now_utc();
    time = g_date_time_format(now, "%H:%M:%S");
    *did = g_strdup_printf("FROM stands still since %s UTC: %s", time, handover->report.gate);
    return TRUE;
}

/* ---- Still still? ---- */

/* What the log tells after the place that the copy has reached: it must be nothing */
static gboolean is_log_silent(HbHandover *handover, GError **error)
{
    g_autofree char *table = NULL;

    if (!hb_pass_find_unread(handover->pass, &table, error))
        return FALSE;
    return table == NULL ||
           hb_error_set(error, HB_ERROR_BLOCKED, "stop what writes there; see --stop-writes for other ways",
                        "FROM was written to after it stood still: table %s", table);
}

gboolean hb_handover_is_still(HbHandover *handover, GError **error)
{
    Look seen;
    gboolean ok = look(handover, &seen, error) && is_log_silent(handover, error);

    if (ok && (seen.writers->len > 0 || g_strcmp0(seen.state, handover->state) != 0))
        ok = set_written_error(&seen, "FROM was written to after it stood still", error);
    look_clear(&seen);
    return ok;
}

/* ---- Letting in ---- */

gboolean hb_handover_let_in(HbHandover *handover, GError **error)
{
    const HbHandoverNote *note = handover->note;

    if (strcmp(note->way, hb_stop_way_words[HB_WAY_COMMAND]) == 0 && handover->options.command == NULL)
        return hb_error_set(error, HB_ERROR_USAGE, "give the route again that names the command",
                            "a command stopped the applications, and is not known here");
    if (strcmp(note->way, hb_stop_way_words[HB_WAY_COMMAND]) == 0)
        return run_command(handover, "open", error);
    if (note->gate == NULL) {
        hb_observers_note(handover->options.pass.from.observers, HB_SEVERITY_WARNING, NULL,
                          "let the applications write to FROM again");
        return TRUE;
    }
    return open_gate(handover, error) && gate_of(handover)->open(handover->gate, note->gate, error);
}

/* ---- What becomes of it ---- */

static void say_how_to_open(HbHandover *handover)
{
    g_autoptr(GPtrArray) statements =
        gate_of(handover)->list_opening(handover->report.from.database, handover->note->closed, NULL);
    g_autoptr(GString) list = g_string_new("FROM can be written to again after:");

    for (guint i = 0; statements != NULL && i < statements->len; i++)
        g_string_append_printf(list, " %s;", (const char *)statements->pdata[i]);
    if (statements != NULL && statements->len > 0)
        g_ptr_array_add(handover->report.left_to_do, g_strdup(list->str));
}

/* Once, before anything of it is done: what a run that was killed in the middle of it left is not how FROM was */
gboolean hb_handover_plan_closing(HbHandover *handover, GError **error)
{
    const HbGate *gate = gate_of(handover);
    HbHandoverNote *note = handover->note;
    g_autofree char *lasting = NULL;

    if (note->closed != NULL || handover->options.fate == HB_SOURCE_OPEN || handover->options.fate == HB_SOURCE_DROP)
        return TRUE;
    lasting = gate->make_note(handover->gate, gate->find_lasting(handover->gate, note->way_back), error);
    if (lasting != NULL)
        note->closed = note->gate != NULL && gate->is_same_way(note->gate, lasting) ? g_strdup(note->gate)
                                                                                    : g_steal_pointer(&lasting);
    return note->closed != NULL;
}

/* What is to last is set before what was for the window only goes */
static gboolean close_for_good(HbHandover *handover, GError **error)
{
    const HbGate *gate = gate_of(handover);
    const HbHandoverNote *note = handover->note;
    g_autoptr(GArray) ours = list_ours(handover);
    guint ended;

    if (g_strcmp0(note->gate, note->closed) == 0)
        return TRUE;
    return gate->stop(handover->gate, note->closed, error) &&
           gate->end_sessions(handover->gate, note->closed, ours, &ended, error) &&
           (note->gate == NULL || gate->open(handover->gate, note->gate, error));
}

static gboolean release_log(HbHandover *handover, GError **error)
{
    const HbEngine *engine = hb_handover_get_engine(handover);
    const char *name = handover->origin->log_name;

    return name == NULL || engine->log == NULL || engine->log->release(handover->gate, name, error);
}

/* FROM, which is the copy now, remembers how it is closed, so that its own hand-over opens it */
static gboolean note_gate(HbHandover *handover, GError **error)
{
    const HbEngine *engine = hb_handover_get_engine(handover);
    g_autoptr(HbOrigin) origin = NULL;

    if (!hb_origin_recall_in(engine, handover->gate, &origin, error))
        return FALSE;
    if (origin == NULL)
        return TRUE;
    g_free(origin->gate);
    origin->gate = g_strdup(handover->note->closed);
    return hb_origin_keep_in(engine, handover->gate, origin, error);
}

static gboolean close_source(HbHandover *handover, char **did, GError **error)
{
    g_autofree char *what = NULL;

    if (!hb_handover_plan_closing(handover, error) || !close_for_good(handover, error) ||
        (handover->note->way_back && !note_gate(handover, error)))
        return FALSE;
    what = gate_of(handover)->describe(handover->note->closed);
    say_how_to_open(handover);
    *did = g_strdup_printf("FROM stays, closed: %s", what);
    return TRUE;
}

static gboolean rename_source(HbHandover *handover, char **did, GError **error)
{
    g_autoptr(GDateTime) now = g_date_time_new_now_utc();
    g_autofree char *day = g_date_time_format(now, "%Y_%m_%d"), *closed = NULL,
                    *name = g_strdup_printf("%.40s_until_%s", handover->report.from.database, day);

    if (!close_source(handover, &closed, error))
        return FALSE;
    g_ptr_array_set_size(handover->report.left_to_do, 0); /* it says the old name */
    g_clear_pointer(&handover->gate, hb_handover_get_engine(handover)->connector->close);
    if (!gate_of(handover)->rename_database(from_of(handover), name, error))
        return FALSE;
    *did = g_strdup_printf("FROM is called %s now, and may only be read", name);
    return TRUE;
}

static gboolean drop_source(HbHandover *handover, char **did, GError **error)
{
    g_autoptr(GArray) ours = list_ours(handover);
    guint ended;

    if (!gate_of(handover)->end_sessions(handover->gate, handover->note->gate, ours, &ended, error))
        return FALSE;
    g_clear_pointer(&handover->gate, hb_handover_get_engine(handover)->connector->close);
    *did = g_strdup("FROM is dropped");
    return gate_of(handover)->drop_database(from_of(handover), error);
}

gboolean hb_handover_settle_source(HbHandover *handover, char **did, GError **error)
{
    if (handover->is_gone) {
        *did = g_strdup("it was dropped, or renamed, before the hand-over broke off");
        return TRUE;
    }
    if (handover->gate == NULL && !open_gate(handover, error))
        return FALSE;
    if (!release_log(handover, error))
        return FALSE;
    switch (handover->options.fate) { /* as it was noted, where it is resumed */
    case HB_SOURCE_OPEN:
        *did = g_strdup("FROM is open again: TO was a copy, and goes its own way");
        return hb_handover_let_in(handover, error);
    case HB_SOURCE_RENAME:
        return rename_source(handover, did, error);
    case HB_SOURCE_DROP:
        return drop_source(handover, did, error);
    default:
        return close_source(handover, did, error);
    }
}

/* ---- TO ---- */

gboolean hb_handover_open_target(HbHandover *handover, char **did, GError **error)
{
    const HbEngine *engine = hb_handover_get_engine(handover);
    HbSession *session = hb_handover_open_to(handover, error);
    gboolean ok = session != NULL;

    if (ok && handover->origin->gate != NULL)
        ok = engine->gate->open(session, handover->origin->gate, error);
    ok = ok && engine->target->drop_origin(session, error);
    engine->connector->close(session);
    *did = g_strdup(handover->origin->gate != NULL ? "TO is open to applications again, and no copy any more"
                                                   : "TO is no copy any more: applications may write to it");
    return ok;
}
