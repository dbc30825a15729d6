/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/target/own_tables.h"

static char *make_tables_sql(const char *names)
{
    return g_strdup_printf(
        "SELECT CONCAT_WS(' ', COUNT(*), COALESCE(SUM(TABLE_TYPE = 'BASE TABLE' AND ENGINE = 'InnoDB'), 0),"
        "  (SELECT COUNT(*) FROM information_schema.TRIGGERS WHERE EVENT_OBJECT_SCHEMA = DATABASE()"
        "    AND EVENT_OBJECT_TABLE IN (%s)))"
        " FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME IN (%s)",
        names, names);
}

static char *make_columns_sql(const char *names)
{
    return g_strdup_printf("SELECT GROUP_CONCAT(CONCAT_WS(' ', TABLE_NAME, COLUMN_NAME, COLUMN_TYPE, NULLIF(EXTRA, ''))"
                           "  ORDER BY TABLE_NAME, ORDINAL_POSITION SEPARATOR ', ')"
                           " FROM information_schema.COLUMNS WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME IN (%s)",
                           names);
}

gboolean hb_my_describe_tables(HbSession *session, const char *names, char **tables, char **columns, GError **error)
{
    g_autofree char *tables_sql = make_tables_sql(names), *columns_sql = make_columns_sql(names);

    return hb_my_read_text(session, tables_sql, tables, error) && hb_my_read_text(session, columns_sql, columns, error);
}
