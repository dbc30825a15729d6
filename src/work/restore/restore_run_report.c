/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/restore_run_inner.h"

#include <string.h>

/* What was found about what is there already, and will not be as in the source */
static void list_what_differs(HbRestoreRun *run)
{
    static const char *const names[] = {"exists-otherwise", "columns-differ", "part-lost", NULL};

    for (guint i = 0; i < run->decision->findings->len; i++) {
        const HbFinding *finding = run->decision->findings->pdata[i];
        if (strcmp(finding->name, "stays") == 0)
            hb_restore_result_add(run->result, HB_OUTCOME_KEPT, finding->object, finding->what, NULL);
        else if (strcmp(finding->name, "would-be-lost") == 0)
            hb_restore_result_add(run->result, HB_OUTCOME_CHANGED, finding->object,
                                  "is gone, as was accepted: something that it needed was replaced", NULL);
        else if (g_strv_contains(names, finding->name))
            hb_restore_result_add(run->result, HB_OUTCOME_CHANGED, finding->object, finding->what, NULL);
    }
}

void hb_restore_run_list_changes(HbRestoreRun *run)
{
    const GPtrArray *omissions = hb_catalog_get_omissions(run->manifest->catalog);

    for (guint i = 0; i < omissions->len; i++) {
        const HbOmission *omission = omissions->pdata[i];
        hb_restore_result_add(run->result, i < run->decision->absent ? HB_OUTCOME_ABSENT : HB_OUTCOME_CHANGED,
                              omission->what, omission->why, NULL);
    }
    list_what_differs(run);
}

void hb_restore_run_list_complaints(HbRestoreRun *run)
{
    g_autoptr(GList) identities = g_list_sort(g_hash_table_get_keys(run->complaints), (GCompareFunc)strcmp);

    for (const GList *at = identities; at != NULL; at = at->next)
        hb_observers_note(run->observers, HB_SEVERITY_WARNING, NULL, "%s: %s", (const char *)at->data,
                          (const char *)g_hash_table_lookup(run->complaints, at->data));
}

void hb_restore_run_list_left_out(HbRestoreRun *run)
{
    HbPlan *plan = run->plan.steps->plan;

    for (guint i = 0; i < hb_plan_count(plan) && !run->hosts.is_ended; i++) {
        const HbStep *step = hb_plan_get_what(plan, i);
        if (hb_plan_get_state(plan, i) != HB_STEP_LEFT_OUT || step->type == HB_STEP_TYPE_MILESTONE)
            continue;
        const HbStep *culprit = hb_plan_get_what(plan, hb_plan_get_culprit(plan, i));
        g_autofree char *message = g_strdup_printf("needs %s, which is not there", hb_step_get_name(culprit));
        hb_restore_result_add(run->result, HB_OUTCOME_LEFT_OUT, step->key, message, NULL);
    }
}

void hb_restore_run_count_steps(const HbRestoreRun *run, HbRestoreResult *result)
{
    HbPlan *plan = run->plan.steps->plan;

    result->open = run->hosts.is_ended ? 0 : hb_plan_count_open(plan);
    if (run->options->provider != NULL) {
        result->rows = hb_manifest_count_rows(run->manifest);
        result->bytes = hb_manifest_count_bytes(run->manifest);
    }
    for (guint i = 0; i < hb_plan_count(plan); i++) {
        const HbStep *step = hb_plan_get_what(plan, i);
        gboolean done = run->hosts.is_ended || hb_plan_get_state(plan, i) == HB_STEP_DONE;
        if (step->type == HB_STEP_TYPE_MILESTONE || !done)
            continue;
        if (run->done_earlier != NULL && g_hash_table_contains(run->done_earlier, step->key)) {
            result->done_before++;
            continue;
        }
        result->done++;
        if (step->type == HB_STEP_TYPE_CHUNK && run->options->provider == NULL) {
            result->rows += step->chunk->digest.rows;
            result->bytes += step->chunk->bytes;
        }
    }
    if (run->options->join)
        result->elsewhere = result->done - MIN(result->done, run->hosts.own);
}

/* ---- What is gone, at the end ---- */

typedef struct {
    GHashTable *done; /* keys of steps */
    GHashTable *open; /* identities of objects with a step that is not done */
} StepsDone;

static gboolean is_done(const HbRestoreRun *run, guint number, const HbStep *step)
{
    return hb_plan_get_state(run->plan.steps->plan, number) == HB_STEP_DONE ||
           (run->journal != NULL && g_hash_table_contains(run->journal, step->key));
}

static StepsDone check_steps(const HbRestoreRun *run)
{
    StepsDone steps = {g_hash_table_new(g_str_hash, g_str_equal), g_hash_table_new(g_str_hash, g_str_equal)};

    for (guint i = 0; i < hb_plan_count(run->plan.steps->plan); i++) {
        const HbStep *step = hb_plan_get_what(run->plan.steps->plan, i);
        if (step->key == NULL)
            continue;
        if (is_done(run, i, step))
            g_hash_table_add(steps.done, step->key);
        else if (step->object != NULL)
            g_hash_table_add(steps.open, step->object->identity);
    }
    return steps;
}

static void report_gone(HbRestoreRun *run, const char *identity, const char *message, const char *sql)
{
    g_autofree char *hint = sql != NULL ? g_strdup_printf("it was: %s", sql) : NULL;

    hb_restore_result_add(run->result, HB_OUTCOME_GONE, identity, message, hint);
}

static void report_items(HbRestoreRun *run, const StepsDone *steps, const GPtrArray *items, const char *message)
{
    for (guint i = 0; i < items->len; i++) {
        const HbCleanupItem *item = items->pdata[i];
        g_autofree char *key = hb_restore_plan_get_cleanup_key(run->options->engine, item);
        gboolean is_rows = g_str_has_prefix(item->identity, "rows ");
        gboolean is_open = g_hash_table_contains(steps->open, item->identity) || (is_rows && !run->rows_came);
        if (g_hash_table_contains(steps->done, key) && is_open)
            report_gone(run, item->identity, message, item->definition);
    }
}

/* They go when their table goes */
static void report_rows(HbRestoreRun *run, const StepsDone *steps)
{
    const HbTargetCleanup *cleanup = run->decision->cleanup;
    const HbCleanupItem *last = cleanup->dropped->len > 0 ? cleanup->dropped->pdata[cleanup->dropped->len - 1] : NULL;

    for (guint i = 0; last != NULL && i < cleanup->rows->len; i++) {
        const char *rows = cleanup->rows->pdata[i];
        g_autofree char *table = hb_identity_new(HB_KIND_TABLE, strchr(rows, ' ') + 1);
        const HbCleanupItem *item = last; /* of a partition, say, that went with its parent */
        for (guint d = 0; d < cleanup->dropped->len; d++) {
            if (strcmp(((HbCleanupItem *)cleanup->dropped->pdata[d])->identity, table) == 0)
                item = cleanup->dropped->pdata[d];
        }
        g_autofree char *key = hb_restore_plan_get_cleanup_key(run->options->engine, item);
        if (g_hash_table_contains(steps->done, key) && (g_hash_table_contains(steps->open, rows) || !run->rows_came))
            report_gone(run, rows, "went with their table, and are not back", NULL);
    }
}

void hb_restore_run_list_gone(HbRestoreRun *run)
{
    StepsDone steps;

    if (run->decision->cleanup == NULL || run->plan.steps == NULL)
        return;
    if (!run->is_finished)
        hb_restore_run_with_session(run, hb_restore_run_read_keys, NULL);
    steps = check_steps(run);
    report_items(run, &steps, run->decision->cleanup->dropped, "was dropped, and is not back");
    report_rows(run, &steps);
    report_items(run, &steps, run->decision->cleanup->emptied, "were there, and are not back");
    report_items(run, &steps, run->decision->cleanup->suspended, "was taken off, and is not back");
    g_hash_table_unref(steps.done);
    g_hash_table_unref(steps.open);
}
