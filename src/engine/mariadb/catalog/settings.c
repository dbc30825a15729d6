/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/catalog/settings.h"

GHashTable *hb_my_read_pairs(HbSession *session, const char *sql, GError **error)
{
    g_autoptr(HbMyResult) result = hb_my_query(session, sql, error);
    GHashTable *pairs;
    MYSQL_ROW row;

    if (result == NULL)
        return NULL;
    pairs = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    while ((row = mysql_fetch_row(result)) != NULL)
        g_hash_table_insert(pairs, g_strdup(row[0]), g_strdup(row[1] != NULL ? row[1] : ""));
    return pairs;
}

/* MySQL has no such table: nothing is compared there */
gboolean hb_my_read_semantic_settings(HbSession *session, HbCatalog *catalog, GError **error)
{
    g_autoptr(GHashTable) settings =
        session->is_maria ? hb_my_read_pairs(session, HB_MY_SEMANTIC_SETTINGS, error) : NULL;
    GHashTableIter iter;
    gpointer name, value;

    if (settings == NULL)
        return !session->is_maria;
    g_hash_table_iter_init(&iter, settings);
    while (g_hash_table_iter_next(&iter, &name, &value)) {
        g_autofree char *property = g_strconcat(HB_SEMANTIC_SETTING_PREFIX, name, NULL);
        hb_catalog_set_property(catalog, property, value);
    }
    return TRUE;
}
