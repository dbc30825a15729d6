/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/catalog/survey.h"

#include "engine/common/checks.h"
#include "engine/common/survey_tables.h"
#include "mariadb_sql.h"

#include <string.h>

/* clang-format off */
static const HbSurveyTable tables[] = {
    {HB_SURVEY_SERVER | HB_SURVEY_DATABASE, FALSE, {"databases", "Databases",
     {{"name", "database", HB_COLUMN_TEXT}, {"character_set", "character set", HB_COLUMN_TEXT},
      {"collation", "collation", HB_COLUMN_TEXT}, {"tables", "tables", HB_COLUMN_COUNT}, {"bytes", "size", HB_COLUMN_BYTES},
      {"sessions", "sessions", HB_COLUMN_COUNT}}},
     "SELECT s.SCHEMA_NAME, s.DEFAULT_CHARACTER_SET_NAME, s.DEFAULT_COLLATION_NAME, COUNT(t.TABLE_NAME),"
     " CAST(COALESCE(SUM(t.DATA_LENGTH + t.INDEX_LENGTH), 0) AS UNSIGNED),"
     " (SELECT COUNT(*) FROM " HB_MY_PROCESSES " p WHERE p.DB = s.SCHEMA_NAME AND p.ID <> CONNECTION_ID())"
     " FROM information_schema.SCHEMATA s LEFT JOIN information_schema.TABLES t"
     "  ON t.TABLE_SCHEMA = s.SCHEMA_NAME AND t.TABLE_TYPE <> 'VIEW'"
     " WHERE s.SCHEMA_NAME NOT IN ('information_schema', 'performance_schema', 'mysql', 'sys')"
     "  AND (DATABASE() IS NULL OR s.SCHEMA_NAME = DATABASE())"
     " GROUP BY s.SCHEMA_NAME, s.DEFAULT_CHARACTER_SET_NAME, s.DEFAULT_COLLATION_NAME ORDER BY 5 DESC, 1"},
    {HB_SURVEY_DATABASE, FALSE, {"kinds", "Objects by kind",
     {{"kind", "kind", HB_COLUMN_TEXT}, {"count", "objects", HB_COLUMN_COUNT}}},
     hb_my_sql_survey_kinds},
    {HB_SURVEY_DATABASE, FALSE, {"tables", "Largest tables",
     {{"name", "table", HB_COLUMN_TEXT}, {"engine", "engine", HB_COLUMN_TEXT}, {"rows", "rows (estimated)", HB_COLUMN_COUNT},
      {"bytes", "size of rows", HB_COLUMN_BYTES}, {"index_bytes", "of indexes", HB_COLUMN_BYTES}, {"remarks", "remarks", HB_COLUMN_TEXT}}},
     "SELECT t.TABLE_NAME, t.ENGINE, t.TABLE_ROWS, t.DATA_LENGTH, t.INDEX_LENGTH, NULLIF(CONCAT_WS(', ',"
     " IF(k.TABLE_NAME IS NULL, 'no unique key', NULL), IF(e.TRANSACTIONS = 'NO', 'no transactions', NULL)), '')"
     " FROM information_schema.TABLES t LEFT JOIN information_schema.ENGINES e ON e.ENGINE = t.ENGINE"
     " LEFT JOIN (SELECT DISTINCT TABLE_NAME FROM information_schema.STATISTICS WHERE TABLE_SCHEMA = DATABASE()"
     "  AND NON_UNIQUE = 0) k ON k.TABLE_NAME = t.TABLE_NAME"
     " WHERE t.TABLE_SCHEMA = DATABASE() AND t.TABLE_TYPE IN ('BASE TABLE', 'SYSTEM VERSIONED')"
     "  AND t.TABLE_NAME NOT IN (" HB_MY_OURS ")"
     " ORDER BY t.DATA_LENGTH DESC, t.TABLE_NAME"},
    {HB_SURVEY_DATABASE, TRUE, {"events", "Events",
     {{"name", "event", HB_COLUMN_TEXT}, {"definer", "definer", HB_COLUMN_TEXT}, {"status", "status", HB_COLUMN_TEXT},
      {"next", "last run", HB_COLUMN_TEXT}}},
     "SELECT EVENT_NAME, DEFINER, LOWER(STATUS), LAST_EXECUTED FROM information_schema.EVENTS"
     " WHERE EVENT_SCHEMA = DATABASE() ORDER BY 1"},
    {HB_SURVEY_DATABASE, TRUE, {"missing_definers", "Definers that are no account here",
     {{"name", "what", HB_COLUMN_TEXT}, {"definer", "definer", HB_COLUMN_TEXT}}},
     "SELECT d.what, d.definer FROM (SELECT CONCAT('view ', TABLE_NAME) AS what, DEFINER AS definer FROM information_schema.VIEWS"
     " WHERE TABLE_SCHEMA = DATABASE() UNION ALL SELECT CONCAT(LOWER(ROUTINE_TYPE), ' ', ROUTINE_NAME), DEFINER FROM"
     " information_schema.ROUTINES WHERE ROUTINE_SCHEMA = DATABASE() UNION ALL SELECT CONCAT('trigger ', TRIGGER_NAME), DEFINER"
     " FROM information_schema.TRIGGERS WHERE TRIGGER_SCHEMA = DATABASE() UNION ALL SELECT CONCAT('event ', EVENT_NAME), DEFINER"
     " FROM information_schema.EVENTS WHERE EVENT_SCHEMA = DATABASE()) d"
     " WHERE NOT EXISTS (SELECT 1 FROM mysql.user u WHERE d.definer = CONCAT(u.User, '@', u.Host)"
     "  OR (u.Host = '' AND d.definer = u.User)) ORDER BY 1"},
    {HB_SURVEY_DATABASE, FALSE, {"engines", "Storage engines in use",
     {{"engine", "engine", HB_COLUMN_TEXT}, {"transactions", "transactions", HB_COLUMN_TEXT},
      {"tables", "tables", HB_COLUMN_COUNT}, {"bytes", "size of rows", HB_COLUMN_BYTES}}},
     "SELECT t.ENGINE, LOWER(e.TRANSACTIONS), COUNT(*), CAST(SUM(t.DATA_LENGTH) AS UNSIGNED)"
     " FROM information_schema.TABLES t"
     " LEFT JOIN information_schema.ENGINES e ON e.ENGINE = t.ENGINE"
     " WHERE t.TABLE_SCHEMA = DATABASE() AND t.TABLE_TYPE IN ('BASE TABLE', 'SYSTEM VERSIONED')"
     "  AND t.TABLE_NAME NOT IN (" HB_MY_OURS ")"
     " GROUP BY t.ENGINE, e.TRANSACTIONS ORDER BY 3 DESC, 1"},
    {HB_SURVEY_SERVER | HB_SURVEY_DATABASE, TRUE, {"roles", "Accounts and roles",
     {{"name", "account", HB_COLUMN_TEXT}, {"plugin", "plugin", HB_COLUMN_TEXT}, {"global", "rights on everything", HB_COLUMN_TEXT}}},
     "SELECT IF(u.Host = '', u.User, CONCAT(u.User, '@', u.Host)), NULLIF(u.plugin, ''),"
     " (SELECT IF(MAX(p.PRIVILEGE_TYPE = 'SUPER'), 'all', GROUP_CONCAT(LOWER(p.PRIVILEGE_TYPE) ORDER BY p.PRIVILEGE_TYPE SEPARATOR ', '))"
     "  FROM information_schema.USER_PRIVILEGES p"
     "  WHERE p.GRANTEE = CONCAT('''', u.User, '''@''', u.Host, '''') AND p.PRIVILEGE_TYPE <> 'USAGE')"
     " FROM mysql.user u ORDER BY u.User, u.Host"},
    {HB_SURVEY_SERVER | HB_SURVEY_DATABASE, TRUE, {"state", "State of the server",
     {{"name", "what", HB_COLUMN_TEXT}, {"value", "now", HB_COLUMN_TEXT}}},
     "SELECT 'up since', DATE_FORMAT(NOW() - INTERVAL VARIABLE_VALUE SECOND, '%Y-%m-%dT%H:%i:%sZ') FROM information_schema.GLOBAL_STATUS"
     " WHERE VARIABLE_NAME = 'UPTIME' UNION ALL SELECT LOWER(VARIABLE_NAME), NULLIF(VARIABLE_VALUE, '') FROM information_schema.GLOBAL_VARIABLES"
     " WHERE VARIABLE_NAME IN ('LOG_BIN', 'BINLOG_FORMAT', 'BINLOG_ROW_IMAGE', 'EXPIRE_LOGS_DAYS',"
     " 'BINLOG_EXPIRE_LOGS_SECONDS', 'GTID_BINLOG_POS', 'GTID_EXECUTED', 'READ_ONLY', 'EVENT_SCHEDULER')"},
    {HB_SURVEY_SERVER | HB_SURVEY_DATABASE, TRUE, {"state", "State of the server",
     {{"name", "what", HB_COLUMN_TEXT}, {"value", "now", HB_COLUMN_TEXT}}},
     "SELECT 'up since', DATE_FORMAT(NOW() - INTERVAL VARIABLE_VALUE SECOND, '%Y-%m-%dT%H:%i:%sZ') FROM performance_schema.global_status"
     " WHERE VARIABLE_NAME = 'UPTIME' UNION ALL SELECT LOWER(VARIABLE_NAME), NULLIF(VARIABLE_VALUE, '') FROM performance_schema.global_variables"
     " WHERE VARIABLE_NAME IN ('LOG_BIN', 'BINLOG_FORMAT', 'BINLOG_ROW_IMAGE', 'EXPIRE_LOGS_DAYS',"
     " 'BINLOG_EXPIRE_LOGS_SECONDS', 'GTID_BINLOG_POS', 'GTID_EXECUTED', 'READ_ONLY', 'EVENT_SCHEDULER')"},
    {HB_SURVEY_SERVER | HB_SURVEY_DATABASE, TRUE, {"transactions", "Transactions that are old",
     {{"name", "whose", HB_COLUMN_TEXT}, {"database", "database", HB_COLUMN_TEXT}, {"since", "open since", HB_COLUMN_TEXT},
      {"rows", "rows changed", HB_COLUMN_COUNT}}},
     "SELECT CONCAT('session ', p.ID, ' of ', p.USER, '@', p.HOST), p.DB, t.trx_started, t.trx_rows_modified"
     " FROM information_schema.INNODB_TRX t JOIN " HB_MY_PROCESSES " p ON p.ID = t.trx_mysql_thread_id"
     " WHERE t.trx_started < NOW() - INTERVAL 1 MINUTE ORDER BY 3"},
    {HB_SURVEY_SERVER | HB_SURVEY_DATABASE, TRUE, {"plugins", "Plugins loaded from libraries",
     {{"name", "plugin", HB_COLUMN_TEXT}, {"type", "type", HB_COLUMN_TEXT}, {"version", "version", HB_COLUMN_TEXT}}},
     "SELECT PLUGIN_NAME, LOWER(PLUGIN_TYPE), PLUGIN_VERSION FROM information_schema.PLUGINS"
     " WHERE PLUGIN_LIBRARY IS NOT NULL AND PLUGIN_STATUS = 'ACTIVE' ORDER BY 1"},
    {HB_SURVEY_SERVER | HB_SURVEY_DATABASE, TRUE, {"settings", "Server settings that differ from their defaults",
     {{"name", "setting", HB_COLUMN_TEXT}, {"value", "value", HB_COLUMN_TEXT}, {"default", "default", HB_COLUMN_TEXT},
      {"source", "set in", HB_COLUMN_TEXT}}},
     "SELECT LOWER(VARIABLE_NAME), GLOBAL_VALUE, DEFAULT_VALUE, LOWER(GLOBAL_VALUE_ORIGIN)"
     " FROM information_schema.SYSTEM_VARIABLES WHERE GLOBAL_VALUE_ORIGIN IN ('CONFIG', 'SQL', 'COMMAND-LINE')"
     " AND NOT (GLOBAL_VALUE <=> DEFAULT_VALUE) AND LOWER(VARIABLE_NAME) NOT RLIKE 'passphrase|password|secret'"
     " ORDER BY 1"},
    /* The same of MySQL, which does not say what the defaults are */
    {HB_SURVEY_SERVER | HB_SURVEY_DATABASE, TRUE, {"settings", "Server settings that differ from their defaults",
     {{"name", "setting", HB_COLUMN_TEXT}, {"value", "value", HB_COLUMN_TEXT}, {"source", "set in", HB_COLUMN_TEXT}}},
     "SELECT i.VARIABLE_NAME, g.VARIABLE_VALUE, LOWER(REPLACE(i.VARIABLE_SOURCE, '_', '-'))"
     " FROM performance_schema.variables_info i JOIN performance_schema.global_variables g USING (VARIABLE_NAME)"
     " WHERE i.VARIABLE_SOURCE <> 'COMPILED' AND i.VARIABLE_NAME NOT RLIKE 'passphrase|password|secret' ORDER BY 1"},
};
/* clang-format on */

static void add_rows(HbMyResult *result, HbResultTable *table)
{
    MYSQL_ROW row;

    while ((row = mysql_fetch_row(result)) != NULL) {
        guint at = hb_result_table_add_row(table);
        for (guint c = 0; c < table->columns->len; c++)
            hb_result_table_set(table, at, c, row[c]);
    }
}

static gboolean fill(HbSession *session, const char *sql, HbSurveyScope scope, HbResultTable *table, GError **error)
{
    g_autoptr(HbMyResult) result = hb_my_query(session, sql, error);

    (void)scope;
    if (result == NULL)
        return FALSE;
    g_assert(mysql_num_fields(result) == table->columns->len);
    add_rows(result, table);
    return TRUE;
}

GPtrArray *hb_my_survey(HbSession *session, gboolean whole_server, GError **error)
{
    static const HbSurveyTables survey = {tables, G_N_ELEMENTS(tables), fill};

    return hb_survey_tables_read(&survey, session, whole_server ? HB_SURVEY_SERVER : HB_SURVEY_DATABASE,
                                 session->address, error);
}

/* ---- A question of the user's own ---- */

static HbResultTable *make_answer(HbMyResult *result)
{
    HbResultTable *answer = hb_result_table_new("answer", NULL);
    const guint columns = mysql_num_fields(result);

    for (guint c = 0; c < columns; c++) {
        const char *name = mysql_fetch_field_direct(result, c)->name;
        hb_result_table_add_column(answer, name, name, HB_COLUMN_TEXT);
    }
    add_rows(result, answer);
    return answer;
}

/*
 * A transaction alone does not keep a question from writing: a definition (DROP TABLE) first ends the transaction that
 * runs, and then only the session's own setting refuses it
 */
HbResultTable *hb_my_ask(HbSession *session, const char *question, GError **error)
{
    g_autoptr(HbMyResult) result = NULL;
    HbResultTable *answer = NULL;

    if (!hb_my_execute(session, "SET SESSION TRANSACTION READ ONLY", error) ||
        !hb_my_execute(session, "START TRANSACTION READ ONLY", error))
        return NULL;
    result = hb_my_query(session, question, error);
    if (result != NULL && hb_engine_check_answer(mysql_num_rows(result), mysql_num_fields(result), error))
        answer = make_answer(result);
    hb_my_execute(session, "ROLLBACK", NULL);
    hb_my_execute(session, "SET SESSION TRANSACTION READ WRITE", NULL);
    return answer;
}
