/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/session/session.h"

#include "engine/common/checks.h"
#include "engine/mariadb/dialect/names.h"
#include "engine/mariadb/mariadb.h"
#include "engine/mariadb/session/address.h"
#include "engine/mariadb/session/connection.h"
#include "engine/mariadb/session/error_classes.h"

#include <errmsg.h>
#include <mysqld_error.h>
#include <string.h>
#include <sys/socket.h>

/*
 * Every session is set to one known way of reading and writing before anything is asked: the variables that this
 * server knows, of one list, in one statement; and one by one only if the account may not set one of them. What a
 * program's definition has set is set back by HB_MY_USUAL; what cannot be set back by statements, because they would
 * be misread, by beginning the session anew.
 */

/* What every session sets besides, where the server knows it and lets us */
static const struct {
    const char *name;
    const char *value;
} set_up[] = {
    {"autocommit", "1"},
    {"check_constraint_checks", "0"},
    {"completion_type", "'NO_CHAIN'"},
    {"explicit_defaults_for_timestamp", "1"},
    {"foreign_key_checks", "0"},
    {"group_concat_max_len", "1073741824"},
    {"idle_readonly_transaction_timeout", "0"},
    {"idle_transaction_timeout", "0"},
    {"idle_write_transaction_timeout", "0"},
    {"information_schema_stats_expiry", "0"},
    {"innodb_strict_mode", "0"},
    {"interactive_timeout", "604800"},
    {"lock_wait_timeout", "3600"},
    {"max_execution_time", "0"},
    {"max_join_size", "18446744073709551615"},
    {"max_statement_time", "0"},
    {"net_read_timeout", "3600"},
    {"net_write_timeout", "3600"},
    {"old_mode", "'UTF8_IS_UTF8MB3'"},
    {"print_identified_with_as_hex", "1"},
    {"restrict_fk_on_non_standard_key", "0"},
    {"show_create_table_skip_secondary_engine", "0"},
    {"show_create_table_verbosity", "0"},
    {"show_gipk_in_create_table_and_information_schema", "1"},
    {"sql_auto_is_null", "0"},
    {"sql_big_selects", "1"},
    {"sql_generate_invisible_primary_key", "0"},
    {"sql_if_exists", "0"},
    {"sql_quote_show_create", "1"},
    {"sql_require_primary_key", "0"},
    {"sql_safe_updates", "0"},
    {"sql_select_limit", "18446744073709551615"},
    {"sql_warnings", "0"},
    {"system_versioning_alter_history", "'KEEP'"},
    {"system_versioning_asof", "DEFAULT"},
    {"system_versioning_insert_history", "1"},
    {"tx_isolation", "'REPEATABLE-READ'"},
    {"transaction_isolation", "'REPEATABLE-READ'"},
    {"tx_read_only", "0"},
    {"transaction_read_only", "0"},
    {"unique_checks", "0"},
    {"wait_timeout", "604800"},
};

#define FIRST_VERSION_WITH_LONG_TIMES 110500

const char *hb_my_get_end_of_time(const HbSession *session)
{
    return session->version >= FIRST_VERSION_WITH_LONG_TIMES ? "TIMESTAMP'2106-02-07 06:28:15.999999'"
                                                             : "TIMESTAMP'2038-01-19 03:14:07.999999'";
}

gboolean hb_my_can(const HbSession *session, HbMyFeature feature)
{
    return hb_my_version_can(session->version, feature);
}

/* ---- Errors ---- */

gboolean hb_my_set_error_text(HbSession *session, guint number, const char *message, GError **error)
{
    const HbMyErrorClass *known = hb_my_classify_error(number);

    session->found_duplicate = number == ER_DUP_ENTRY;
    if (number == ER_QUERY_INTERRUPTED && !g_atomic_int_get(&session->interrupted))
        return hb_error_set(error, HB_ERROR_STATEMENT, HB_CANCELLED_BY_OTHERS, "%s (error %u)", message, number);
    if (known != NULL && known->code == HB_ERROR_LOST)
        return hb_error_set(error, HB_ERROR_LOST, known->hint, "the connection to %s broke: %s (error %u)",
                            session->address, message, number);
    if (known != NULL)
        return hb_error_set(error, known->code, known->hint, "%s (error %u)", message, number);
    if (number == 0)
        return hb_error_set(error, HB_ERROR_LOST, HB_MY_SAY_WHETHER_IT_RUNS, "the connection to %s broke",
                            session->address);
    return hb_error_set(error, HB_ERROR_STATEMENT, NULL, "%s (error %u)", message, number);
}

gboolean hb_my_set_error(HbSession *session, GError **error)
{
    g_autofree char *message = g_strdup(mysql_error(session->mysql));

    return hb_my_set_error_text(session, mysql_errno(session->mysql), g_strchomp(message), error);
}

/* ---- Queries ---- */

gboolean hb_my_set_raw(HbSession *session, gboolean raw, GError **error)
{
    if (session->is_raw == raw)
        return TRUE;
    session->is_raw = raw;
    return hb_my_execute(session, raw ? "SET character_set_results = NULL" : "SET character_set_results = utf8mb4",
                         error);
}

#define NEWER_PROCESSES "performance_schema.processlist"

/* An administrator may have switched it off: then it is there, and empty */
static gboolean has_newer_processes(HbSession *session)
{
    static const char own[] = "SELECT 1 FROM " NEWER_PROCESSES " WHERE ID = CONNECTION_ID()";
    MYSQL_RES *result;

    if (session->newer_processes == 0 && hb_my_can(session, HB_MY_PROCESSES_AS_TEXT) &&
        mysql_real_query(session->mysql, own, sizeof own - 1) == 0) {
        result = mysql_store_result(session->mysql);
        session->newer_processes = result != NULL && mysql_num_rows(result) == 1 ? 1 : -1;
        mysql_free_result(result);
    } else if (session->newer_processes == 0) {
        session->newer_processes = -1;
    }
    return session->newer_processes > 0;
}

/* The query with the newer list of sessions, where the server has it; otherwise NULL. The caller's */
static char *fit_processes(HbSession *session, const char *sql)
{
    GString *text;

    if (strstr(sql, HB_MY_PROCESSES) == NULL || !has_newer_processes(session))
        return NULL;
    text = g_string_new(sql);
    g_string_replace(text, HB_MY_PROCESSES, NEWER_PROCESSES, 0);
    return g_string_free(text, FALSE);
}

/* MySQL cannot list its transactions while one of them runs bytes that are no text. Such a statement ends soon */
#define NO_TEXT    3854
#define LISTINGS   100
#define BETWEEN_US (50 * 1000)

static HbMyResult *ask(HbSession *session, const char *sql)
{
    const gboolean lists_transactions = strstr(sql, "INNODB_TRX") != NULL;
    HbMyResult *result = NULL;

    for (guint count = 0; count < LISTINGS; count++) {
        if (mysql_real_query(session->mysql, sql, strlen(sql)) == 0)
            result = mysql_store_result(session->mysql);
        if (result != NULL || mysql_errno(session->mysql) != NO_TEXT || !lists_transactions)
            break;
        g_usleep(BETWEEN_US);
    }
    return result;
}

HbMyResult *hb_my_query(HbSession *session, const char *sql, GError **error)
{
    g_autofree char *fitted = NULL;
    HbMyResult *result;

    if (!hb_my_set_raw(session, FALSE, error))
        return NULL;
    fitted = fit_processes(session, sql);
    result = ask(session, fitted != NULL ? fitted : sql);
    if (result == NULL)
        hb_my_set_error(session, error);
    return result;
}

HbMyResult *hb_my_query_format(HbSession *session, GError **error, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *sql = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    return hb_my_query(session, sql, error);
}

gboolean hb_my_execute(HbSession *session, const char *sql, GError **error)
{
    if (mysql_real_query(session->mysql, sql, strlen(sql)) != 0)
        return hb_my_set_error(session, error);
    mysql_free_result(mysql_store_result(session->mysql));
    return mysql_errno(session->mysql) == 0 || hb_my_set_error(session, error);
}

gboolean hb_my_read_text(HbSession *session, const char *sql, char **text, GError **error)
{
    g_autoptr(HbMyResult) result = hb_my_query(session, sql, error);
    MYSQL_ROW row = result != NULL ? mysql_fetch_row(result) : NULL;

    *text = row != NULL ? g_strdup(row[0]) : NULL;
    return result != NULL;
}

/* ---- Life ---- */

/* Those of set_up that the server knows, as one SET */
static char *make_set_up(HbSession *session, GError **error)
{
    g_autoptr(GString) names = g_string_new(NULL);
    g_autoptr(GHashTable) known = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    g_autoptr(HbMyResult) result = NULL;
    GString *sql = g_string_new("SET");
    MYSQL_ROW row;

    for (gsize i = 0; i < G_N_ELEMENTS(set_up); i++)
        g_string_append_printf(names, "%s'%s'", i > 0 ? ", " : "", set_up[i].name);
    result = hb_my_query_format(session, error, "SHOW VARIABLES WHERE Variable_name IN (%s)", names->str);
    while (result != NULL && (row = mysql_fetch_row(result)) != NULL)
        g_hash_table_add(known, g_ascii_strdown(row[0], -1));
    for (gsize i = 0; i < G_N_ELEMENTS(set_up); i++) {
        if (g_hash_table_contains(known, set_up[i].name))
            g_string_append_printf(sql, "%s %s = %s", sql->len > 3 ? "," : "", set_up[i].name, set_up[i].value);
    }
    return g_string_free(sql, result == NULL);
}

/* All at once, as a server far away would make each statement dear; one by one only if one of them is not allowed */
static gboolean set_variables(HbSession *session, GError **error)
{
    g_autofree char *all = make_set_up(session, error);

    if (all == NULL)
        return FALSE;
    if (hb_my_execute(session, all, NULL))
        return TRUE;
    for (gsize i = 0; i < G_N_ELEMENTS(set_up); i++) {
        g_autofree char *sql = g_strdup_printf("SET %s = %s", set_up[i].name, set_up[i].value);
        hb_my_execute(session, sql, NULL);
    }
    return TRUE;
}

gboolean hb_my_reset(HbSession *session, GError **error)
{
    return hb_my_execute(session, HB_MY_USUAL, error);
}

/*
 * A session that a failed definition left in an odd character set cannot be set back by statements, which are read in
 * that set: the server begins it anew
 */
gboolean hb_my_renew(HbSession *session, GError **error)
{
    session->is_raw = FALSE;
    session->serves = FALSE;
    session->part = 0;
    if (mysql_reset_connection(session->mysql) != 0 || mysql_set_character_set(session->mysql, "utf8mb4") != 0)
        return hb_my_set_error(session, error);
    return set_variables(session, error) && hb_my_reset(session, error);
}

static gboolean check_version(const HbSession *session, GError **error)
{
    return session->version >= hb_my_version_get_oldest(session->version) ||
           hb_error_set(error, HB_ERROR_CONNECT, "upgrade that server first", "%s runs %s, which is too old",
                        session->address, mysql_get_server_info(session->mysql));
}

/* Some servers put "5.5.5-" before their version, for the sake of old replicas */
static void read_server_version(HbSession *session)
{
    const char *text = mysql_get_server_info(session->mysql);
    const char *prefix = "5.5.5-";

    session->is_maria = strstr(text, "MariaDB") != NULL || mariadb_connection(session->mysql);
    if (session->is_maria && g_str_has_prefix(text, prefix))
        text += strlen(prefix);
    session->version = hb_my_read_version(text);
}

/* Without its watch */
static HbAddress copy_address(const HbAddress *address)
{
    return (HbAddress){g_strdup(address->uri), g_strdup(address->database), g_strdup(address->password), NULL};
}

static void clear_address(HbAddress *address)
{
    g_free((char *)address->uri);
    g_free((char *)address->database);
    g_free((char *)address->password);
}

static HbSession *new_session(MYSQL *mysql, const HbAddress *address)
{
    HbSession *session = g_new0(HbSession, 1);

    session->mysql = mysql;
    session->origin = copy_address(address);
    session->origin.watch = address->watch;
    session->address = hb_my_display(address);
    session->database = hb_my_get_database_of(address);
    return session;
}

HbSession *hb_my_open(const HbAddress *address, GError **error)
{
    MYSQL *mysql = hb_my_connect(address, error);
    HbSession *session;

    if (mysql == NULL)
        return NULL;
    session = new_session(mysql, address);
    if (mysql_errno(mysql) != 0) {
        hb_error_set(error, HB_ERROR_CONNECT, hb_my_get_connect_hint(mysql_errno(mysql)), "cannot connect to %s: %s",
                     session->address, mysql_error(mysql));
        g_clear_pointer(&session, hb_my_close);
        return NULL;
    }
    session->thread_id = mysql_thread_id(mysql);
    hb_engine_notify_opened(address, &hb_mariadb_engine, session);
    read_server_version(session);
    if (!hb_my_check_encryption(session->mysql, address, error) || !check_version(session, error) ||
        !set_variables(session, error) || !hb_my_reset(session, error))
        g_clear_pointer(&session, hb_my_close);
    return session;
}

void hb_my_close(HbSession *session)
{
    if (session == NULL)
        return;
    hb_engine_notify_closed(&session->origin, session);
    hb_my_close(session->holder);
    mysql_close(session->mysql);
    clear_address(&session->origin);
    g_free(session->address);
    g_free(session->database);
    g_free(session->held);
    g_free(session->fingerprint);
    g_free(session);
}

/* A statement to be ended, whatever becomes of its session meanwhile */
typedef struct {
    HbAddress origin;
    unsigned long thread_id;
} Kill;

static void kill_free(Kill *kill)
{
    clear_address(&kill->origin);
    g_free(kill);
}

/* Through a second connection */
static gpointer run_kill(gpointer data)
{
    Kill *kill = data;
    g_autofree char *sql = g_strdup_printf("KILL QUERY %lu", kill->thread_id);
    MYSQL *other = hb_my_connect(&kill->origin, NULL);

    if (other != NULL && mysql_errno(other) == 0)
        mysql_query(other, sql);
    if (other != NULL)
        mysql_close(other);
    kill_free(kill);
    return NULL;
}

static Kill *new_kill(HbSession *session)
{
    Kill *kill = g_new0(Kill, 1);

    g_atomic_int_set(&session->interrupted, TRUE);
    kill->origin = copy_address(&session->origin);
    kill->thread_id = session->thread_id;
    return kill;
}

void hb_my_interrupt(HbSession *session)
{
    g_thread_unref(g_thread_new("kill", run_kill, new_kill(session)));
}

void hb_my_cancel_now(HbSession *session)
{
    run_kill(new_kill(session));
}

void hb_my_cut(HbSession *session)
{
    shutdown(mysql_get_socket(session->mysql), SHUT_RDWR);
}

gboolean hb_my_needs_password(const HbAddress *address)
{
    g_autoptr(HbMyAddress) parts = hb_my_address_read(address->uri, NULL);
    MYSQL *mysql = parts != NULL && parts->password == NULL ? hb_my_connect(address, NULL) : NULL;
    gboolean needed = mysql != NULL && mysql_errno(mysql) == ER_ACCESS_DENIED_ERROR;

    if (mysql != NULL)
        mysql_close(mysql);
    return needed;
}

/* ---- Who is there ---- */

static char *bare_version(HbSession *session)
{
    return g_strdup_printf("%u.%u.%u", session->version / 10000, session->version / 100 % 100, session->version % 100);
}

static char *address_without_database(const HbSession *session)
{
    char *slash = session->database != NULL ? g_strrstr(session->address, session->database) : NULL;

    return slash != NULL && slash > session->address && slash[-1] == '/'
               ? g_strndup(session->address, (gsize)(slash - session->address) - 1)
               : g_strdup(session->address);
}

/* MySQL's server has a number of its own; that of MariaDB is known by where its files are */
static char *read_lasting(HbSession *session)
{
    g_autofree char *server = NULL;

    return hb_my_read_text(session,
                           session->is_maria ? "SELECT CONCAT_WS('|', @@hostname, @@datadir)" : "SELECT @@server_uuid",
                           &server, NULL)
               ? g_strdup_printf("%s|%s", server, session->database != NULL ? session->database : "")
               : NULL;
}

gboolean hb_my_describe(HbSession *session, HbServerInfo *info, GError **error)
{
    g_autoptr(HbMyResult) result =
        hb_my_query(session,
                    "SELECT CURRENT_USER(), CONCAT_WS('|', @@hostname, @@port, @@socket, @@datadir), (SELECT COUNT(*)"
                    " FROM information_schema.user_privileges WHERE privilege_type = 'SUPER' AND grantee ="
                    " CONCAT('''', REPLACE(CURRENT_USER(), '@', '''@'''), ''''))",
                    error);
    MYSQL_ROW row = result != NULL ? mysql_fetch_row(result) : NULL;

    if (row == NULL)
        return FALSE;
    *info =
        (HbServerInfo){.product = g_strdup(hb_my_version_get_product(session->version)),
                       .version = bare_version(session),
                       .version_number = session->version,
                       .address = address_without_database(session),
                       .database = g_strdup(session->database != NULL ? session->database : ""),
                       .database_quoted = hb_my_quote_name(session->database != NULL ? session->database : ""),
                       .user = g_strdup(row[0]),
                       .is_superuser = *row[2] != '0',
                       .identity = g_strdup_printf("%s|%s", row[1], session->database != NULL ? session->database : ""),
                       .lasting = read_lasting(session)};
    return TRUE;
}

gboolean hb_my_run_statement(HbSession *session, const char *sql, char **complaint, GError **error)
{
    g_autoptr(HbMyResult) result = NULL;
    MYSQL_ROW row;

    if (mysql_real_query(session->mysql, sql, strlen(sql)) != 0)
        return hb_my_set_error(session, error);
    result = mysql_store_result(session->mysql);
    if (mysql_errno(session->mysql) != 0)
        return hb_my_set_error(session, error);
    if (result != NULL && (row = mysql_fetch_row(result)) != NULL && *complaint == NULL &&
        strcmp(mysql_fetch_field_direct(result, 0)->name, "complaint") == 0)
        *complaint = g_strdup(row[0]);
    return TRUE;
}
