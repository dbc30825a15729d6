/* SPDX-License-Identifier: Apache-2.0 */
/*
 * The connection strings of a PostgreSQL database. What the address says of TLS goes along in each form that has a word
 * for it. Sources: libpq's manual, "Connection Strings" and "Environment Variables"; the manuals of the drivers.
 */
#include "engine/common/connection_text.h"
#include "engine/postgres/gate/gate.h"
#include "engine/postgres/session/address.h"
#include "engine/postgres/session/session.h"

#include <string.h>

typedef struct {
    HbConnectionPlace place;
    const char *sslmode, *sslrootcert;
    const PQconninfoOption *options;
} Place;

static const char *find_option(const PQconninfoOption *options, const char *keyword)
{
    for (; options->keyword != NULL; options++) {
        if (strcmp(options->keyword, keyword) == 0 && options->val != NULL && *options->val != '\0')
            return options->val;
    }
    return NULL;
}

static gboolean is_socket(const Place *place)
{
    return place->place.socket != NULL;
}

/* "one:5432,two:5433": each host with its port, or the one port that all have */
static void append_hosts(GString *text, const HbConnectionPlace *place)
{
    g_auto(GStrv) hosts = g_strsplit(place->host != NULL ? place->host : "localhost", ",", -1);
    g_auto(GStrv) ports = g_strsplit(place->port != NULL ? place->port : "", ",", -1);
    const guint known = g_strv_length(ports);

    for (guint i = 0; hosts[i] != NULL; i++) {
        const char *port = known == 0 ? "" : ports[MIN(i, known - 1)];
        g_string_append(text, i > 0 ? "," : "");
        hb_connection_append_host(text, hosts[i]);
        if (*port != '\0')
            g_string_append_printf(text, ":%s", port);
    }
}

static gboolean has_several_hosts(const Place *place)
{
    return place->place.host != NULL && strchr(place->place.host, ',') != NULL;
}

static void append_socket(GString *text, const Place *place)
{
    if (!is_socket(place))
        return;
    hb_connection_append_parameter(text, "host", place->place.socket);
    hb_connection_append_parameter(text, "port", place->place.port);
}

static void append_tls(GString *text, const Place *place)
{
    hb_connection_append_parameter(text, "sslmode", place->sslmode);
    hb_connection_append_parameter(text, "sslrootcert", place->sslrootcert);
}

static char *write_uri(const Place *place)
{
    GString *text = g_string_new("postgresql://");

    hb_connection_append_login(text, &place->place);
    if (!is_socket(place))
        append_hosts(text, &place->place);
    g_string_append_c(text, '/');
    hb_connection_append_percent(text, place->place.database);
    append_socket(text, place);
    append_tls(text, place);
    return g_string_free(text, FALSE);
}

/* Its path is taken as it stands, its parameters are decoded; several hosts are a parameter each */
static char *write_sqlalchemy(const Place *place)
{
    GString *text = g_string_new("postgresql+psycopg://");
    const gboolean is_plain = hb_connection_is_plain(place->place.database);
    g_autoptr(GString) hosts = g_string_new(NULL);
    g_auto(GStrv) each = NULL;

    append_hosts(hosts, &place->place);
    each = g_strsplit(hosts->str, ",", -1);
    hb_connection_append_login(text, &place->place);
    if (!is_socket(place) && !has_several_hosts(place))
        g_string_append(text, hosts->str);
    g_string_append_c(text, '/');
    g_string_append(text, is_plain ? place->place.database : "");
    append_socket(text, place);
    for (char **host = each; has_several_hosts(place) && *host != NULL; host++)
        hb_connection_append_parameter(text, "host", *host);
    hb_connection_append_parameter(text, "dbname", is_plain ? NULL : place->place.database);
    append_tls(text, place);
    return g_string_free(text, FALSE);
}

static void append_pair(GString *text, const char *name, const char *value)
{
    if (value == NULL)
        return;
    g_string_append_printf(text, "%s%s=", text->len > 0 ? " " : "", name);
    hb_pg_append_conninfo_value(text, value);
}

static char *write_pairs(const Place *place)
{
    GString *text = g_string_new(NULL);

    append_pair(text, "host", is_socket(place) ? place->place.socket : place->place.host);
    append_pair(text, "port", place->place.port);
    append_pair(text, "dbname", place->place.database);
    append_pair(text, "user", place->place.user);
    append_pair(text, "password", place->place.password);
    append_pair(text, "sslmode", place->sslmode);
    append_pair(text, "sslrootcert", place->sslrootcert);
    return g_string_free(text, FALSE);
}

static void append_variable(GString *text, const char *name, const char *value)
{
    g_autofree char *quoted = value != NULL ? g_shell_quote(value) : NULL;

    if (quoted != NULL)
        g_string_append_printf(text, "%s%s=%s", text->len > 0 ? " " : "", name, quoted);
}

static char *write_variables(const Place *place)
{
    GString *text = g_string_new(NULL);

    append_variable(text, "PGHOST", is_socket(place) ? place->place.socket : place->place.host);
    append_variable(text, "PGPORT", place->place.port);
    append_variable(text, "PGDATABASE", place->place.database);
    append_variable(text, "PGUSER", place->place.user);
    append_variable(text, "PGPASSWORD", place->place.password);
    append_variable(text, "PGSSLMODE", place->sslmode);
    append_variable(text, "PGSSLROOTCERT", place->sslrootcert);
    return g_string_free(text, FALSE);
}

static char *write_jdbc(const Place *place)
{
    GString *text = g_string_new("jdbc:postgresql://");

    append_hosts(text, &place->place);
    g_string_append_c(text, '/');
    hb_connection_append_percent(text, place->place.database);
    hb_connection_append_parameter(text, "user", place->place.user);
    hb_connection_append_parameter(text, "password", place->place.password);
    append_tls(text, place);
    return g_string_free(text, FALSE);
}

static char *write_odbc(const Place *place)
{
    GString *text = g_string_new("Driver={PostgreSQL Unicode};");

    hb_connection_append_odbc(text, "Server", is_socket(place) ? place->place.socket : place->place.host);
    hb_connection_append_odbc(text, "Port", place->place.port);
    hb_connection_append_odbc(text, "Database", place->place.database);
    hb_connection_append_odbc(text, "Uid", place->place.user);
    hb_connection_append_odbc(text, "Pwd", place->place.password);
    hb_connection_append_odbc(text, "SSLmode", place->sslmode);
    return g_string_free(text, FALSE);
}

/* "verify-full" is "VerifyFull" there. Borrowed */
static const char *name_net_mode(const char *sslmode)
{
    static const struct {
        const char *ours, *theirs;
    } modes[] = {{"disable", "Disable"}, {"allow", "Allow"},        {"prefer", "Prefer"},
                 {"require", "Require"}, {"verify-ca", "VerifyCA"}, {"verify-full", "VerifyFull"}};

    for (gsize i = 0; i < G_N_ELEMENTS(modes); i++) {
        if (g_strcmp0(sslmode, modes[i].ours) == 0)
            return modes[i].theirs;
    }
    return NULL;
}

static char *write_net(const Place *place)
{
    GString *text = g_string_new(NULL);
    g_autoptr(GString) hosts = g_string_new(NULL);

    append_hosts(hosts, &place->place);
    if (has_several_hosts(place)) {
        hb_connection_append_net(text, "Host", hosts->str);
    } else {
        hb_connection_append_net(text, "Host", is_socket(place) ? place->place.socket : place->place.host);
        hb_connection_append_net(text, "Port", place->place.port);
    }
    hb_connection_append_net(text, "Database", place->place.database);
    hb_connection_append_net(text, "Username", place->place.user);
    hb_connection_append_net(text, "Password", place->place.password);
    hb_connection_append_net(text, "SSL Mode", name_net_mode(place->sslmode));
    hb_connection_append_net(text, "Root Certificate", place->sslrootcert);
    return g_string_free(text, FALSE);
}

/* The driver turns each ; of its text into a blank, and gives it to libpq: within a value there is no way to say one */
static char *write_pdo(const Place *place)
{
    const char *host = is_socket(place) ? place->place.socket : place->place.host;
    g_autoptr(GString) source = g_string_new("pgsql:");
    GString *text;

    if (strchr(place->place.database, ';') != NULL || (host != NULL && strchr(host, ';') != NULL))
        return NULL;
    append_pair(source, "host", host);
    append_pair(source, "port", place->place.port);
    append_pair(source, "dbname", place->place.database);
    append_pair(source, "sslmode", place->sslmode);
    g_string_replace(source, "pgsql: ", "pgsql:", 1);
    text = g_string_new("new PDO(");
    hb_connection_append_php(text, source->str);
    g_string_append(text, ", ");
    hb_connection_append_php(text, place->place.user != NULL ? place->place.user : "");
    g_string_append(text, ", ");
    hb_connection_append_php(text, place->place.password != NULL ? place->place.password : "");
    g_string_append_c(text, ')');
    return g_string_free(text, FALSE);
}

static void add_all(GPtrArray *forms, const Place *place)
{
    char *pdo = write_pdo(place);

    hb_connection_forms_add(forms, "URI", write_uri(place), TRUE);
    hb_connection_forms_add(forms, "key and value", write_pairs(place), TRUE);
    hb_connection_forms_add(forms, "environment", write_variables(place), TRUE);
    if (is_socket(place))
        hb_connection_forms_refuse(forms, "JDBC", "it has no words for a local socket: name a host in TO");
    else
        hb_connection_forms_add(forms, "JDBC", write_jdbc(place), FALSE);
    if (has_several_hosts(place))
        hb_connection_forms_refuse(forms, "ODBC", "it takes one host");
    else
        hb_connection_forms_add(forms, "ODBC", write_odbc(place), FALSE);
    hb_connection_forms_add(forms, ".NET", write_net(place), FALSE);
    if (pdo == NULL)
        hb_connection_forms_refuse(forms, "PHP PDO", "it has no words for a name with a semicolon");
    else
        hb_connection_forms_add(forms, "PHP PDO", pdo, FALSE);
    hb_connection_forms_add(forms, "SQLAlchemy", write_sqlalchemy(place), FALSE);
}

GPtrArray *hb_pg_list_forms(const HbAddress *address, const HbServerInfo *server, const char *user,
                            const char *password)
{
    GPtrArray *forms = hb_connection_forms_new();
    PQconninfoOption *options = PQconninfoParse(address->uri, NULL);
    const char *host;
    Place place = {.place = {.user = user, .password = password}};

    (void)server;
    if (options == NULL)
        return forms;
    host = find_option(options, "host");
    place.place.host = host != NULL && *host != '/' ? host : NULL;
    place.place.socket = host != NULL && *host == '/' ? host : NULL;
    if (host == NULL)
        place.place.host = find_option(options, "hostaddr");
    place.place.port = find_option(options, "port");
    place.place.user = user != NULL ? user : find_option(options, "user");
    place.place.database = address->database != NULL ? address->database : find_option(options, "dbname");
    place.sslmode = find_option(options, "sslmode");
    place.sslrootcert = find_option(options, "sslrootcert");
    if (place.place.database != NULL)
        add_all(forms, &place);
    PQconninfoFree(options);
    return forms;
}

/* ---- Trying them ---- */

#define TRIAL_SECONDS "10"

static const char *find_keyword(const PQconninfoOption *defaults, const char *variable)
{
    for (; defaults->keyword != NULL; defaults++) {
        if (g_strcmp0(defaults->envvar, variable) == 0)
            return defaults->keyword;
    }
    return NULL;
}

static PGconn *connect_with(GPtrArray *keywords, GPtrArray *values, gboolean has_text)
{
    g_ptr_array_add(keywords, (gpointer) "connect_timeout");
    g_ptr_array_add(values, (gpointer)TRIAL_SECONDS);
    g_ptr_array_add(keywords, NULL);
    g_ptr_array_add(values, NULL);
    return PQconnectdbParams((const char *const *)keywords->pdata, (const char *const *)values->pdata, has_text);
}

/* A URI or pairs, as libpq reads them */
static PGconn *connect_with_text(const char *text)
{
    g_autoptr(GPtrArray) keywords = g_ptr_array_new(), values = g_ptr_array_new();

    g_ptr_array_add(keywords, (gpointer) "dbname");
    g_ptr_array_add(values, (gpointer)text);
    return connect_with(keywords, values, TRUE);
}

/* The variables as a shell would read them, and as libpq calls them: ours are not changed for it */
static PGconn *connect_with_variables(const char *text)
{
    g_auto(GStrv) words = NULL;
    PQconninfoOption *defaults = PQconndefaults();
    g_autoptr(GPtrArray) keywords = g_ptr_array_new(), values = g_ptr_array_new();
    PGconn *conn = NULL;

    if (g_shell_parse_argv(text, NULL, &words, NULL) && defaults != NULL) {
        for (char **word = words; *word != NULL; word++) {
            char *value = strchr(*word, '=');
            *value = '\0';
            g_ptr_array_add(keywords, (gpointer)find_keyword(defaults, *word));
            g_ptr_array_add(values, value + 1);
        }
        conn = connect_with(keywords, values, FALSE);
    }
    PQconninfoFree(defaults);
    return conn;
}

static gboolean is_there(PGconn *conn, const HbAddress *address, GError **error)
{
    g_autofree char *want = hb_pg_name_database(address);
    PGresult *result = PQexec(conn, "SELECT current_database()");
    const gboolean answered = PQresultStatus(result) == PGRES_TUPLES_OK && PQntuples(result) == 1,
                   is_right = answered && g_strcmp0(PQgetvalue(result, 0, 0), want) == 0;

    PQclear(result);
    if (!answered)
        return hb_error_set(error, HB_ERROR_CONNECT, NULL, "the server does not answer there: %s",
                            g_strchomp(PQerrorMessage(conn)));
    return is_right || hb_error_set(error, HB_ERROR_CONNECT, NULL, "it leads to another database");
}

gboolean hb_pg_try_form(const HbConnectionForm *form, const HbAddress *address, gboolean *unknown, GError **error)
{
    PGconn *conn =
        strcmp(form->form, "environment") == 0 ? connect_with_variables(form->text) : connect_with_text(form->text);
    g_autofree char *complaint = g_strdup(PQerrorMessage(conn));
    gboolean ok = PQstatus(conn) == CONNECTION_OK;

    g_strdelimit(g_strchomp(complaint), "\n\t", ' ');
    *unknown = !ok && PQconnectionNeedsPassword(conn);
    ok = ok ? is_there(conn, address, error)
            : hb_error_set(
                  error, HB_ERROR_CONNECT,
                  "see that the user exists in TO, may connect to the database, and that pg_hba.conf lets it in", "%s",
                  complaint);
    PQfinish(conn);
    return ok;
}

/* libpq finds it by itself, in the password file */
char *hb_pg_find_password(const HbAddress *address, const char *user)
{
    (void)address;
    (void)user;
    return NULL;
}
