/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/common/survey_tables.h"

#include "core/base/error.h"

/* TRUE without a table: it is left out */
static gboolean add_table(const HbSurveyTables *survey, const HbSurveyTable *form, HbSession *session,
                          HbSurveyScope scope, GPtrArray *tables, GError **error)
{
    HbResultTable *table = hb_result_table_new_from(&form->form);

    if (survey->fill(session, form->sql, scope, table, form->optional ? NULL : error)) {
        g_ptr_array_add(tables, table);
        return TRUE;
    }
    hb_result_table_free(table);
    return form->optional;
}

GPtrArray *hb_survey_tables_read(const HbSurveyTables *survey, HbSession *session, HbSurveyScope scope,
                                 const char *address, GError **error)
{
    g_autoptr(GPtrArray) tables = g_ptr_array_new_with_free_func((GDestroyNotify)hb_result_table_free);

    for (gsize i = 0; i < survey->count; i++) {
        const HbSurveyTable *form = &survey->tables[i];
        if (!(form->scope & (int)scope) || add_table(survey, form, session, scope, tables, error))
            continue;
        g_prefix_error(error, "surveying %s (%s): ", address, form->form.title);
        return NULL;
    }
    return g_steal_pointer(&tables);
}
