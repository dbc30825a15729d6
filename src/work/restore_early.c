/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore_inner.h"

#include <string.h>

static gboolean is_early_kind(HbKind kind)
{
    return kind == HB_KIND_KEY || kind == HB_KIND_INDEX;
}

/* Needs nothing but what is there already, and the rows of this set */
static gboolean is_due(const HbRestore *restore, const HbStep *step, const HbRowSet *set)
{
    const HbCatalog *catalog = restore->manifest->catalog;
    const HbObject *rows = hb_catalog_find(catalog, set->identity);

    if (step->type != HB_STEP_TYPE_OBJECT || !is_early_kind(step->object->kind) || rows == NULL ||
        g_strcmp0(step->object->on, rows->on) != 0 || step->object->after != HB_AFTER_NEEDS)
        return FALSE;
    for (guint n = 0; n < step->object->needs->len; n++) {
        const HbObject *need = hb_catalog_find(catalog, step->object->needs->pdata[n]);
        if (need != NULL && need != rows && need->stage >= HB_STAGE_ROWS)
            return FALSE;
    }
    return TRUE;
}

/* The final walk finds it in the journal, or makes it */
void hb_restore_complete_rows(HbRestore *restore, HbSession *session, const HbRowSet *set)
{
    const GPtrArray *steps = restore->later != NULL ? restore->later->steps : NULL;

    for (guint i = 0; steps != NULL && i < steps->len && !hb_stop_is_set(restore->options.stop); i++) {
        const HbStep *step = steps->pdata[i];
        if (is_due(restore, step, set))
            restore->options.engine->run_step(session, step->sql != NULL ? step->sql : step->object->definition,
                                              step->key, NULL, NULL);
    }
}
