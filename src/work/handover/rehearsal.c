/* SPDX-License-Identifier: Apache-2.0 */
#include "core/base/error.h"
#include "work/handover/handover_inner.h"
#include "work/restore/claim.h"

#include <string.h>

/* Measured on a small machine, reading and hashing on both sides, for each session */
#define CHECKED_A_SECOND (40.0 * 1024 * 1024)

static HbFinding *add(HbHandover *handover, HbFindingLevel level, const char *name, const char *object,
                      const char *what)
{
    return hb_findings_add(handover->report.findings, level, name, object, "%s", what);
}

/* ---- The sides ---- */

static gboolean describe(const HbConnector *connector, HbSession *session, HbServerInfo *info, GError **error)
{
    const gboolean ok = session != NULL && connector->describe(session, info, error);

    connector->close(session);
    return ok;
}

/* A run that was killed behind its point of no return may have dropped or renamed FROM */
static gboolean describe_from(HbHandover *handover, GError **error)
{
    const HbEngine *engine = hb_handover_get_engine(handover);
    g_autofree char *database = engine->connector->get_database(handover->from.uri);
    HbAddress from = handover->from;
    gboolean exists = TRUE;

    from.database = database;
    if (handover->note == NULL || !handover->note->is_opened)
        return describe(engine->connector, hb_handover_open_from(handover, error), &handover->report.from, error);
    if (!engine->target->find(&from, &handover->report.from, &exists, error))
        return FALSE;
    handover->is_gone = !exists;
    g_free(handover->report.from.database);
    handover->report.from.database = g_steal_pointer(&database);
    return TRUE;
}

static gboolean describe_both(HbHandover *handover, GError **error)
{
    const HbConnector *connector = hb_handover_get_engine(handover)->connector;

    return describe_from(handover, error) &&
           describe(connector, hb_handover_open_to(handover, error), &handover->report.to, error);
}

/* ---- One that has begun ---- */

static guint find_word(const char *const *words, const char *word)
{
    for (guint i = 0; words[i] != NULL; i++) {
        if (strcmp(words[i], word) == 0)
            return i;
    }
    return 0;
}

static gboolean adopt_note(HbHandover *handover, GError **error)
{
    const HbHandoverNote *note = handover->origin->handover;

    if (handover->options.resumes != (note != NULL))
        return note != NULL
                   ? hb_error_set(error, HB_ERROR_BLOCKED,
                                  note->is_opened ? "hornbeam handover FROM TO --resume ends it"
                                                  : "hornbeam handover FROM TO --resume goes on with it, --undo lets "
                                                    "the applications into FROM again",
                                  "a hand-over that began at %s has not ended%s", note->began,
                                  note->is_opened ? "; TO has taken FROM's place" : ": FROM is closed to applications")
                   : hb_error_set(error, HB_ERROR_BLOCKED, "leave out --resume",
                                  "TO knows of no hand-over that was broken off");
    if (note == NULL)
        return TRUE;
    handover->note = hb_handover_note_copy(note);
    handover->report.way = (HbStopWay)find_word(hb_stop_way_words, note->way);
    handover->options.way_back = note->way_back;
    handover->options.fate = (HbSourceFate)find_word(hb_source_fate_words, note->source);
    if (handover->report.way == HB_WAY_COMMAND && handover->options.command == NULL)
        return hb_error_set(error, HB_ERROR_USAGE, "give the route again that names the command",
                            "a command stopped the applications, and is not known here");
    return TRUE;
}

/* ---- Is TO what FROM is? ---- */

static HbPart get_part(const HbHandover *handover, const char *identity)
{
    const HbManifest *source = hb_pass_get_source(handover->pass);
    const HbObject *object = hb_catalog_find(source->catalog, identity);

    return object != NULL ? hb_kind_get_traits(object->kind)->part : HB_PART_SCHEMA;
}

/* What the next pass brings is no difference */
static gboolean is_coming(const HbHandover *handover, const HbDifference *difference)
{
    return handover->is_rehearsal && difference->type == HB_DIFFERENCE_MISSING;
}

static void add_differences(HbHandover *handover)
{
    const GPtrArray *differences = handover->report.differences.differences;

    for (guint i = 0; i < differences->len; i++) {
        const HbDifference *one = differences->pdata[i];
        const HbPart part = get_part(handover, one->identity);
        if (is_coming(handover, one))
            continue;
        hb_finding_advise(
            hb_findings_add(handover->report.findings,
                            part == HB_PART_SCHEMA || part == HB_PART_DATA ? HB_FINDING_BLOCKER : HB_FINDING_WARNING,
                            "not-as-source", one->identity, "TO differs from FROM: %s",
                            hb_difference_get_name(one->type)),
            "hornbeam verify FROM TO shows how; mend it in TO, or accept it", NULL);
    }
}

static void add_restore_findings(HbHandover *handover)
{
    const GPtrArray *found = hb_restore_get_findings(hb_pass_get_restore(handover->pass));

    for (guint i = 0; i < found->len; i++) {
        const HbFinding *one = found->pdata[i];
        if (strcmp(one->name, "another-run") == 0)
            hb_finding_advise(add(handover, HB_FINDING_NOTE, one->name, one->object, one->what),
                              "if it keeps TO up, the hand-over asks it to end, and waits", NULL);
        else if (one->level == HB_FINDING_BLOCKER && !one->accepted)
            hb_finding_advise(add(handover, one->level, one->name, one->object, one->what), one->todo, one->sql);
    }
}

static void add_strings(HbHandover *handover)
{
    g_autoptr(GError) cause = NULL;
    g_autofree char *did = NULL;

    if (!hb_handover_check_strings(handover, &did, &cause))
        hb_finding_advise(
            add(handover, HB_FINDING_BLOCKER, HB_HANDOVER_STRING_FAILS, handover->report.to.database, cause->message),
            hb_error_hint(cause), NULL);
}

/* How far TO is behind, and until when FROM's server keeps what it needs */
static void add_kept(HbHandover *handover)
{
    const HbEngine *engine = hb_handover_get_engine(handover);
    g_autoptr(GArray) kept =
        engine->log != NULL ? engine->log->list(handover->gate, handover->origin->log_name, NULL) : NULL;
    const HbKeptLog *log = kept != NULL && kept->len > 0 ? &g_array_index(kept, HbKeptLog, 0) : NULL;

    if (log == NULL)
        return;
    handover->report.log_bytes = log->bytes;
    hb_findings_add(handover->report.findings, log->complaint != NULL ? HB_FINDING_WARNING : HB_FINDING_NOTE,
                    "retention", handover->report.from.database, "FROM keeps its log for TO: %s",
                    log->complaint != NULL ? log->complaint : log->limit);
}

static void add_log(HbHandover *handover)
{
    if (handover->origin->log_name != NULL)
        add_kept(handover);
    else
        hb_finding_advise(add(handover, HB_FINDING_NOTE, "retention", handover->report.from.database,
                              "FROM keeps no log for TO: the last pass compares all rows of both sides, and the window "
                              "is as long as that"),
                          "freshen FROM TO --keep-log first makes it some seconds", NULL);
}

/* ---- How long it will take ---- */

static void guess_check(HbHandover *handover)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(hb_pass_get_source(handover->pass)->catalog);
    g_autoptr(GHashTable) from = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL),
                          to = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    hb_pass_list_changed(handover->pass, handover->origin->changed, from, to);
    for (guint i = 0; i < sets->len && handover->options.check != HB_CHECK_NONE; i++) {
        const HbRowSet *set = sets->pdata[i];
        if (handover->options.check != HB_CHECK_ALL && !g_hash_table_contains(from, set->table))
            continue;
        handover->report.check_tables++;
        handover->report.check_bytes += set->bytes;
    }
    handover->report.check_s =
        0.3 + (double)handover->report.check_bytes / (CHECKED_A_SECOND * MAX(handover->options.pass.from.jobs, 1));
}

static void guess_pass(HbHandover *handover)
{
    handover->report.lag_s = hb_pass_get_seconds_compared(handover->pass) + hb_pass_guess_seconds(handover->pass) + 0.3;
}

/* ---- Whoever has TO now ---- */

/* Somebody keeps TO up, perhaps: it is asked to end, and waited for */
static gboolean take_turn(HbHandover *handover, GError **error)
{
    const HbRestoreOptions *to = &handover->options.pass.to;
    const HbClaimTurn turn = {to->engine, &to->to, to->stop, to->observers};

    return hb_claim_await_turn(&turn, error);
}

/* ---- All of it ---- */

static void accept(HbHandover *handover)
{
    hb_findings_accept(handover->report.findings, handover->options.pass.to.accept);
    hb_findings_sort(handover->report.findings);
    for (guint i = 0; i < handover->report.findings->len; i++) {
        const HbFinding *one = handover->report.findings->pdata[i];
        if (one->accepted || one->level != HB_FINDING_BLOCKER)
            g_hash_table_add(handover->accepted, g_strdup(one->object));
    }
}

/* Of one that has begun, users and settings were looked at then; what stops writing is a difference by now */
static gboolean bring(HbHandover *handover, GError **error)
{
    const guint parts = handover->note != NULL ? HB_PART_SCHEMA | HB_PART_DATA : HB_PART_ALL;

    return hb_handover_bring(handover, parts, handover->is_rehearsal ? HB_BRING_NOTHING : HB_BRING_AND_COMPARE, error);
}

static gboolean check_fate(const HbHandover *handover, GError **error)
{
    return handover->options.fate != HB_SOURCE_RENAME ||
           hb_handover_get_engine(handover)->gate->rename_database != NULL ||
           hb_error_set(error, HB_ERROR_USAGE, "use --source read-only", "a database of %s cannot be renamed",
                        handover->report.from.product);
}

gboolean hb_handover_rehearse(HbHandover *handover, GError **error)
{
    if (!hb_handover_recall(handover, error) || !adopt_note(handover, error) || !describe_both(handover, error) ||
        !check_fate(handover, error))
        return FALSE;
    if (handover->note != NULL && handover->note->is_opened) {
        add_strings(handover);
        return TRUE;
    }
    if ((!handover->is_rehearsal && !take_turn(handover, error)) || !hb_handover_choose_way(handover, error) ||
        !bring(handover, error) || !hb_handover_look_at_gate(handover, error))
        return FALSE;
    add_differences(handover);
    if (handover->is_rehearsal)
        add_restore_findings(handover);
    add_strings(handover);
    add_log(handover);
    hb_handover_look_at_way_back(handover);
    guess_pass(handover);
    guess_check(handover);
    accept(handover);
    return TRUE;
}
