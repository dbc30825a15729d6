/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/session/connection.h"

#include "engine/mariadb/session/address.h"

#include <errmsg.h>
#include <mysqld_error.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <string.h>
#include <sys/socket.h>

#define CONNECT_TIMEOUT_SECONDS 15
#define OPTION_GROUP            "hornbeam"
#define LARGEST_PACKET          (1024ul * 1024 * 1024)

static void set_option_files(MYSQL *mysql, const HbMyAddress *address)
{
    if (address->option_file != NULL)
        mysql_optionsv(mysql, MYSQL_READ_DEFAULT_FILE, address->option_file);
    mysql_optionsv(mysql, MYSQL_READ_DEFAULT_GROUP, OPTION_GROUP);
}

/*
 * Do the option files name a CA, or a certificate of ours? Only the library knows where they are and what is in them,
 * and it reads them when it connects: to a socket that is nowhere, here
 */
static gboolean do_files_ask_for_tls(const HbMyAddress *address)
{
    static const enum mysql_option asked[] = {MYSQL_OPT_SSL_CA, MYSQL_OPT_SSL_CAPATH, MYSQL_OPT_SSL_CERT,
                                              MYSQL_OPT_SSL_KEY};
    MYSQL *mysql = mysql_init(NULL);
    my_bool enforced = 0;
    gboolean found = FALSE;

    set_option_files(mysql, address);
    mysql_real_connect(mysql, "localhost", NULL, NULL, NULL, 0, "/nowhere/to/connect", CLIENT_REMEMBER_OPTIONS);
    for (gsize i = 0; i < G_N_ELEMENTS(asked) && !found; i++) {
        const char *value = NULL;
        found = mysql_get_optionv(mysql, asked[i], &value) == 0 && value != NULL && *value != '\0';
    }
    mysql_get_optionv(mysql, MYSQL_OPT_SSL_ENFORCE, &enforced);
    mysql_close(mysql);
    return found || enforced;
}

/*
 * Asking for TLS, or naming a CA, means encryption and verification: otherwise the library goes on in clear where the
 * server, or whoever stands between, offers none, and sends it the password. With verification it ends before that
 */
static gboolean is_tls_wanted(const HbMyAddress *address)
{
    if (address->tls != HB_TLS_DEFAULT)
        return address->tls != HB_TLS_OFF;
    return address->tls_ca != NULL || address->tls_cert != NULL || address->tls_key != NULL ||
           do_files_ask_for_tls(address);
}

/* Ways to log in that do not send the password itself */
#define SAFE_WAYS "mysql_native_password,client_ed25519,caching_sha2_password,sha256_password,auth_gssapi_client,parsec"

static void set_tls(MYSQL *mysql, const HbMyAddress *address)
{
    my_bool wanted = (my_bool)is_tls_wanted(address);

    if (wanted && (address->tls_ca != NULL || address->tls_cert != NULL || address->tls_key != NULL))
        mysql_ssl_set(mysql, address->tls_key, address->tls_cert, address->tls_ca, NULL, NULL);
    if (wanted || address->tls == HB_TLS_OFF)
        mysql_optionsv(mysql, MYSQL_OPT_SSL_ENFORCE, &wanted);
    mysql_optionsv(mysql, MYSQL_OPT_SSL_VERIFY_SERVER_CERT, &wanted);
    if (!wanted && address->socket == NULL && address->host != NULL && strcmp(address->host, "localhost") != 0)
        mysql_optionsv(mysql, MARIADB_OPT_RESTRICTED_AUTH, SAFE_WAYS);
}

static void set_options(MYSQL *mysql, const HbMyAddress *address)
{
    unsigned int connect_timeout = CONNECT_TIMEOUT_SECONDS;
    unsigned long packet = LARGEST_PACKET;
    unsigned int no_local_files = 0;

    set_option_files(mysql, address);
    mysql_optionsv(mysql, MYSQL_OPT_CONNECT_TIMEOUT, &connect_timeout);
    mysql_optionsv(mysql, MYSQL_OPT_MAX_ALLOWED_PACKET, &packet);
    mysql_optionsv(mysql, MYSQL_OPT_LOCAL_INFILE, &no_local_files);
    mysql_optionsv(mysql, MYSQL_SET_CHARSET_NAME, "utf8mb4");
    mysql_optionsv(mysql, MYSQL_OPT_CONNECT_ATTR_ADD, "program_name", "hornbeam");
    set_tls(mysql, address);
}

/* A peer that is gone is noticed, though nothing is sent: libmariadb sets nothing of the kind */
static void keep_alive(MYSQL *mysql)
{
    const struct {
        int level, option, value;
    } options[] = {
        {SOL_SOCKET, SO_KEEPALIVE, 1},
#ifdef TCP_KEEPIDLE
        {IPPROTO_TCP, TCP_KEEPIDLE, HB_KEEPALIVE_IDLE_S},
        {IPPROTO_TCP, TCP_KEEPINTVL, HB_KEEPALIVE_INTERVAL_S},
        {IPPROTO_TCP, TCP_KEEPCNT, HB_KEEPALIVE_COUNT},
#endif
#ifdef TCP_USER_TIMEOUT
        {IPPROTO_TCP, TCP_USER_TIMEOUT, HB_USER_TIMEOUT_S * 1000},
#endif
    };

    for (gsize i = 0; i < G_N_ELEMENTS(options); i++) /* of a local socket some are none, which is no matter */
        setsockopt(mysql_get_socket(mysql), options[i].level, options[i].option, &options[i].value, sizeof(int));
}

char *hb_my_get_database_of(const HbAddress *address)
{
    if (address->database == NULL)
        return hb_my_get_database(address->uri);
    return *address->database != '\0' ? g_strdup(address->database) : NULL;
}

MYSQL *hb_my_connect(const HbAddress *address, GError **error)
{
    g_autoptr(HbMyAddress) parts = hb_my_address_read(address->uri, error);
    g_autofree char *database = hb_my_get_database_of(address);
    MYSQL *mysql;

    if (parts == NULL)
        return NULL;
    mysql = mysql_init(NULL);
    set_options(mysql, parts);
    if (mysql_real_connect(mysql, parts->host, parts->user,
                           address->password != NULL ? address->password : parts->password, database, parts->port,
                           parts->socket, 0) != NULL)
        keep_alive(mysql);
    return mysql;
}

const char *hb_my_get_connect_hint(guint number)
{
    switch (number) {
    case ER_ACCESS_DENIED_ERROR:
    case ER_ACCESS_DENIED_NO_PASSWORD_ERROR:
        return "give the right user and password: in an option file ([client] user=, password=), or at the prompt";
    case ER_CON_COUNT_ERROR:
    case ER_TOO_MANY_USER_CONNECTIONS:
    case ER_USER_LIMIT_REACHED:
        return "use fewer sessions (--jobs), wait until others have ended, or have the server's limit raised";
    case ER_HOST_NOT_PRIVILEGED:
    case ER_HOST_IS_BLOCKED:
        return "have the server let this host in: an account for it, and FLUSH HOSTS if it was blocked";
    case CR_SSL_CONNECTION_ERROR:
        return "have that server offer TLS with a certificate that its CA vouches for (tls-ca=FILE), or ask for "
               "tls=off where the way to it is safe";
    case ER_BAD_DB_ERROR:
        return "list what is there with: hornbeam survey SERVER, without a database in the URI";
    default:
        return "check host, port, socket and user in the URI, that the server runs, and that it lets this host in";
    }
}

/* The client library goes on without encryption where a server has none to offer */
gboolean hb_my_check_encryption(MYSQL *mysql, const HbAddress *address, GError **error)
{
    g_autofree char *name = hb_my_display(address);
    g_autoptr(HbMyAddress) parts = hb_my_address_read(address->uri, NULL);

    return mysql_get_ssl_cipher(mysql) != NULL || !is_tls_wanted(parts) ||
           hb_error_set(error, HB_ERROR_CONNECT,
                        "set up TLS on that server, or ask for tls=off where the way to it is safe",
                        "cannot connect to %s: the address asks for TLS, and the server offers none", name);
}
