/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/gate/gate.h"

#include "core/base/name_list.h"
#include "engine/common/lost_sessions.h"
#include "engine/mariadb/catalog/privileges.h"
#include "engine/mariadb/gate/gate_note.h"
#include "engine/mariadb/session/connection.h"
#include "engine/mariadb/session/session.h"

#include <mysqld_error.h>
#include <stdlib.h>
#include <string.h>

#define NAMES_MAX 5

/* ---- Which accounts ---- */

/*
 * Those that may write to the database, by themselves or by a role: grants on everything, on a pattern that fits, on
 * tables, columns and routines; ? is the database. Of each whether it is ours or an administrator's (who may make
 * accounts, or ignore read_only)
 */
#define GRANTED                                                                                                        \
    "WITH RECURSIVE granted AS (SELECT u.User AS u, u.Host AS h FROM mysql.user u WHERE 'Y' IN (u.Insert_priv,"        \
    " u.Update_priv, u.Delete_priv, u.Create_priv, u.Drop_priv, u.Alter_priv, u.Execute_priv)"                         \
    " UNION SELECT User, Host FROM mysql.db WHERE ? LIKE Db UNION SELECT User, Host FROM mysql.tables_priv WHERE Db "  \
    "= ?"                                                                                                              \
    " UNION SELECT User, Host FROM mysql.columns_priv WHERE Db = ?"                                                    \
    " UNION SELECT User, Host FROM mysql.procs_priv WHERE Db = ?"

#define ACCOUNTS                                                                                                       \
    "SELECT DISTINCT a.User, a.Host, CONCAT(a.User, '@', a.Host) = CURRENT_USER() OR a.Super_priv = 'Y' OR"            \
    " a.Create_user_priv = 'Y' OR a.User IN ('mariadb.sys', 'mysql.sys', 'mysql.session', 'mysql.infoschema')"         \
    " FROM mysql.user a JOIN granted g ON g.u = a.User AND g.h = a.Host"

static const char writers_of_maria[] = GRANTED
    " UNION SELECT m.User, m.Host FROM granted g JOIN mysql.roles_mapping m ON m.Role = g.u AND g.h = '') " ACCOUNTS
    " JOIN mysql.global_priv p ON p.User = a.User AND p.Host = a.Host"
    " WHERE coalesce(JSON_VALUE(p.Priv, '$.is_role'), '') NOT IN ('1', 'true')"
    " AND coalesce(JSON_VALUE(p.Priv, '$.account_locked'), '') NOT IN ('1', 'true')";

static const char writers_of_mysql[] =
    GRANTED " UNION SELECT m.TO_USER, m.TO_HOST FROM granted g JOIN mysql.role_edges m ON m.FROM_USER = g.u AND"
            " m.FROM_HOST = g.h) " ACCOUNTS " WHERE a.account_locked = 'N'";

static HbMyResult *ask_for_writers(HbSession *session, GError **error)
{
    g_autofree char *database = hb_my_quote_literal(session->database != NULL ? session->database : "");
    g_autoptr(GString) sql = g_string_new(session->is_maria ? writers_of_maria : writers_of_mysql);

    g_string_replace(sql, "?", database, 0);
    return hb_my_query(session, sql->str, error);
}

/* Pairs of user and host; what is not locked, because it is an administrator's, is named for people */
static gboolean list_accounts(HbSession *session, GPtrArray *accounts, HbNameList *administrators, GError **error)
{
    g_autoptr(HbMyResult) result = ask_for_writers(session, error);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL) {
        const gboolean is_administrator = strcmp(row[2], "0") != 0;
        if (is_administrator && administrators != NULL) {
            g_autofree char *name = g_strdup_printf("%s@%s", row[0], row[1]);
            hb_name_list_add(administrators, name);
        } else if (!is_administrator) {
            g_ptr_array_add(accounts, g_strdup(row[0]));
            g_ptr_array_add(accounts, g_strdup(row[1]));
        }
    }
    return result != NULL;
}

static char *make_note(HbSession *session, HbGateWay way, GError **error)
{
    g_autoptr(GPtrArray) accounts = g_ptr_array_new_with_free_func(g_free);
    g_autofree char *was = NULL;
    const gboolean of_database = hb_my_can(session, HB_MY_DATABASE_OPTIONS);

    if (way == HB_GATE_SESSIONS)
        return list_accounts(session, accounts, NULL, error)
                   ? hb_my_gate_note_write(HB_MY_GATE_ACCOUNTS, FALSE, accounts)
                   : NULL;
    if (!hb_my_read_text(session,
                         of_database ? "SELECT OPTIONS LIKE '%READ ONLY=1%' FROM"
                                       " information_schema.SCHEMATA_EXTENSIONS WHERE SCHEMA_NAME = DATABASE()"
                                     : "SELECT @@global.read_only",
                         &was, error))
        return NULL;
    return hb_my_gate_note_write(of_database ? HB_MY_GATE_DATABASE : HB_MY_GATE_SERVER, g_strcmp0(was, "1") == 0,
                                 accounts);
}

/* ---- Stopping, and opening ---- */

/* An account that has gone meanwhile is none that could write */
static GPtrArray *list_statements(const HbMyGateNote *note, const char *database, gboolean stops)
{
    GPtrArray *statements = g_ptr_array_new_with_free_func(g_free);
    g_autofree char *name = hb_my_quote_any_name(database);
    const gboolean read_only = stops || note->was_read_only;

    for (guint i = 0; i < note->accounts->len && note->how == HB_MY_GATE_ACCOUNTS; i += 2) {
        g_autofree char *user = hb_my_quote_literal(note->accounts->pdata[i]),
                        *host = hb_my_quote_literal(note->accounts->pdata[i + 1]);
        g_ptr_array_add(statements, g_strdup_printf("ALTER USER IF EXISTS %s@%s ACCOUNT %s", user, host,
                                                    stops ? "LOCK" : "UNLOCK"));
    }
    if (note->how == HB_MY_GATE_DATABASE)
        g_ptr_array_add(statements, g_strdup_printf("ALTER SCHEMA %s READ ONLY = %d", name, read_only));
    else if (note->how == HB_MY_GATE_SERVER)
        g_ptr_array_add(statements, g_strdup_printf("SET GLOBAL read_only = %d", read_only));
    return statements;
}

static GPtrArray *read_statements(const char *database, const char *text, gboolean stops, GError **error)
{
    HbMyGateNote note;
    GPtrArray *statements = hb_my_gate_note_read(text, &note, error)
                                ? list_statements(&note, database != NULL ? database : "", stops)
                                : NULL;

    hb_my_gate_note_clear(&note);
    return statements;
}

static GPtrArray *list_opening(const char *database, const char *text, GError **error)
{
    return read_statements(database, text, FALSE, error);
}

/* Open transactions keep a database from becoming read only: they are ended, but not waited for without an end */
static gboolean set_gate(HbSession *session, const char *text, gboolean stops, GError **error)
{
    g_autoptr(GPtrArray) statements = read_statements(session->database, text, stops, error);

    if (statements == NULL || !hb_my_execute(session, "SET lock_wait_timeout = 10", error))
        return FALSE;
    for (guint i = 0; i < statements->len; i++) {
        if (!hb_my_execute(session, statements->pdata[i], error))
            return FALSE;
    }
    return TRUE;
}

static gboolean stop(HbSession *session, const char *text, GError **error)
{
    return set_gate(session, text, TRUE, error);
}

static gboolean open_again(HbSession *session, const char *text, GError **error)
{
    return set_gate(session, text, FALSE, error);
}

/* An account differs by its lock */
static gboolean explains(const char *text, const char *identity)
{
    HbMyGateNote note;
    gboolean does = FALSE;
    const guint count = hb_my_gate_note_read(text, &note, NULL) ? note.accounts->len : 0;

    for (guint i = 0; i < count && !does; i += 2) {
        g_autofree char *user = hb_my_quote_literal(note.accounts->pdata[i]),
                        *host = hb_my_quote_literal(note.accounts->pdata[i + 1]),
                        *role = g_strdup_printf("role %s@%s", user, host);
        does = strcmp(identity, role) == 0;
    }
    hb_my_gate_note_clear(&note);
    return does;
}

static gboolean is_same_way(const char *text, const char *other)
{
    HbMyGateNote one, two;
    const gboolean are_read = hb_my_gate_note_read(text, &one, NULL),
                   are_both = hb_my_gate_note_read(other, &two, NULL) && are_read,
                   is_same = are_both && one.how == two.how;

    hb_my_gate_note_clear(&one);
    hb_my_gate_note_clear(&two);
    return is_same;
}

static char *describe(const char *text)
{
    static const char *const words[] = {[HB_MY_GATE_ACCOUNTS] = "accounts that may write are locked: %u",
                                        [HB_MY_GATE_DATABASE] = "the database may only be read",
                                        [HB_MY_GATE_SERVER] = "the server may only be read"};
    HbMyGateNote note;
    GString *line = NULL;

    if (hb_my_gate_note_read(text, &note, NULL)) {
        g_autofree char *number = g_strdup_printf("%u", note.accounts->len / 2);
        line = g_string_new(words[note.how]);
        g_string_replace(line, "%u", number, 1);
    }
    hb_my_gate_note_clear(&note);
    return line != NULL ? g_string_free(line, FALSE) : NULL;
}

/* ---- Who is there ---- */

static char *list_ours(HbSession *session, const GArray *ours)
{
    g_autofree char *joined = ours != NULL ? hb_engine_join_ids(ours) : g_strdup("");

    return g_strdup_printf("%s%s%lu", joined, *joined != '\0' ? "," : "", session->thread_id);
}

/* A session that is gone by now needs no ending */
static gboolean end_one(HbSession *session, const char *id, guint *ended, GError **error)
{
    g_autofree char *sql = g_strdup_printf("KILL %" G_GUINT64_FORMAT, g_ascii_strtoull(id, NULL, 10));
    g_autoptr(GError) ours = NULL;

    if (hb_my_execute(session, sql, &ours)) {
        (*ended)++;
        return TRUE;
    }
    if (mysql_errno(session->mysql) == ER_NO_SUCH_THREAD)
        return TRUE;
    g_propagate_error(error, g_steal_pointer(&ours));
    return FALSE;
}

static char *list_users(const HbMyGateNote *note)
{
    GString *list = g_string_new("''");

    for (guint i = 0; i < note->accounts->len; i += 2) {
        g_autofree char *user = hb_my_quote_literal(note->accounts->pdata[i]);
        g_string_append_printf(list, ", %s", user);
    }
    return g_string_free(list, FALSE);
}

static gboolean end_all(HbSession *session, const HbMyGateNote *note, const GArray *ours, guint *ended, GError **error)
{
    g_autofree char *mine = list_ours(session, ours), *users = list_users(note);
    g_autoptr(HbMyResult) result =
        hb_my_query_format(session, error,
                           "SELECT ID FROM " HB_MY_PROCESSES " WHERE ID NOT IN (%s) AND COMMAND NOT IN"
                           " ('Daemon', 'Binlog Dump', 'Binlog Dump GTID', 'Killed') AND USER <> 'system user'"
                           " AND (DB = DATABASE() OR USER IN (%s))",
                           mine, users);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL) {
        if (!end_one(session, row[0], ended, error))
            return FALSE;
    }
    return result != NULL;
}

static gboolean end_sessions(HbSession *session, const char *text, const GArray *ours, guint *ended, GError **error)
{
    HbMyGateNote note = {0};
    gboolean ok;

    *ended = 0;
    ok = (text != NULL ? hb_my_gate_note_read(text, &note, error) : TRUE);
    if (note.accounts == NULL)
        note.accounts = g_ptr_array_new();
    ok = ok && end_all(session, &note, ours, ended, error);
    hb_my_gate_note_clear(&note);
    return ok;
}

/* Prepared transactions that no session has any more: of which database they are, the server does not say */
#define PREPARED                                                                                                       \
    "SELECT CONCAT('a prepared transaction (XA) that began at ', trx_started) FROM information_schema.INNODB_TRX"      \
    " WHERE trx_mysql_thread_id = 0 AND trx_rows_modified > 0"

/* Those that have changed rows, by sessions in this database, or in none */
static gboolean find_open(HbSession *session, const GArray *ours, GPtrArray *writers, GError **error)
{
    g_autofree char *mine = list_ours(session, ours);
    g_autoptr(HbMyResult) result = hb_my_query_format(
        session, error,
        "SELECT CONCAT('session ', p.ID, ' of ', p.USER, '@', p.HOST) FROM information_schema.INNODB_TRX t"
        " JOIN " HB_MY_PROCESSES " p ON p.ID = t.trx_mysql_thread_id WHERE t.trx_rows_modified > 0 AND p.ID"
        " NOT IN (%s) AND (p.DB = DATABASE() OR p.DB IS NULL) UNION ALL " PREPARED,
        mine);
    MYSQL_ROW row;

    while (result != NULL && (row = mysql_fetch_row(result)) != NULL)
        g_ptr_array_add(writers, g_strdup(row[0]));
    return result != NULL;
}

/* The tables' last change, which is told in seconds */
static const char last_change[] =
    "SELECT CONCAT(COUNT(*), ' ', COALESCE(MAX(UPDATE_TIME), '')) FROM information_schema.TABLES WHERE TABLE_SCHEMA ="
    " DATABASE() AND TABLE_NAME NOT IN (" HB_MY_OURS ")";

/* Their figures, which change with each row; and when the server makes them anew, or forgets a table */
static gboolean count_changes(HbSession *session, char **counters, GError **error)
{
    g_autofree char *sql = g_strdup_printf(
        "SELECT CONCAT(COALESCE(SUM(MODIFIED_COUNTER), 0), ' ', COALESCE(SUM(NUM_ROWS), 0), ' ', COALESCE(SUM(AUTOINC),"
        " 0)) FROM information_schema.%s WHERE NAME LIKE CONCAT(REPLACE(REPLACE(DATABASE(), '_', '\\_'), '%%', '\\%%'),"
        " '/%%') AND NAME NOT LIKE '%%/hornbeam\\_%%'",
        session->is_maria ? "INNODB_SYS_TABLESTATS" : "INNODB_TABLESTATS");

    return hb_my_read_text(session, sql, counters, error);
}

static gboolean find_writers(HbSession *session, const GArray *ours, GPtrArray *writers, char **state, char **counters,
                             GError **error)
{
    *state = *counters = NULL;
    return find_open(session, ours, writers, error) &&
           (session->is_maria || hb_my_execute(session, "SET information_schema_stats_expiry = 0", error)) &&
           hb_my_read_text(session, last_change, state, error) && count_changes(session, counters, error);
}

/* ---- Looking ahead ---- */

static gboolean has_privilege(HbSession *session, const char *const *names, gboolean *has, GError **error)
{
    g_autoptr(HbMyResult) result = hb_my_read_privileges(session, session->database, error);
    MYSQL_ROW row;

    *has = FALSE;
    while (result != NULL && (row = mysql_fetch_row(result)) != NULL)
        *has |= g_strv_contains(names, row[0]);
    return result != NULL;
}

static gboolean need(HbSession *session, const char *const *names, const char *what, GPtrArray *findings,
                     GError **error)
{
    g_autofree char *grant = NULL;
    gboolean has;

    if (!has_privilege(session, names, &has, error))
        return FALSE;
    grant = g_strdup_printf("an administrator can grant %s; or --stop-writes ask", names[0]);
    if (!has)
        hb_finding_advise(hb_findings_add(findings, HB_FINDING_BLOCKER, "writes-go-on", session->database,
                                          "our account may not %s", what),
                          grant, NULL);
    return TRUE;
}

/* What a query names, as one finding */
static gboolean name_found(HbSession *session, HbFindingLevel level, const char *sql, const char *what,
                           const char *todo, GPtrArray *findings, GError **error)
{
    g_autoptr(HbMyResult) result = hb_my_query(session, sql, error);
    g_autofree char *names = NULL;
    HbNameList list;
    MYSQL_ROW row;

    hb_name_list_init(&list, NAMES_MAX);
    while (result != NULL && (row = mysql_fetch_row(result)) != NULL)
        hb_name_list_add(&list, row[0]);
    names = hb_name_list_end(&list);
    if (result != NULL && *names != '\0')
        hb_finding_advise(hb_findings_add(findings, level, "writes-go-on", session->database, "%s: %s", what, names),
                          todo, NULL);
    return result != NULL;
}

static gboolean look_at_sessions(HbSession *session, GPtrArray *findings, GError **error)
{
    static const char *const makers[] = {"CREATE USER", NULL};
    g_autoptr(GPtrArray) accounts = g_ptr_array_new_with_free_func(g_free);
    g_autofree char *names = NULL;
    HbNameList administrators;
    gboolean ok;

    if (!need(session, makers, "lock accounts", findings, error))
        return FALSE;
    hb_name_list_init(&administrators, NAMES_MAX);
    ok =
        hb_findings_count(findings, HB_FINDING_BLOCKER) > 0 || list_accounts(session, accounts, &administrators, error);
    names = hb_name_list_end(&administrators);
    if (ok && *names != '\0')
        hb_finding_advise(hb_findings_add(findings, HB_FINDING_NOTE, "writes-go-on", session->database,
                                          "administrators and our own account are not locked: %s", names),
                          "see that nothing of theirs writes; if it does, the hand-over ends, and says so", NULL);
    return ok &&
           name_found(session, HB_FINDING_BLOCKER,
                      "SELECT EVENT_NAME FROM information_schema.EVENTS WHERE EVENT_SCHEMA = DATABASE() AND"
                      " STATUS = 'ENABLED' AND @@global.event_scheduler = 'ON'",
                      "events write without a session",
                      "SET GLOBAL event_scheduler = OFF until it is over, or ALTER EVENT ... DISABLE; or --stop-writes "
                      "read-only",
                      findings, error);
}

static gboolean look_at_server(HbSession *session, GPtrArray *findings, GError **error)
{
    static const char *const setters[] = {"READ_ONLY ADMIN", "READ ONLY ADMIN", "SUPER", "SYSTEM_VARIABLES_ADMIN",
                                          NULL};

    return need(session, setters, "set the server to read only", findings, error) &&
           name_found(session, HB_FINDING_WARNING,
                      "SELECT SCHEMA_NAME FROM information_schema.SCHEMATA WHERE SCHEMA_NAME NOT IN ('mysql', 'sys',"
                      " 'information_schema', 'performance_schema') AND SCHEMA_NAME <> DATABASE()",
                      "the whole server becomes read only, its other databases, too",
                      "--stop-writes sessions is about this database only", findings, error) &&
           name_found(
               session, HB_FINDING_WARNING, "SELECT CONCAT(User, '@', Host) FROM mysql.user WHERE Super_priv = 'Y'",
               "who may ignore read_only is not stopped",
               "see that nothing of theirs writes; if it does, the hand-over ends, and says so", findings, error);
}

static gboolean look(HbSession *session, HbGateWay way, const GArray *ours, GPtrArray *findings, GError **error)
{
    static const char *const enders[] = {"CONNECTION ADMIN", "CONNECTION_ADMIN", "SUPER", NULL};
    static const char *const changers[] = {"ALTER", NULL};

    (void)ours;
    if (!need(session, enders, "end the sessions of others", findings, error) ||
        !name_found(session, HB_FINDING_BLOCKER, PREPARED, "it would write when it ends",
                    "XA RECOVER lists them; XA COMMIT or XA ROLLBACK them", findings, error))
        return FALSE;
    if (way == HB_GATE_SESSIONS)
        return look_at_sessions(session, findings, error);
    return hb_my_can(session, HB_MY_DATABASE_OPTIONS)
               ? need(session, changers, "set the database to read only", findings, error)
               : look_at_server(session, findings, error);
}

/* Whoever writes to a database that may only be read is refused, and so are we */
static HbGateWay find_best(HbSession *session, gboolean is_copy)
{
    return hb_my_can(session, HB_MY_DATABASE_OPTIONS) && !is_copy ? HB_GATE_READ_ONLY : HB_GATE_SESSIONS;
}

/* ---- What becomes of the database ---- */

static gboolean drop_database(const HbAddress *address, GError **error)
{
    g_autofree char *own = hb_my_get_database_of(address), *name = hb_my_quote_any_name(own), *sql = NULL;
    HbAddress beside = *address;
    HbSession *session;
    gboolean ok;

    beside.database = "";
    session = hb_my_open(&beside, error);
    sql = g_strdup_printf("DROP DATABASE IF EXISTS %s", name);
    ok = session != NULL && hb_my_execute(session, sql, error);
    hb_my_close(session);
    return ok;
}

const HbGate hb_my_gate = {
    .find_best = find_best,
    .find_lasting = find_best,
    .look = look,
    .make_note = make_note,
    .stop = stop,
    .open = open_again,
    .explains = explains,
    .is_same_way = is_same_way,
    .describe = describe,
    .list_opening = list_opening,
    .end_sessions = end_sessions,
    .find_writers = find_writers,
    .drop_database = drop_database,
    .list_forms = hb_my_list_forms,
    .find_password = hb_my_find_password,
    .try_form = hb_my_try_form,
};
