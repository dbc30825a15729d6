/* SPDX-License-Identifier: Apache-2.0 */
#include "work/restore/restore_inner.h"

#include <string.h>

/*
 * Tables that the server empties when it crashes (UNLOGGED, MEMORY). Their rows are gone although the journal has them.
 * Such a table is empty: nothing is loaded between the crash and the next look.
 */

static gboolean is_unlogged(const HbRestore *restore, const HbStoredRows *rows)
{
    g_autofree char *identity = hb_identity_new(HB_KIND_TABLE, rows->set->table);
    const HbObject *table = hb_catalog_find(restore->manifest->catalog, identity);

    return table != NULL && table->definition != NULL && rows->digest.rows > 0 &&
           restore->options.engine->dialect->is_unlogged(table);
}

/* HbStoredRows *, borrowed; the array is the caller's */
static GPtrArray *list_unlogged(const HbRestore *restore)
{
    GPtrArray *list = g_ptr_array_new();

    for (guint i = 0; i < restore->manifest->rows->len; i++) {
        if (is_unlogged(restore, restore->manifest->rows->pdata[i]))
            g_ptr_array_add(list, restore->manifest->rows->pdata[i]);
    }
    return list;
}

/* Leaves in the list those that are empty. A table that is not there yet is not looked at */
static gboolean keep_emptied(const HbRestore *restore, HbSession *session, GPtrArray *list, GError **error)
{
    g_autoptr(HbCatalog) catalog = hb_catalog_new();
    g_autoptr(GHashTable) holding = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = list->len; i-- > 0;) {
        const HbStoredRows *rows = list->pdata[i];
        g_autofree char *table = hb_identity_new(HB_KIND_TABLE, rows->set->table);
        if (hb_restore_is_noted(restore, table))
            hb_catalog_add_row_set(catalog, rows->set->identity, rows->set->table);
        else
            g_ptr_array_remove_index(list, i);
    }
    if (!restore->options.engine->target->find_rows(session, catalog, holding, error))
        return FALSE;
    for (guint i = list->len; i-- > 0;) {
        if (g_hash_table_contains(holding, ((const HbStoredRows *)list->pdata[i])->set->identity))
            g_ptr_array_remove_index(list, i);
    }
    return TRUE;
}

/* Rows of a provider came once; those of a dump are loaded again */
gboolean hb_restore_mend_unlogged(HbRestore *restore, HbSession *session, GError **error)
{
    g_autoptr(GPtrArray) list = list_unlogged(restore);

    if (list->len == 0 || restore->options.dump == NULL)
        return TRUE;
    if (!keep_emptied(restore, session, list, error))
        return FALSE;
    for (guint i = 0; i < list->len; i++) {
        const HbStoredRows *rows = list->pdata[i];
        g_autofree char *prefix = g_strconcat(rows->set->identity, " ", NULL);
        if (!restore->options.engine->journal->forget_steps(session, prefix, error))
            return FALSE;
    }
    return list->len == 0 || hb_restore_read_keys(restore, session, error);
}

GPtrArray *hb_restore_find_emptied(HbRestore *restore)
{
    GPtrArray *list = list_unlogged(restore);
    HbSession *session =
        list->len > 0 ? restore->options.engine->connector->open(&restore->target.address, NULL) : NULL;

    /* If nothing is known, all of them may be */
    if (session != NULL)
        keep_emptied(restore, session, list, NULL);
    restore->options.engine->connector->close(session);
    return list;
}

void hb_restore_list_unlogged(HbRestore *restore)
{
    g_autoptr(GPtrArray) list = hb_restore_find_emptied(restore);

    for (guint i = 0; i < list->len; i++) {
        const HbStoredRows *rows = list->pdata[i];
        g_autofree char *hint =
            g_strdup_printf("load them again: the same with --parts data --take 'rows:%s'", rows->set->table);
        hb_restore_add_exception(restore, HB_OUTCOME_CHANGED, rows->set->identity,
                                 "are gone: the server crashed, which empties this table", hint);
    }
}
