/* SPDX-License-Identifier: Apache-2.0 */
/*
 * The connection strings of a MariaDB or MySQL database. Sources: the manuals of the client library (option files) and
 * of the drivers.
 */
#include "engine/common/connection_text.h"
#include "engine/mariadb/gate/gate.h"
#include "engine/mariadb/session/address.h"
#include "engine/mariadb/session/connection.h"
#include "engine/mariadb/session/session.h"

#include <errmsg.h>
#include <glib/gstdio.h>
#include <mysqld_error.h>
#include <string.h>
#include <unistd.h>

typedef struct {
    HbConnectionPlace place;
    const HbMyAddress *parts;
    gboolean is_maria; /* rather than MySQL */
} Place;

static const char *get_scheme(const Place *place)
{
    return place->is_maria ? "mariadb" : "mysql";
}

static void append_place(GString *text, const Place *place)
{
    hb_connection_append_host(text, place->place.host != NULL ? place->place.host : "localhost");
    if (place->place.port != NULL)
        g_string_append_printf(text, ":%s", place->place.port);
}

static char *write_uri(const Place *place)
{
    static const char *const modes[] = {NULL, "off", "on", "verify"};
    GString *text = g_string_new(NULL);

    g_string_append_printf(text, "%s://", get_scheme(place));
    hb_connection_append_login(text, &place->place);
    append_place(text, place);
    g_string_append_c(text, '/');
    hb_connection_append_percent(text, place->place.database);
    hb_connection_append_parameter(text, "socket", place->place.socket);
    hb_connection_append_parameter(text, "tls", modes[place->parts->tls]);
    hb_connection_append_parameter(text, "tls-ca", place->parts->tls_ca);
    return g_string_free(text, FALSE);
}

static char *write_variable(const Place *place)
{
    g_autofree char *uri = write_uri(place), *quoted = g_shell_quote(uri);

    return g_strconcat("DATABASE_URL=", quoted, NULL);
}

/* In quotes, with the escapes that option files know */
static void append_line(GString *text, const char *name, const char *value)
{
    if (value == NULL)
        return;
    g_string_append_printf(text, "\n%s=\"", name);
    for (; *value != '\0'; value++) {
        if (*value == '\\' || *value == '"')
            g_string_append_c(text, '\\');
        g_string_append_c(text, *value);
    }
    g_string_append_c(text, '"');
}

static char *write_option_file(const Place *place)
{
    GString *text = g_string_new("[client]");

    append_line(text, "host", place->place.socket == NULL ? place->place.host : NULL);
    append_line(text, "port", place->place.port);
    append_line(text, "socket", place->place.socket);
    append_line(text, "database", place->place.database);
    append_line(text, "user", place->place.user);
    append_line(text, "password", place->place.password);
    append_line(text, "ssl-ca", place->parts->tls_ca);
    return g_string_free(text, FALSE);
}

static const char *name_tls(const Place *place, const char *verified, const char *off)
{
    return place->parts->tls == HB_TLS_DEFAULT ? NULL : place->parts->tls == HB_TLS_OFF ? off : verified;
}

static char *write_jdbc(const Place *place)
{
    GString *text = g_string_new("jdbc:");

    g_string_append_printf(text, "%s://", get_scheme(place));
    append_place(text, place);
    g_string_append_c(text, '/');
    hb_connection_append_percent(text, place->place.database);
    hb_connection_append_parameter(text, "localSocket", place->place.socket);
    hb_connection_append_parameter(text, "user", place->place.user);
    hb_connection_append_parameter(text, "password", place->place.password);
    hb_connection_append_parameter(text, "sslMode",
                                   place->is_maria ? name_tls(place, "verify-full", "disable")
                                                   : name_tls(place, "VERIFY_IDENTITY", "DISABLED"));
    hb_connection_append_parameter(text, "serverSslCert", place->is_maria ? place->parts->tls_ca : NULL);
    return g_string_free(text, FALSE);
}

static char *write_odbc(const Place *place)
{
    GString *text =
        g_string_new(place->is_maria ? "Driver={MariaDB ODBC 3.1 Driver};" : "Driver={MySQL ODBC 9.0 Unicode Driver};");

    hb_connection_append_odbc(text, "Server", place->place.host != NULL ? place->place.host : "localhost");
    hb_connection_append_odbc(text, "Port", place->place.port);
    hb_connection_append_odbc(text, "Socket", place->place.socket);
    hb_connection_append_odbc(text, "Database", place->place.database);
    hb_connection_append_odbc(text, "Uid", place->place.user);
    hb_connection_append_odbc(text, "Pwd", place->place.password);
    hb_connection_append_odbc(text, "SSLCA", place->parts->tls_ca);
    return g_string_free(text, FALSE);
}

static char *write_net(const Place *place)
{
    GString *text = g_string_new(NULL);
    const char *host = place->place.host != NULL ? place->place.host : "localhost";

    hb_connection_append_net(text, "Server", place->place.socket != NULL ? place->place.socket : host);
    hb_connection_append_net(text, "Protocol", place->place.socket != NULL ? "Unix" : NULL);
    hb_connection_append_net(text, "Port", place->place.port);
    hb_connection_append_net(text, "Database", place->place.database);
    hb_connection_append_net(text, "User ID", place->place.user);
    hb_connection_append_net(text, "Password", place->place.password);
    hb_connection_append_net(text, "SSL Mode", name_tls(place, "VerifyFull", "None"));
    hb_connection_append_net(text, "SSL CA", place->parts->tls_ca);
    return g_string_free(text, FALSE);
}

/* A semicolon within a value is doubled: php_pdo_parse_data_source() */
static void append_source(GString *text, const char *name, const char *value)
{
    g_autoptr(GString) doubled = g_string_new(value);

    if (value == NULL)
        return;
    g_string_replace(doubled, ";", ";;", 0);
    g_string_append_printf(text, "%s=%s;", name, doubled->str);
}

static char *write_pdo(const Place *place)
{
    g_autoptr(GString) source = g_string_new("mysql:");
    GString *text = g_string_new("new PDO(");
    const char *host = place->place.host != NULL ? place->place.host : "localhost";

    append_source(source, "unix_socket", place->place.socket);
    append_source(source, "host", place->place.socket == NULL ? host : NULL);
    append_source(source, "port", place->place.socket == NULL ? place->place.port : NULL);
    append_source(source, "dbname", place->place.database);
    append_source(source, "charset", "utf8mb4");
    hb_connection_append_php(text, source->str);
    g_string_append(text, ", ");
    hb_connection_append_php(text, place->place.user != NULL ? place->place.user : "");
    g_string_append(text, ", ");
    hb_connection_append_php(text, place->place.password != NULL ? place->place.password : "");
    if (place->parts->tls_ca != NULL) {
        g_string_append(text, ", [PDO::MYSQL_ATTR_SSL_CA => ");
        hb_connection_append_php(text, place->parts->tls_ca);
        g_string_append_c(text, ']');
    }
    g_string_append_c(text, ')');
    return g_string_free(text, FALSE);
}

static char *write_sqlalchemy(const Place *place)
{
    GString *text = g_string_new(NULL);

    g_string_append_printf(text, "%s+pymysql://", get_scheme(place));
    hb_connection_append_login(text, &place->place);
    append_place(text, place);
    g_string_append_c(text, '/');
    if (hb_connection_is_plain(place->place.database))
        g_string_append(text, place->place.database);
    else
        hb_connection_append_parameter(text, "database", place->place.database);
    hb_connection_append_parameter(text, "unix_socket", place->place.socket);
    hb_connection_append_parameter(text, "charset", "utf8mb4");
    hb_connection_append_parameter(text, "ssl_ca", place->parts->tls_ca);
    return g_string_free(text, FALSE);
}

static void add_all(GPtrArray *forms, const Place *place)
{
    hb_connection_forms_add(forms, "URI", write_uri(place), TRUE);
    hb_connection_forms_add(forms, "option file", write_option_file(place), TRUE);
    hb_connection_forms_add(forms, "environment", write_variable(place), TRUE);
    if (place->place.socket != NULL && !place->is_maria)
        hb_connection_forms_refuse(forms, "JDBC", "it has no words for a local socket: name a host in TO");
    else
        hb_connection_forms_add(forms, "JDBC", write_jdbc(place), FALSE);
    hb_connection_forms_add(forms, "ODBC", write_odbc(place), FALSE);
    hb_connection_forms_add(forms, ".NET", write_net(place), FALSE);
    hb_connection_forms_add(forms, "PHP PDO", write_pdo(place), FALSE);
    hb_connection_forms_add(forms, "SQLAlchemy", write_sqlalchemy(place), FALSE);
}

GPtrArray *hb_my_list_forms(const HbAddress *address, const HbServerInfo *server, const char *user,
                            const char *password)
{
    GPtrArray *forms = hb_connection_forms_new();
    g_autoptr(HbMyAddress) parts = hb_my_address_read(address->uri, NULL);
    g_autofree char *database = hb_my_get_database_of(address), *port = NULL;
    Place place = {.parts = parts, .is_maria = strcmp(server->product, "MySQL") != 0};

    if (parts == NULL || database == NULL)
        return forms;
    port = parts->port != 0 ? g_strdup_printf("%u", parts->port) : NULL;
    place.place = (HbConnectionPlace){.host = parts->host,
                                      .port = port,
                                      .socket = parts->socket,
                                      .database = database,
                                      .user = user != NULL ? user : parts->user,
                                      .password = password};
    add_all(forms, &place);
    return forms;
}

/* ---- Trying them ---- */

#define TRIAL_SECONDS 10

/* The library reads option files only: ours is there for a moment, for nobody else to read */
static MYSQL *connect_with_file(const char *text, GError **error)
{
    const unsigned int timeout = TRIAL_SECONDS;
    g_autofree char *path = NULL;
    g_autoptr(GError) cause = NULL;
    const int file = g_file_open_tmp("hornbeam-XXXXXX", &path, &cause);
    MYSQL *mysql;

    if (file < 0) {
        hb_error_set(error, HB_ERROR_FILE, NULL, "%s", cause->message);
        return NULL;
    }
    mysql = mysql_init(NULL);
    if (write(file, text, strlen(text)) == (gssize)strlen(text)) {
        mysql_optionsv(mysql, MYSQL_READ_DEFAULT_FILE, path);
        mysql_optionsv(mysql, MYSQL_READ_DEFAULT_GROUP, "client");
        mysql_optionsv(mysql, MYSQL_OPT_CONNECT_TIMEOUT, &timeout);
        mysql_optionsv(mysql, MYSQL_SET_CHARSET_NAME, "utf8mb4");
        mysql_real_connect(mysql, NULL, NULL, NULL, NULL, 0, NULL, 0);
    }
    close(file);
    g_unlink(path);
    return mysql;
}

static MYSQL *connect_with_variable(const char *text, GError **error)
{
    g_auto(GStrv) words = NULL;
    HbAddress there = {0};

    if (!g_shell_parse_argv(text, NULL, &words, NULL)) {
        hb_error_set(error, HB_ERROR_CONNECT, NULL, "a shell does not read it");
        return NULL;
    }
    there.uri = strchr(words[0], '=') + 1;
    return hb_my_connect(&there, error);
}

static MYSQL *connect_with(const HbConnectionForm *form, GError **error)
{
    const HbAddress there = {.uri = form->text};

    if (strcmp(form->form, "option file") == 0)
        return connect_with_file(form->text, error);
    return strcmp(form->form, "environment") == 0 ? connect_with_variable(form->text, error)
                                                  : hb_my_connect(&there, error);
}

static gboolean is_there(MYSQL *mysql, const HbAddress *address, GError **error)
{
    g_autofree char *want = hb_my_get_database_of(address);
    g_autoptr(HbMyResult) result = mysql_query(mysql, "SELECT DATABASE()") == 0 ? mysql_store_result(mysql) : NULL;
    MYSQL_ROW row = result != NULL ? mysql_fetch_row(result) : NULL;

    if (row == NULL)
        return hb_error_set(error, HB_ERROR_CONNECT, NULL, "the server does not answer there: %s", mysql_error(mysql));
    return g_strcmp0(row[0], want) == 0 ||
           hb_error_set(error, HB_ERROR_CONNECT, NULL, "it leads to another database, %s",
                        row[0] != NULL ? row[0] : "or to none");
}

/* A refusal of who gives no password may only mean that */
gboolean hb_my_try_form(const HbConnectionForm *form, const HbAddress *address, gboolean *unknown, GError **error)
{
    MYSQL *mysql = connect_with(form, error);
    const guint number = mysql != NULL ? mysql_errno(mysql) : 0;
    gboolean ok;

    if (mysql == NULL)
        return FALSE;
    *unknown = number == ER_ACCESS_DENIED_ERROR || number == ER_ACCESS_DENIED_NO_PASSWORD_ERROR;
    ok = number == 0 ? is_there(mysql, address, error)
                     : hb_error_set(error, HB_ERROR_CONNECT,
                                    "see that the account exists in TO, for this host, and may use the database", "%s",
                                    mysql_error(mysql));
    mysql_close(mysql);
    return ok;
}

/*
 * In the option files, a group of its own for each user. The library reads them when it connects: to a socket that is
 * nowhere, here
 */
char *hb_my_find_password(const HbAddress *address, const char *user)
{
    g_autoptr(HbMyAddress) parts = hb_my_address_read(address->uri, NULL);
    g_autofree char *group = g_strconcat("hornbeam-for-", user, NULL);
    MYSQL *mysql = mysql_init(NULL);
    char *password;

    if (parts != NULL && parts->option_file != NULL)
        mysql_optionsv(mysql, MYSQL_READ_DEFAULT_FILE, parts->option_file);
    mysql_optionsv(mysql, MYSQL_READ_DEFAULT_GROUP, group);
    mysql_real_connect(mysql, "localhost", NULL, NULL, NULL, 0, "/nowhere/to/connect", CLIENT_REMEMBER_OPTIONS);
    password = g_strdup(mysql->options.password); /* which no function of the library gives */
    mysql_close(mysql);
    return password;
}
