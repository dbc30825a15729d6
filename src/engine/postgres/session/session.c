/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/session/session.h"

#include "core/base/error.h"
#include "engine/common/checks.h"
#include "engine/postgres/session/address.h"

#include <string.h>
#include <sys/socket.h>

/*
 * Sessions read in one known way: no search_path but the server's own catalog, ISO dates, UTC, all digits of floats,
 * no timeouts. What could run code of others (a function in somebody's path, an operator of a type) is not reached by
 * any statement of ours. Errors get their class from SQLSTATE, and their hint where one can be given.
 */

#define CONNECT_TIMEOUT_SECONDS  "15"
#define DEFAULT_MAINTENANCE_BASE "postgres"

/* Of connecting where there are too many connections */
#define ATTEMPTS 6
#define WAIT_US  (100 * 1000)

/* What every session sets, if its server's version knows it */
static const char set_up[] =
    "SELECT set_config(v.name, v.setting, false)"
    " FROM (VALUES ('search_path', ''), ('DateStyle', 'ISO, YMD'), ('IntervalStyle', 'postgres'),"
    "  ('TimeZone', 'UTC'), ('extra_float_digits', '3'), ('bytea_output', 'hex'), ('lc_monetary', 'C'),"
    "  ('xmloption', 'content'), ('standard_conforming_strings', 'on'), ('quote_all_identifiers', 'off'),"
    "  ('array_nulls', 'on'), ('row_security', 'off'), ('synchronize_seqscans', 'off'), ('jit', 'off'),"
    "  ('check_function_bodies', 'off'), ('client_min_messages', 'error'),"
    "  ('default_transaction_read_only', 'off'), ('default_transaction_isolation', 'read committed'),"
    "  ('default_transaction_deferrable', 'off'), ('default_tablespace', ''),"
    "  ('default_table_access_method', 'heap'), ('synchronous_commit', 'off'), ('statement_timeout', '0'),"
    "  ('lock_timeout', '0'), ('idle_in_transaction_session_timeout', '0'), ('idle_session_timeout', '0'),"
    "  ('transaction_timeout', '0')) AS v(name, setting)"
    " WHERE lower(v.name) IN (SELECT lower(s.name) FROM pg_settings s)";

/* ---- Errors ---- */

typedef struct {
    const char *state; /* SQLSTATE, or its first two digits for the whole class */
    HbErrorCode code;
    const char *hint; /* NULL: the server's own hint, if it gives one */
} ErrorClass;

static const ErrorClass error_classes[] = {
    {"40P01", HB_ERROR_RETRY, NULL},
    {"40001", HB_ERROR_RETRY, NULL},
    {"XX000", HB_ERROR_RETRY, NULL}, /* "tuple concurrently updated": two sessions changed one catalog row */
    {"55P03", HB_ERROR_LOCKED, "see who holds the lock, and try again when it is free"},
    {"42501", HB_ERROR_RIGHTS, "use a role that may do this, or have the right granted"},
    {"23505", HB_ERROR_DUPLICATE, NULL}, /* a step in the journal, or rows */
    {"42710", HB_ERROR_EXISTS, NULL},
    {"42P04", HB_ERROR_EXISTS, NULL},
    {"42P06", HB_ERROR_EXISTS, NULL},
    {"42P07", HB_ERROR_EXISTS, NULL},
    {"42723", HB_ERROR_EXISTS, NULL},
    {"42P01", HB_ERROR_ABSENT, NULL},
    {"3F000", HB_ERROR_ABSENT, NULL},
    {"57014", HB_ERROR_CANCELLED, NULL},
    {"57P", HB_ERROR_LOST, "see whether the server runs again"},
    {"53100", HB_ERROR_STATEMENT, "the server's disk is full: make room there"},
    {"53200", HB_ERROR_STATEMENT, NULL},
};

static const ErrorClass *classify(const char *state)
{
    for (gsize i = 0; state != NULL && i < G_N_ELEMENTS(error_classes); i++) {
        if (g_str_has_prefix(state, error_classes[i].state))
            return &error_classes[i];
    }
    return NULL;
}

gboolean hb_pg_set_error(HbSession *session, const PGresult *result, GError **error)
{
    const char *state = result != NULL ? PQresultErrorField(result, PG_DIAG_SQLSTATE) : NULL;
    const char *message = result != NULL ? PQresultErrorField(result, PG_DIAG_MESSAGE_PRIMARY) : NULL;
    const char *detail = result != NULL ? PQresultErrorField(result, PG_DIAG_MESSAGE_DETAIL) : NULL;
    const char *hint = result != NULL ? PQresultErrorField(result, PG_DIAG_MESSAGE_HINT) : NULL;
    const ErrorClass *class = classify(state);
    const char *schema = result != NULL ? PQresultErrorField(result, PG_DIAG_SCHEMA_NAME) : NULL;
    HbErrorCode code = class != NULL ? class->code : HB_ERROR_STATEMENT;

    session->found_duplicate = code == HB_ERROR_DUPLICATE;
    if (code == HB_ERROR_DUPLICATE)
        code = g_strcmp0(schema, HB_PG_JOURNAL) == 0 ? HB_ERROR_ALREADY_DONE : HB_ERROR_STATEMENT;
    if (code == HB_ERROR_CANCELLED && !g_atomic_int_get(&session->interrupted)) {
        code = HB_ERROR_STATEMENT;
        hint = HB_CANCELLED_BY_OTHERS;
    }
    /* a cancelled statement whose failure was passed over leaves a transaction in which all that follow fail */
    if (g_strcmp0(state, "25P02") == 0 && g_atomic_int_get(&session->interrupted))
        code = HB_ERROR_CANCELLED;
    if (PQstatus(session->conn) == CONNECTION_BAD) {
        code = HB_ERROR_LOST;
        hint = "see whether the server runs and can be reached";
    } else if (class != NULL && class->hint != NULL) {
        hint = class->hint;
    }
    g_autofree char *text = g_strdup(message != NULL ? message : PQerrorMessage(session->conn));
    if (*g_strchomp(text) == '\0')
        return hb_error_set(error, code, hint, "the connection to %s broke", session->address);
    if (code == HB_ERROR_LOST) /* what the library guesses of the cause stands in more lines */
        return hb_error_set(error, code, hint, "the connection to %s broke: %.*s", session->address,
                            (int)strcspn(text, "\n"), text);
    if (detail != NULL)
        return hb_error_set(error, code, hint, "%s (%s)", text, detail);
    return hb_error_set(error, code, hint, "%s", text);
}

/* ---- Queries ---- */

static HbResult *checked(HbSession *session, PGresult *result, ExecStatusType wanted, GError **error)
{
    if (PQresultStatus(result) == wanted)
        return result;
    if (PQresultStatus(result) == PGRES_TUPLES_OK || PQresultStatus(result) == PGRES_COMMAND_OK)
        return result;
    hb_pg_set_error(session, result, error);
    PQclear(result);
    return NULL;
}

HbResult *hb_pg_query(HbSession *session, const char *sql, GError **error)
{
    return checked(session, PQexec(session->conn, sql), PGRES_TUPLES_OK, error);
}

HbResult *hb_pg_query_with(HbSession *session, const char *sql, int count, const char *const *values, GError **error)
{
    PGresult *result = PQexecParams(session->conn, sql, count, NULL, values, NULL, NULL, 0);

    return checked(session, result, PGRES_TUPLES_OK, error);
}

gboolean hb_pg_is_guard_error(const PGresult *result)
{
    return g_strcmp0(PQresultErrorField(result, PG_DIAG_SQLSTATE), "22012") == 0; /* division by zero */
}

gboolean hb_pg_set_guard_error(const char *what, GError **error)
{
    return hb_error_set(error, HB_ERROR_RETRY, "begin again when nobody renames or replaces anything",
                        "%s is not what it was when the reading began: it was renamed, or something else has its name",
                        what);
}

HbResult *hb_pg_query_guarded(HbSession *session, const char *sql, const char *what, GError **error)
{
    PGresult *result = PQexec(session->conn, sql);

    if (!hb_pg_is_guard_error(result))
        return checked(session, result, PGRES_TUPLES_OK, error);
    PQclear(result);
    hb_pg_set_guard_error(what, error);
    return NULL;
}

gboolean hb_pg_execute(HbSession *session, const char *sql, GError **error)
{
    g_autoptr(HbResult) result = checked(session, PQexec(session->conn, sql), PGRES_COMMAND_OK, error);

    return result != NULL;
}

/* The extended protocol takes no second statement */
gboolean hb_pg_execute_one(HbSession *session, const char *sql, GError **error)
{
    g_autoptr(HbResult) result = hb_pg_query_with(session, sql, 0, NULL, error);

    return result != NULL;
}

char *hb_pg_quote_literal(HbSession *session, const char *text)
{
    char *quoted = PQescapeLiteral(session->conn, text, strlen(text));
    char *copy = g_strdup(quoted);

    PQfreemem(quoted);
    return copy;
}

const char *hb_pg_get(const PGresult *result, int row, const char *column)
{
    int number = PQfnumber(result, column);

    return number < 0 || PQgetisnull(result, row, number) ? NULL : PQgetvalue(result, row, number);
}

/* ---- Life ---- */

static void add_parameter(GPtrArray *keywords, GPtrArray *values, const char *keyword, const char *value)
{
    g_ptr_array_add(keywords, g_strdup(keyword));
    g_ptr_array_add(values, g_strdup(value));
}

static void add_number(GPtrArray *keywords, GPtrArray *values, const char *keyword, guint number)
{
    g_autofree char *value = g_strdup_printf("%u", number);

    add_parameter(keywords, values, keyword, value);
}

/* libpq takes the last value of a keyword that comes twice */
static PGconn *connect_to(const HbAddress *address, gboolean for_log, GError **error)
{
    g_autoptr(GPtrArray) keywords = g_ptr_array_new_with_free_func(g_free);
    g_autoptr(GPtrArray) values = g_ptr_array_new_with_free_func(g_free);
    PQconninfoOption *options = hb_pg_parse_uri(address->uri, error);

    if (options == NULL)
        return NULL;
    add_parameter(keywords, values, "connect_timeout", CONNECT_TIMEOUT_SECONDS);
    add_parameter(keywords, values, "fallback_application_name", "hornbeam");
    add_number(keywords, values, "keepalives_idle", HB_KEEPALIVE_IDLE_S);
    add_number(keywords, values, "keepalives_interval", HB_KEEPALIVE_INTERVAL_S);
    add_number(keywords, values, "keepalives_count", HB_KEEPALIVE_COUNT);
    add_number(keywords, values, "tcp_user_timeout", HB_USER_TIMEOUT_S * 1000);
    for (PQconninfoOption *option = options; option->keyword != NULL; option++) {
        if (option->val != NULL)
            add_parameter(keywords, values, option->keyword, option->val);
    }
    if (hb_pg_find_option(options, "dbname") == NULL)
        add_parameter(keywords, values, "dbname", DEFAULT_MAINTENANCE_BASE);
    if (address->database != NULL)
        add_parameter(keywords, values, "dbname", address->database);
    if (address->password != NULL)
        add_parameter(keywords, values, "password", address->password);
    add_parameter(keywords, values, "client_encoding", "UTF8");
    if (for_log)
        add_parameter(keywords, values, "replication", "database");
    g_ptr_array_add(keywords, NULL);
    g_ptr_array_add(values, NULL);
    PQconninfoFree(options);
    return PQconnectdbParams((const char *const *)keywords->pdata, (const char *const *)values->pdata, 0);
}

static const char *connect_hint(PGconn *conn, const char *complaint)
{
    if (PQconnectionNeedsPassword(conn) || strstr(complaint, "password") != NULL)
        return "give the right password in the password file (~/.pgpass), in PGPASSWORD, or at the prompt";
    if (strstr(complaint, "role \"") != NULL && strstr(complaint, "does not exist") != NULL)
        return "name a role in the URI that the server has, or have it created there";
    if (strstr(complaint, "does not exist") != NULL)
        return "list what is there with: hornbeam survey SERVER, without a database in the URI";
    if (strstr(complaint, "too many connections") != NULL || strstr(complaint, "remaining connection slots") != NULL)
        return "use fewer sessions (--jobs), wait until others have ended, or have the server's limit raised";
    return "check host, port and user in the URI, that the server runs, and that it lets this host in";
}

/* libpq's first line says what happened; the last, when several hosts were tried, says it of the last one */
static void set_connect_error(PGconn *conn, const char *address, GError **error)
{
    g_autofree char *complaint = g_strdup(PQerrorMessage(conn));

    g_strdelimit(g_strchomp(complaint), "\n\t", ' ');
    hb_error_set(error, HB_ERROR_CONNECT, connect_hint(conn, complaint), "cannot connect to %s: %s", address,
                 complaint);
}

static gboolean prepare(HbSession *session, GError **error)
{
    g_autoptr(HbResult) settings = NULL;

    settings = hb_pg_query(session, set_up, error);
    if (settings == NULL)
        return FALSE;
    /* Bytes without a declared encoding must pass unchanged */
    if (g_strcmp0(PQparameterStatus(session->conn, "server_encoding"), "SQL_ASCII") == 0)
        PQsetClientEncoding(session->conn, "SQL_ASCII");
    return TRUE;
}

static void ignore_notice(void *data, const PGresult *result)
{
    (void)data;
    (void)result;
}

static gboolean check_version(const HbSession *session, GError **error)
{
    return session->version >= HB_PG_OLDEST ||
           hb_error_set(error, HB_ERROR_CONNECT, "upgrade that server to version 13 first",
                        "%s runs PostgreSQL %d; catalogs before version %d are not known to this program",
                        session->address, session->version / 10000, HB_PG_OLDEST / 10000);
}

/* A connection that was just closed counts until the server's process has ended */
static gboolean is_too_many(const PGconn *conn)
{
    return PQstatus(conn) != CONNECTION_OK && strstr(PQerrorMessage(conn), "too many connections") != NULL;
}

static PGconn *connect_patiently(const HbAddress *address, gboolean for_log, GError **error)
{
    PGconn *conn = connect_to(address, for_log, error);

    for (int attempt = 1; conn != NULL && attempt < ATTEMPTS && is_too_many(conn); attempt++) {
        PQfinish(conn);
        g_usleep(WAIT_US);
        conn = connect_to(address, for_log, error);
    }
    return conn;
}

static HbSession *open(const HbAddress *address, gboolean for_log, GError **error)
{
    PGconn *conn = connect_patiently(address, for_log, error);
    HbSession *session;

    if (conn == NULL)
        return NULL;
    session = g_new0(HbSession, 1);
    session->conn = conn;
    session->address = hb_pg_display(address);
    session->uri = g_strdup(address->uri);
    session->database = g_strdup(address->database);
    session->password = g_strdup(address->password);
    if (PQstatus(conn) != CONNECTION_OK) {
        set_connect_error(conn, session->address, error);
        hb_pg_close(session);
        return NULL;
    }
    session->version = PQserverVersion(conn);
    session->cancel = PQgetCancel(conn);
    session->watch = address->watch;
    hb_engine_notify_opened(address, &hb_postgres_engine, session);
    PQsetNoticeReceiver(conn, ignore_notice, NULL);
    if (!check_version(session, error) || !prepare(session, error)) {
        hb_pg_close(session);
        return NULL;
    }
    return session;
}

HbSession *hb_pg_open(const HbAddress *address, GError **error)
{
    return open(address, FALSE, error);
}

HbSession *hb_pg_open_for_log(const HbAddress *address, GError **error)
{
    return open(address, TRUE, error);
}

HbSession *hb_pg_open_again(const HbSession *session, gboolean for_log, GError **error)
{
    const HbAddress address = {
        .uri = session->uri, .database = session->database, .password = session->password, .watch = session->watch};

    return open(&address, for_log, error);
}

void hb_pg_close(HbSession *session)
{
    if (session == NULL)
        return;
    hb_pg_close(session->holder);
    hb_engine_notify_closed(&(HbAddress){.watch = session->watch}, session);
    PQfreeCancel(session->cancel);
    PQfinish(session->conn);
    g_free(session->address);
    g_free(session->uri);
    g_free(session->kept_token);
    g_free(session->database);
    g_free(session->password);
    g_free(session->fingerprint);
    g_clear_pointer(&session->schemas, g_hash_table_unref);
    g_free(session);
}

/* If the request does not get through, the statement ends by itself, or the connection is cut */
static gpointer run_cancel(gpointer data)
{
    char complaint[256];

    PQcancel(data, complaint, (int)sizeof complaint);
    PQfreeCancel(data);
    return NULL;
}

static PGcancel *take_cancel(HbSession *session)
{
    PGcancel *cancel = g_atomic_pointer_get(&session->cancel);

    g_atomic_int_set(&session->interrupted, TRUE);
    return cancel != NULL && g_atomic_pointer_compare_and_exchange(&session->cancel, cancel, NULL) ? cancel : NULL;
}

/* In a thread that is never joined: libpq waits for the server's answer, which may never come */
void hb_pg_interrupt(HbSession *session)
{
    PGcancel *cancel = take_cancel(session);

    if (cancel != NULL)
        g_thread_unref(g_thread_new("cancel", run_cancel, cancel));
}

void hb_pg_cancel_now(HbSession *session)
{
    PGcancel *cancel = take_cancel(session);

    if (cancel != NULL)
        run_cancel(cancel);
    session->cancel = PQgetCancel(session->conn);
}

void hb_pg_cut(HbSession *session)
{
    shutdown(PQsocket(session->conn), SHUT_RDWR);
}

gboolean hb_pg_needs_password(const HbAddress *address)
{
    PGconn *conn = connect_to(address, FALSE, NULL);
    gboolean needed = conn != NULL && PQstatus(conn) != CONNECTION_OK && PQconnectionNeedsPassword(conn);

    PQfinish(conn);
    return needed;
}

/* What the server's files were made with; some providers keep it from their customers */
static char *read_lasting(HbSession *session, const char *database_oid)
{
    g_autoptr(HbResult) result = hb_pg_query(session, "SELECT system_identifier FROM pg_control_system()", NULL);

    return result != NULL ? g_strdup_printf("%s/%s", PQgetvalue(result, 0, 0), database_oid) : NULL;
}

gboolean hb_pg_describe(HbSession *session, HbServerInfo *info, GError **error)
{
    static const char sql[] = "SELECT current_setting('server_version') AS version, current_database() AS database,"
                              " quote_ident(current_database()) AS quoted, current_user AS username,"
                              " (SELECT rolsuper FROM pg_roles WHERE rolname = current_user) AS is_superuser,"
                              " (SELECT oid FROM pg_database WHERE datname = current_database()) AS database_oid,"
                              " pg_postmaster_start_time() AS started";
    g_autoptr(HbResult) result = hb_pg_query(session, sql, error);
    const char *host;

    if (result == NULL)
        return FALSE;
    host = PQhost(session->conn);
    info->product = g_strdup("PostgreSQL");
    info->version = g_strndup(hb_pg_get(result, 0, "version"), strcspn(hb_pg_get(result, 0, "version"), " "));
    info->version_number = (guint)session->version;
    info->database = g_strdup(hb_pg_get(result, 0, "database"));
    info->database_quoted = g_strdup(hb_pg_get(result, 0, "quoted"));
    info->user = g_strdup(hb_pg_get(result, 0, "username"));
    info->is_superuser = g_strcmp0(hb_pg_get(result, 0, "is_superuser"), "t") == 0;
    info->address = hb_pg_join_address(PQuser(session->conn), host, PQport(session->conn), NULL);
    info->identity = g_strdup_printf("%s/%s", hb_pg_get(result, 0, "started"), hb_pg_get(result, 0, "database_oid"));
    info->lasting = read_lasting(session, hb_pg_get(result, 0, "database_oid"));
    return TRUE;
}

GHashTable *hb_pg_read_names(HbSession *session, const char *sql, GError **error)
{
    g_autoptr(HbResult) result = hb_pg_query(session, sql, error);
    GHashTable *names;

    if (result == NULL)
        return NULL;
    names = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    for (int row = 0; row < PQntuples(result); row++)
        g_hash_table_add(names, g_strdup(PQgetvalue(result, row, 0)));
    return names;
}
