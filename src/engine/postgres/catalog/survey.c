/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/catalog/survey.h"

#include "engine/common/checks.h"
#include "engine/common/survey_tables.h"
#include "engine/postgres/catalog/queries.h"
#include "sql.h"

#include <string.h>

/* clang-format off */
static const HbSurveyTable tables[] = {
    {HB_SURVEY_SERVER | HB_SURVEY_DATABASE, FALSE, {"databases", "Databases",
     {{"name", "database", HB_COLUMN_TEXT}, {"owner", "owner", HB_COLUMN_TEXT}, {"encoding", "encoding", HB_COLUMN_TEXT},
      {"collation", "collation", HB_COLUMN_TEXT}, {"bytes", "size", HB_COLUMN_BYTES}, {"sessions", "sessions", HB_COLUMN_COUNT}}},
     "SELECT d.datname, pg_get_userbyid(d.datdba), pg_encoding_to_char(d.encoding), d.datcollate,"
     " CASE WHEN has_database_privilege(d.oid, 'CONNECT') THEN pg_database_size(d.oid) END,"
     " (SELECT count(*) FROM pg_stat_activity a WHERE a.datid = d.oid AND a.pid <> pg_backend_pid())"
     " FROM pg_database d"
     " WHERE d.datallowconn AND ($1 OR d.datname = current_database())"
     " ORDER BY 5 DESC NULLS LAST, 1"},
    {HB_SURVEY_DATABASE, FALSE, {"kinds", "Objects by kind",
     {{"kind", "kind", HB_COLUMN_TEXT}, {"count", "objects", HB_COLUMN_COUNT}}},
     hb_sql_survey_kinds},
    {HB_SURVEY_DATABASE, FALSE, {"schemas", "Schemas",
     {{"name", "schema", HB_COLUMN_TEXT}, {"owner", "owner", HB_COLUMN_TEXT}, {"tables", "tables", HB_COLUMN_COUNT},
      {"bytes", "size", HB_COLUMN_BYTES}}},
     "SELECT n.nspname, pg_get_userbyid(n.nspowner), count(c.oid), coalesce(sum(pg_total_relation_size(c.oid)), 0)"
     " FROM pg_namespace n LEFT JOIN pg_class c ON c.relnamespace = n.oid AND c.relkind IN ('r', 'm')"
     " WHERE n.oid IN (@namespaces@) GROUP BY n.oid, n.nspname, n.nspowner ORDER BY 4 DESC, 1"},
    {HB_SURVEY_DATABASE, FALSE, {"tables", "Largest tables",
     {{"name", "table", HB_COLUMN_TEXT}, {"rows", "rows (estimated)", HB_COLUMN_COUNT}, {"bytes", "size of rows", HB_COLUMN_BYTES},
      {"index_bytes", "of indexes", HB_COLUMN_BYTES}, {"remarks", "remarks", HB_COLUMN_TEXT}}},
     "SELECT c.oid::regclass, CASE WHEN c.reltuples >= 0 THEN c.reltuples::bigint END, pg_table_size(c.oid),"
     " pg_indexes_size(c.oid), nullif(concat_ws(', ',"
     " CASE WHEN c.relkind = 'r' AND NOT EXISTS (SELECT FROM pg_index i WHERE i.indrelid = c.oid AND i.indisprimary) THEN 'no primary key' END,"
     " CASE WHEN c.relpersistence = 'u' THEN 'unlogged' END,"
     " CASE WHEN c.reltuples < 0 OR (c.reltuples = 0 AND c.relpages = 0 AND pg_relation_size(c.oid) > 0) THEN 'never analysed' END,"
     " CASE WHEN c.relkind = 'm' AND NOT c.relispopulated THEN 'not filled' END), '')"
     " FROM pg_class c WHERE c.relkind IN ('r', 'm') AND c.relnamespace IN (@namespaces@)"
     " ORDER BY 3 DESC, 1"},
    {HB_SURVEY_DATABASE, FALSE, {"invalid_indexes", "Indexes that are not valid",
     {{"name", "index", HB_COLUMN_TEXT}, {"table", "table", HB_COLUMN_TEXT}, {"bytes", "size", HB_COLUMN_BYTES}}},
     "SELECT i.indexrelid::regclass, i.indrelid::regclass, pg_relation_size(i.indexrelid) FROM pg_index i"
     " JOIN pg_class c ON c.oid = i.indexrelid WHERE NOT i.indisvalid AND c.relkind = 'i' ORDER BY 1"},
    {HB_SURVEY_SERVER | HB_SURVEY_DATABASE, FALSE, {"roles", "Roles",
     {{"name", "role", HB_COLUMN_TEXT}, {"attributes", "attributes", HB_COLUMN_TEXT}, {"member_of", "member of", HB_COLUMN_TEXT}}},
     "SELECT r.rolname, concat_ws(', ', CASE WHEN r.rolcanlogin THEN 'login' END,"
     "   CASE WHEN r.rolsuper THEN 'superuser' END, CASE WHEN r.rolcreatedb THEN 'creates databases' END,"
     "   CASE WHEN r.rolcreaterole THEN 'creates roles' END, CASE WHEN r.rolreplication THEN 'replication' END,"
     "   CASE WHEN r.rolbypassrls THEN 'bypasses row security' END, CASE WHEN NOT r.rolinherit THEN 'no inheritance' END,"
     "   CASE WHEN r.rolconnlimit <> -1 THEN 'at most ' || r.rolconnlimit || ' sessions' END,"
     "   'until ' || to_char(r.rolvaliduntil, 'YYYY-MM-DD')),"
     " (SELECT string_agg(g.rolname, ', ' ORDER BY g.rolname) FROM pg_auth_members m JOIN pg_roles g ON g.oid = m.roleid"
     "  WHERE m.member = r.oid)"
     " FROM pg_roles r WHERE r.rolname !~ '^pg_' ORDER BY r.rolname"},
    {HB_SURVEY_DATABASE, FALSE, {"extensions", "Extensions",
     {{"name", "extension", HB_COLUMN_TEXT}, {"version", "version", HB_COLUMN_TEXT}, {"schema", "schema", HB_COLUMN_TEXT},
      {"available", "newer one at hand", HB_COLUMN_TEXT}}},
     "SELECT x.extname, x.extversion, n.nspname, nullif(a.default_version, x.extversion) FROM pg_extension x"
     " JOIN pg_namespace n ON n.oid = x.extnamespace LEFT JOIN pg_available_extensions a ON a.name = x.extname ORDER BY 1"},
    {HB_SURVEY_SERVER | HB_SURVEY_DATABASE, FALSE, {"state", "State of the server",
     {{"name", "what", HB_COLUMN_TEXT}, {"value", "now", HB_COLUMN_TEXT}}},
     "SELECT f.what, f.now FROM (VALUES (1, 'up since', to_char(pg_postmaster_start_time() AT TIME ZONE 'UTC', 'YYYY-MM-DD\"T\"HH24:MI:SS\"Z\"')),"
     " (2, 'it is a', CASE WHEN pg_is_in_recovery() THEN 'standby' ELSE 'primary' END),"
     " (3, 'standbys that read its log', (SELECT count(*)::text FROM pg_stat_replication)),"
     " (4, 'data checksums', current_setting('data_checksums')),"
     " (5, 'age of the oldest transaction number', (SELECT max(age(datfrozenxid)) || ' of ' ||"
     "   current_setting('autovacuum_freeze_max_age') || ' at which it is cleaned up' FROM pg_database))) f (place, what, now)"
     " ORDER BY place"},
    {HB_SURVEY_SERVER | HB_SURVEY_DATABASE, TRUE, {"transactions", "Transactions that are old or prepared",
     {{"name", "whose", HB_COLUMN_TEXT}, {"database", "database", HB_COLUMN_TEXT}, {"since", "open since", HB_COLUMN_TEXT},
      {"state", "state", HB_COLUMN_TEXT}}},
     "SELECT 'process ' || pid || coalesce(' of ' || usename, ''), datname, to_char(xact_start AT TIME ZONE 'UTC',"
     " 'YYYY-MM-DD\"T\"HH24:MI:SS\"Z\"'), state FROM pg_stat_activity WHERE xact_start < now() - interval '1 minute'"
     " AND backend_type = 'client backend' AND ($1 OR datname = current_database())"
     " UNION ALL SELECT 'prepared ' || gid || ' of ' || owner, database, to_char(prepared AT TIME ZONE 'UTC',"
     " 'YYYY-MM-DD\"T\"HH24:MI:SS\"Z\"'), 'prepared' FROM pg_prepared_xacts WHERE $1 OR database = current_database() ORDER BY 3"},
    {HB_SURVEY_SERVER | HB_SURVEY_DATABASE, TRUE, {"subscriptions", "Subscriptions",
     {{"name", "subscription", HB_COLUMN_TEXT}, {"database", "database", HB_COLUMN_TEXT}, {"state", "state", HB_COLUMN_TEXT}}},
     "SELECT s.subname, d.datname, CASE WHEN s.subenabled THEN 'enabled' ELSE 'disabled' END FROM pg_subscription s"
     " JOIN pg_database d ON d.oid = s.subdbid WHERE $1 OR d.datname = current_database() ORDER BY 1"},
    {HB_SURVEY_SERVER | HB_SURVEY_DATABASE, TRUE, {"slots", "Replication slots, and the log that they hold back",
     {{"name", "slot", HB_COLUMN_TEXT}, {"database", "database", HB_COLUMN_TEXT}, {"plugin", "plugin", HB_COLUMN_TEXT},
      {"bytes", "log held back", HB_COLUMN_BYTES}, {"read", "read by", HB_COLUMN_TEXT}, {"state", "state", HB_COLUMN_TEXT}}},
     "SELECT s.slot_name, s.database, coalesce(s.plugin, s.slot_type),"
     " greatest(pg_wal_lsn_diff(CASE WHEN pg_is_in_recovery() THEN pg_last_wal_replay_lsn() ELSE pg_current_wal_lsn() END,"
     " s.restart_lsn), 0)::bigint, coalesce('process ' || s.active_pid, 'nobody'), s.wal_status"
     " FROM pg_replication_slots s WHERE $1 OR s.database IS NULL OR s.database = current_database() ORDER BY 4 DESC NULLS LAST, 1"},
    {HB_SURVEY_SERVER, FALSE, {"tablespaces", "Tablespaces",
     {{"name", "tablespace", HB_COLUMN_TEXT}, {"owner", "owner", HB_COLUMN_TEXT}, {"location", "location", HB_COLUMN_TEXT}}},
     "SELECT spcname, pg_get_userbyid(spcowner), pg_tablespace_location(oid) FROM pg_tablespace"
     " WHERE spcname !~ '^pg_' ORDER BY 1"},
    {HB_SURVEY_SERVER | HB_SURVEY_DATABASE, FALSE, {"database_settings", "Settings of databases and roles",
     {{"role", "role", HB_COLUMN_TEXT}, {"setting", "setting", HB_COLUMN_TEXT}, {"where", "in database", HB_COLUMN_TEXT}}},
     "SELECT CASE s.setrole WHEN 0 THEN NULL ELSE pg_get_userbyid(s.setrole) END, unnest(s.setconfig), d.datname"
     " FROM pg_db_role_setting s LEFT JOIN pg_database d ON d.oid = s.setdatabase"
     " WHERE $1 OR s.setdatabase = 0 OR d.datname = current_database() ORDER BY 3 NULLS FIRST, 1 NULLS FIRST, 2"},
    {HB_SURVEY_SERVER | HB_SURVEY_DATABASE, FALSE, {"settings", "Server settings that differ from their defaults",
     {{"name", "setting", HB_COLUMN_TEXT}, {"value", "value", HB_COLUMN_TEXT}, {"default", "default", HB_COLUMN_TEXT},
      {"source", "set in", HB_COLUMN_TEXT}}},
     "SELECT name, reset_val || coalesce(' ' || unit, ''), boot_val || coalesce(' ' || unit, ''), source"
     " FROM pg_settings WHERE source NOT IN ('default', 'session', 'client', 'override')"
     "   AND reset_val IS DISTINCT FROM boot_val AND name NOT IN ('application_name')"
     "   AND name !~ 'passphrase|password_command' ORDER BY name"},
};
/* clang-format on */

static void add_rows(const PGresult *result, HbResultTable *table)
{
    for (int row = 0; row < PQntuples(result); row++) {
        guint at = hb_result_table_add_row(table);
        for (int c = 0; c < PQnfields(result); c++)
            hb_result_table_set(table, at, (guint)c, PQgetisnull(result, row, c) ? NULL : PQgetvalue(result, row, c));
    }
}

/* A query may ask for the scope by $1: is it the whole server? */
static gboolean fill(HbSession *session, const char *sql, HbSurveyScope scope, HbResultTable *table, GError **error)
{
    g_autofree char *fitted = hb_pg_fit_query(sql, session->version);
    const char *const values[] = {scope == HB_SURVEY_SERVER ? "true" : "false"};
    g_autoptr(HbResult) result = hb_pg_query_with(session, fitted, strstr(sql, "$1") != NULL, values, error);

    if (result == NULL)
        return FALSE;
    g_assert((guint)PQnfields(result) == table->columns->len);
    add_rows(result, table);
    return TRUE;
}

GPtrArray *hb_pg_survey(HbSession *session, gboolean whole_server, GError **error)
{
    static const HbSurveyTables survey = {tables, G_N_ELEMENTS(tables), fill};

    return hb_survey_tables_read(&survey, session, whole_server ? HB_SURVEY_SERVER : HB_SURVEY_DATABASE,
                                 session->address, error);
}

/* ---- A question of the user's own ---- */

static HbResultTable *make_answer(const PGresult *result)
{
    HbResultTable *answer = hb_result_table_new("answer", NULL);

    for (int c = 0; c < PQnfields(result); c++)
        hb_result_table_add_column(answer, PQfname(result, c), PQfname(result, c), HB_COLUMN_TEXT);
    add_rows(result, answer);
    return answer;
}

HbResultTable *hb_pg_ask(HbSession *session, const char *question, GError **error)
{
    g_autoptr(HbResult) result = NULL;
    HbResultTable *answer = NULL;

    if (!hb_pg_execute(session, "BEGIN READ ONLY", error))
        return NULL;
    result = hb_pg_query_with(session, question, 0, NULL, error);
    if (result != NULL && hb_engine_check_answer((guint64)PQntuples(result), (guint)PQnfields(result), error))
        answer = make_answer(result);
    hb_pg_execute(session, "ROLLBACK", NULL);
    return answer;
}
