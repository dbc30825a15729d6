/* SPDX-License-Identifier: Apache-2.0 */
/*
 * settings - the server's settings that change what SQL means.
 */
#pragma once

#include "engine/mariadb/session/session.h"

/* Settings that change what SQL means, or what may be written */
#define HB_MY_SEMANTIC_SETTINGS                                                                                        \
    "SELECT LOWER(VARIABLE_NAME), VARIABLE_VALUE FROM information_schema.GLOBAL_VARIABLES WHERE VARIABLE_NAME IN"      \
    " ('SQL_MODE', 'TIME_ZONE', 'LOWER_CASE_TABLE_NAMES', 'CHARACTER_SET_SERVER', 'COLLATION_SERVER',"                 \
    "  'MAX_ALLOWED_PACKET', 'DEFAULT_STORAGE_ENGINE', 'INNODB_STRICT_MODE', 'EXPLICIT_DEFAULTS_FOR_TIMESTAMP',"       \
    "  'TX_ISOLATION', 'GROUP_CONCAT_MAX_LEN', 'DIV_PRECISION_INCREMENT', 'DEFAULT_WEEK_FORMAT',"                      \
    "  'AUTO_INCREMENT_INCREMENT', 'AUTO_INCREMENT_OFFSET', 'EVENT_SCHEDULER', 'FT_MIN_WORD_LEN', "                    \
    "'INNODB_FT_MIN_TOKEN_SIZE', 'INNODB_PAGE_SIZE', 'INNODB_DEFAULT_ROW_FORMAT')"

/* The first two columns of a query's rows, as name to value (NULL: ""); NULL on error. The caller's */
GHashTable *hb_my_read_pairs(HbSession *session, const char *sql, GError **error);

/* They become properties of the catalog. MySQL has no list of them: nothing is read there */
gboolean hb_my_read_semantic_settings(HbSession *session, HbCatalog *catalog, GError **error);
