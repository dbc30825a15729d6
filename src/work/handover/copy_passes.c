/* SPDX-License-Identifier: Apache-2.0 */
#include "core/base/error.h"
#include "work/handover/handover_inner.h"

/* A pass that finds that the log cannot be followed, or that something of the structure has changed, is followed by
 * another one; not for ever */
#define PASSES_MAX 5

/* ---- Bringing the copy up to date ---- */

static gboolean open_pass(HbHandover *handover, guint parts, HbPassOptions *options, GError **error)
{
    if (!hb_handover_recall(handover, error))
        return FALSE;
    *options = handover->options.pass;
    if (!hb_pass_adopt_origin(options, handover->origin, error))
        return FALSE;
    options->from.parts = options->to.parts = handover->origin->parts & parts;
    options->to.analyze = FALSE;
    handover->pass = hb_pass_open(options, error);
    return handover->pass != NULL;
}

static HbRestoreResult *get_result(HbHandover *handover)
{
    hb_restore_result_clear(&handover->report.pass_result);
    hb_restore_result_init(&handover->report.pass_result);
    return &handover->report.pass_result;
}

static gboolean run_pass(HbHandover *handover, GError **error)
{
    HbRestoreResult *result = &handover->report.pass_result;

    hb_restore_result_clear(result);
    return hb_pass_is_blocked(handover->pass) ? hb_restore_set_blocked_error(hb_pass_get_restore(handover->pass), error)
                                              : hb_pass_run(handover->pass, result, error);
}

/* What failed or was left out would be missing in TO */
static gboolean check_result(const HbRestoreResult *result, GError **error)
{
    for (guint i = 0; result->exceptions != NULL && i < result->exceptions->len; i++) {
        const HbException *one = result->exceptions->pdata[i];
        if (one->outcome == HB_OUTCOME_FAILED || one->outcome == HB_OUTCOME_LEFT_OUT || one->outcome == HB_OUTCOME_GONE)
            return hb_error_set(error, HB_ERROR_BLOCKED,
                                one->hint != NULL ? one->hint : "mend it, or leave it out of the copy", "%s: %s",
                                one->what, one->message);
    }
    return TRUE;
}

static gboolean check_drift(const HbPass *pass, GError **error)
{
    const HbFollowResult *follow = hb_pass_get_follow(pass);

    return follow == NULL || follow->drifts == 0 ||
           hb_error_set(error, HB_ERROR_BLOCKED,
                        "give the command again: the next pass compares the tables that they are in",
                        "rows of TO that were not what the log of FROM said: %" G_GUINT64_FORMAT
                        "; somebody else has written to TO",
                        follow->drifts);
}

static void count(HbHandover *handover)
{
    const HbFollowResult *follow = hb_pass_get_follow(handover->pass);
    const GPtrArray *tables = hb_pass_get_tables(handover->pass);

    if (follow != NULL) {
        handover->report.rows += follow->rows;
        handover->report.transactions += follow->transactions;
    }
    for (guint i = 0; i < tables->len; i++) {
        const HbPassTable *table = tables->pdata[i];
        for (int fate = 0; fate < HB_ROW_FATES; fate++)
            handover->report.rows += table->counts[fate];
    }
}

static gboolean is_to_be_repeated(const HbPass *pass)
{
    const HbFollowResult *follow = hb_pass_get_follow(pass);

    return hb_pass_leaves_log(pass) || (follow != NULL && follow->structure != NULL);
}

/* The pass has noted which tables got changes */
static gboolean note_changed(HbHandover *handover, GError **error)
{
    g_autoptr(HbOrigin) origin = NULL;

    if (!hb_origin_recall(hb_handover_get_engine(handover), &handover->options.pass.to.to, &origin, error))
        return FALSE;
    for (guint i = 0; origin != NULL && i < origin->changed->len; i++)
        hb_origin_add_changed(handover->origin, origin->changed->pdata[i]);
    return TRUE;
}

static gboolean compare_rest(HbHandover *handover, const HbRestoreResult *result, GError **error)
{
    hb_verification_clear(&handover->report.differences);
    return hb_pass_compare_rest(handover->pass, result, &handover->report.differences, error);
}

gboolean hb_handover_bring(HbHandover *handover, guint parts, HbBringing bringing, GError **error)
{
    HbPassOptions options;
    guint times = 0;

    do {
        if (!open_pass(handover, parts, &options, error))
            return FALSE;
        if (bringing == HB_BRING_NOTHING)
            return compare_rest(handover, get_result(handover), error);
        if (!run_pass(handover, error) || !check_result(&handover->report.pass_result, error))
            return FALSE;
        count(handover);
    } while (is_to_be_repeated(handover->pass) && ++times < PASSES_MAX);
    if (is_to_be_repeated(handover->pass))
        return hb_error_set(error, HB_ERROR_BLOCKED, "wait until FROM's structure rests; or hand over --by rows",
                            "TO does not come to rest: FROM's log could not be followed %d times", PASSES_MAX);
    return check_drift(handover->pass, error) && note_changed(handover, error) &&
           (bringing == HB_BRING_ONLY || compare_rest(handover, &handover->report.pass_result, error));
}

/* ---- The last pass ---- */

/* Users and settings were compared before, and what stops writing would be a difference now */
#define WINDOW_PARTS (HB_PART_SCHEMA | HB_PART_DATA)

static void choose_checked(HbHandover *handover)
{
    if (handover->options.check != HB_CHECK_CHANGED)
        return;
    handover->check_from = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    handover->check_to = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    hb_pass_list_changed(handover->pass, handover->origin->changed, handover->check_from, handover->check_to);
}

gboolean hb_handover_last_pass(HbHandover *handover, char **did, GError **error)
{
    handover->report.rows = handover->report.transactions = 0;
    if (!hb_handover_bring(handover, WINDOW_PARTS, HB_BRING_ONLY, error))
        return FALSE;
    choose_checked(handover);
    *did =
        g_strdup_printf("%" G_GUINT64_FORMAT " changes came over; sequences and views follow", handover->report.rows);
    return TRUE;
}

/* ---- The check ---- */

/* What was accepted at the rehearsal is no news */
static guint drop_accepted(const HbHandover *handover, GPtrArray *differences)
{
    for (guint i = differences->len; i-- > 0;) {
        if (g_hash_table_contains(handover->accepted, ((HbDifference *)differences->pdata[i])->identity))
            g_ptr_array_remove_index(differences, i);
    }
    return differences->len;
}

static gboolean check_differences(HbHandover *handover, GError **error)
{
    const GPtrArray *differences = handover->report.differences.differences;

    if (drop_accepted(handover, handover->report.differences.differences) == 0)
        return TRUE;
    return hb_error_set(error, HB_ERROR_BLOCKED, "hornbeam verify FROM TO shows them; freshen --by rows mends rows",
                        "TO does not hold what FROM holds: %u differences, the first: %s", differences->len,
                        ((HbDifference *)differences->pdata[0])->identity);
}

gboolean hb_handover_check(HbHandover *handover, char **did, GError **error)
{
    const HbPassOptions *options = &handover->options.pass;
    HbPassOptions adopted = *options;
    HbVerifyOptions verify;

    if (!hb_pass_adopt_origin(&adopted, handover->origin, error))
        return FALSE;
    verify = (HbVerifyOptions){.from = {NULL, options->from.engine, options->from.from, NULL},
                               .to = {NULL, options->to.engine, options->to.to, NULL},
                               .parts = handover->origin->parts & WINDOW_PARTS,
                               .selection = adopted.from.selection,
                               .wishes = adopted.to.wishes,
                               .jobs = options->from.jobs,
                               .lock_wait_ms = options->from.lock_wait_ms,
                               .rows_from = handover->check_from,
                               .rows_to = handover->check_to,
                               .rows_max = 5,
                               .stop = options->from.stop,
                               .observers = options->from.observers};
    hb_verification_clear(&handover->report.differences);
    if (!hb_verify_run(&verify, &handover->report.differences, error))
        return FALSE;
    handover->report.checked_rows = handover->report.differences.rows;
    handover->report.checked_tables = handover->report.differences.tables;
    if (!check_differences(handover, error))
        return FALSE;
    *did = g_strdup_printf("equal: structure, and all %" G_GUINT64_FORMAT " rows of %u table%s%s",
                           handover->report.checked_rows, handover->report.checked_tables,
                           handover->report.checked_tables == 1 ? "" : "s",
                           handover->check_from != NULL ? " that have changed" : "");
    return TRUE;
}
