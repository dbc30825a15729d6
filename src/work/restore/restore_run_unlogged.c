/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/restore_run_inner.h"

#include <string.h>

/*
 * Tables that the server empties when it crashes (UNLOGGED, MEMORY). Their rows are gone although the journal has them.
 * Such a table is empty: nothing is loaded between the crash and the next look.
 */

static gboolean is_unlogged(const HbRestoreRun *run, const HbStoredRows *rows)
{
    g_autofree char *identity = hb_identity_new(HB_KIND_TABLE, rows->set->table);
    const HbObject *table = hb_catalog_find(run->manifest->catalog, identity);

    return table != NULL && table->definition != NULL && rows->digest.rows > 0 &&
           run->options->engine->dialect->is_unlogged(table);
}

/* HbStoredRows *, borrowed; the array is the caller's */
static GPtrArray *list_unlogged(const HbRestoreRun *run)
{
    GPtrArray *list = g_ptr_array_new();

    for (guint i = 0; i < run->manifest->rows->len; i++) {
        if (is_unlogged(run, run->manifest->rows->pdata[i]))
            g_ptr_array_add(list, run->manifest->rows->pdata[i]);
    }
    return list;
}

/* Leaves in the list those that are empty. A table that is not there yet is not looked at */
static gboolean keep_emptied(const HbRestoreRun *run, HbSession *session, GPtrArray *list, GError **error)
{
    g_autoptr(HbCatalog) catalog = hb_catalog_new();
    g_autoptr(GHashTable) holding = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = list->len; i-- > 0;) {
        const HbStoredRows *rows = list->pdata[i];
        g_autofree char *table = hb_identity_new(HB_KIND_TABLE, rows->set->table);
        if (hb_restore_run_is_noted(run, table))
            hb_catalog_add_row_set(catalog, rows->set->identity, rows->set->table);
        else
            g_ptr_array_remove_index(list, i);
    }
    if (!run->options->engine->target->find_rows(session, catalog, holding, error))
        return FALSE;
    for (guint i = list->len; i-- > 0;) {
        if (g_hash_table_contains(holding, ((const HbStoredRows *)list->pdata[i])->set->identity))
            g_ptr_array_remove_index(list, i);
    }
    return TRUE;
}

/* Rows of a provider came once; those of a dump are loaded again */
gboolean hb_restore_run_mend_unlogged(HbRestoreRun *run, HbSession *session, GError **error)
{
    g_autoptr(GPtrArray) list = list_unlogged(run);

    if (list->len == 0 || run->options->dump == NULL)
        return TRUE;
    if (!keep_emptied(run, session, list, error))
        return FALSE;
    for (guint i = 0; i < list->len; i++) {
        const HbStoredRows *rows = list->pdata[i];
        g_autofree char *prefix = g_strconcat(rows->set->identity, " ", NULL);
        if (!run->options->engine->journal->forget_steps(session, prefix, error))
            return FALSE;
    }
    return list->len == 0 || hb_restore_run_read_keys(run, session, error);
}

GPtrArray *hb_restore_run_find_emptied(HbRestoreRun *run)
{
    GPtrArray *list = list_unlogged(run);
    HbSession *session = list->len > 0 ? run->options->engine->connector->open(&run->target->address, NULL) : NULL;

    /* If nothing is known, all of them may be */
    if (session != NULL)
        keep_emptied(run, session, list, NULL);
    run->options->engine->connector->close(session);
    return list;
}

void hb_restore_run_list_unlogged(HbRestoreRun *run)
{
    g_autoptr(GPtrArray) list = hb_restore_run_find_emptied(run);

    for (guint i = 0; i < list->len; i++) {
        const HbStoredRows *rows = list->pdata[i];
        g_autofree char *hint =
            g_strdup_printf("load them again: the same with --parts data --take 'rows:%s'", rows->set->table);
        hb_restore_result_add(run->result, HB_OUTCOME_CHANGED, rows->set->identity,
                              "are gone: the server crashed, which empties this table", hint);
    }
}
