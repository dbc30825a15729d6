/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/restore_run_inner.h"

#include <string.h>

static gboolean is_early(const HbStep *step)
{
    return step->type == HB_STEP_TYPE_OBJECT && step->object->on != NULL &&
           (step->object->kind == HB_KIND_KEY || step->object->kind == HB_KIND_INDEX) &&
           step->object->after == HB_AFTER_NEEDS;
}

void hb_restore_run_index_ahead(HbRestoreRun *run)
{
    run->plan.ahead =
        g_hash_table_new_full(g_str_hash, g_str_equal, NULL, (GDestroyNotify)(void (*)(void))g_ptr_array_unref);
    for (guint i = 0; i < run->plan.after_rows->steps->len; i++) {
        HbStep *step = run->plan.after_rows->steps->pdata[i];
        GPtrArray *list;
        if (!is_early(step))
            continue;
        list = g_hash_table_lookup(run->plan.ahead, step->object->on);
        if (list == NULL)
            g_hash_table_insert(run->plan.ahead, step->object->on, list = g_ptr_array_new());
        g_ptr_array_add(list, step);
    }
}

/* Needs nothing but what is there already, and these rows */
static gboolean is_due(const HbCatalog *catalog, const HbObject *object, const HbObject *rows)
{
    for (guint n = 0; n < object->needs->len; n++) {
        const HbObject *need = hb_catalog_find(catalog, object->needs->pdata[n]);
        if (need != NULL && need != rows && need->stage >= HB_STAGE_ROWS)
            return FALSE;
    }
    return TRUE;
}

/* The final walk finds it in the journal, or makes it */
void hb_restore_run_complete_rows(HbRestoreRun *run, HbSession *session, const HbRowSet *set)
{
    const HbCatalog *catalog = run->manifest->catalog;
    const HbObject *rows = hb_catalog_find(catalog, set->identity);
    const GPtrArray *steps = rows != NULL && rows->on != NULL ? g_hash_table_lookup(run->plan.ahead, rows->on) : NULL;

    for (guint i = 0; steps != NULL && i < steps->len && !hb_stop_is_set(run->options->stop); i++) {
        const HbStep *step = steps->pdata[i];
        if (is_due(catalog, step->object, rows))
            run->options->engine->journal->run_step(session, step->sql != NULL ? step->sql : step->object->definition,
                                                    step->key, NULL, NULL);
    }
}
