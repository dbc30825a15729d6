/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/restore_inner.h"

#include <string.h>

static void exception_free(gpointer data)
{
    HbException *exception = data;

    g_free(exception->what);
    g_free(exception->message);
    g_free(exception->hint);
    g_free(exception);
}

const char *hb_outcome_get_name(HbOutcome outcome)
{
    static const char *const names[HB_OUTCOME_COUNT] = {"failed", "refused", "left_out", "changed",
                                                        "absent", "kept",    "gone"};

    g_assert(outcome < HB_OUTCOME_COUNT);
    return names[outcome];
}

void hb_restore_result_clear(HbRestoreResult *result)
{
    g_clear_pointer(&result->exceptions, g_ptr_array_unref);
}

HbException *hb_restore_add_exception(HbRestore *restore, HbOutcome outcome, const char *what, const char *message,
                                      const char *hint)
{
    HbException *exception = g_new0(HbException, 1);

    exception->outcome = outcome;
    exception->what = g_strdup(what);
    exception->message = g_strdup(message);
    exception->hint = g_strdup(hint);
    g_ptr_array_add(restore->run.result->exceptions, exception);
    return exception;
}

/* What was found about what is there already, and will not be as in the source */
static void list_what_differs(HbRestore *restore)
{
    static const char *const names[] = {"exists-otherwise", "columns-differ", "part-lost", NULL};

    for (guint i = 0; i < restore->decision.findings->len; i++) {
        const HbFinding *finding = restore->decision.findings->pdata[i];
        if (strcmp(finding->name, "stays") == 0)
            hb_restore_add_exception(restore, HB_OUTCOME_KEPT, finding->object, finding->what, NULL);
        else if (strcmp(finding->name, "would-be-lost") == 0)
            hb_restore_add_exception(restore, HB_OUTCOME_CHANGED, finding->object,
                                     "is gone, as was accepted: something that it needed was replaced", NULL);
        else if (g_strv_contains(names, finding->name))
            hb_restore_add_exception(restore, HB_OUTCOME_CHANGED, finding->object, finding->what, NULL);
    }
}

void hb_restore_list_changes(HbRestore *restore)
{
    const GPtrArray *omissions = hb_catalog_get_omissions(restore->manifest->catalog);

    for (guint i = 0; i < omissions->len; i++) {
        const HbOmission *omission = omissions->pdata[i];
        hb_restore_add_exception(restore, i < restore->decision.absent ? HB_OUTCOME_ABSENT : HB_OUTCOME_CHANGED,
                                 omission->what, omission->why, NULL);
    }
    list_what_differs(restore);
}

void hb_restore_list_left_out(HbRestore *restore)
{
    HbPlan *plan = restore->plan.steps->plan;

    for (guint i = 0; i < hb_plan_count(plan); i++) {
        const HbStep *step = hb_plan_get_what(plan, i);
        if (hb_plan_get_state(plan, i) != HB_STEP_LEFT_OUT || step->type == HB_STEP_TYPE_MILESTONE)
            continue;
        const HbStep *culprit = hb_plan_get_what(plan, hb_plan_get_culprit(plan, i));
        g_autofree char *message = g_strdup_printf("needs %s, which is not there", hb_step_get_name(culprit));
        hb_restore_add_exception(restore, HB_OUTCOME_LEFT_OUT, step->key, message, NULL);
    }
}

guint hb_restore_count_exceptions(const HbRestoreResult *result, HbOutcome outcome)
{
    guint count = 0;

    for (guint i = 0; i < result->exceptions->len; i++)
        count += ((HbException *)result->exceptions->pdata[i])->outcome == outcome;
    return count;
}

void hb_restore_count_steps(const HbRestore *restore, HbRestoreResult *result)
{
    HbPlan *plan = restore->plan.steps->plan;

    result->open = hb_plan_count_open(plan);
    if (restore->options.provider != NULL) {
        result->rows = hb_manifest_count_rows(restore->manifest);
        result->bytes = hb_manifest_count_bytes(restore->manifest);
    }
    for (guint i = 0; i < hb_plan_count(plan); i++) {
        const HbStep *step = hb_plan_get_what(plan, i);
        gboolean done = hb_plan_get_state(plan, i) == HB_STEP_DONE;
        if (step->type == HB_STEP_TYPE_MILESTONE || !done)
            continue;
        if (restore->run.done_earlier != NULL && g_hash_table_contains(restore->run.done_earlier, step->key)) {
            result->done_before++;
            continue;
        }
        result->done++;
        if (step->type == HB_STEP_TYPE_CHUNK && restore->options.provider == NULL) {
            result->rows += step->chunk->digest.rows;
            result->bytes += step->chunk->bytes;
        }
    }
}

GPtrArray *hb_restore_new_exceptions(void)
{
    return g_ptr_array_new_with_free_func(exception_free);
}
