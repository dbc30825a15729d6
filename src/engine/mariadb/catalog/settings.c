/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/catalog/settings.h"

#define NAMES                                                                                                          \
    "('SQL_MODE', 'TIME_ZONE', 'LOWER_CASE_TABLE_NAMES', 'CHARACTER_SET_SERVER', 'COLLATION_SERVER',"                  \
    " 'MAX_ALLOWED_PACKET', 'DEFAULT_STORAGE_ENGINE', 'INNODB_STRICT_MODE', 'EXPLICIT_DEFAULTS_FOR_TIMESTAMP',"        \
    " 'TX_ISOLATION', 'TRANSACTION_ISOLATION', 'GROUP_CONCAT_MAX_LEN', 'DIV_PRECISION_INCREMENT',"                     \
    " 'DEFAULT_WEEK_FORMAT', 'AUTO_INCREMENT_INCREMENT', 'AUTO_INCREMENT_OFFSET', 'EVENT_SCHEDULER',"                  \
    " 'FT_MIN_WORD_LEN', 'INNODB_FT_MIN_TOKEN_SIZE', 'INNODB_PAGE_SIZE', 'INNODB_DEFAULT_ROW_FORMAT')"

/* What one product has renamed goes by the other's name */
#define PAIR "SELECT REPLACE(LOWER(VARIABLE_NAME), 'transaction_isolation', 'tx_isolation'), VARIABLE_VALUE FROM "

const char *hb_my_get_settings_query(const HbSession *session)
{
    return hb_my_can(session, HB_MY_SETTINGS_IN_SCHEMA)
               ? PAIR "information_schema.GLOBAL_VARIABLES WHERE VARIABLE_NAME IN " NAMES
               : PAIR "performance_schema.global_variables WHERE VARIABLE_NAME IN " NAMES;
}

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

gboolean hb_my_read_semantic_settings(HbSession *session, HbCatalog *catalog, GError **error)
{
    g_autoptr(GHashTable) settings = hb_my_read_pairs(session, hb_my_get_settings_query(session), error);
    GHashTableIter iter;
    gpointer name, value;

    if (settings == NULL)
        return FALSE;
    g_hash_table_iter_init(&iter, settings);
    while (g_hash_table_iter_next(&iter, &name, &value)) {
        g_autofree char *property = g_strconcat(HB_SEMANTIC_SETTING_PREFIX, name, NULL);
        hb_catalog_set_property(catalog, property, value);
    }
    return TRUE;
}
