/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/session/address.h"

#include <mysql.h>
#include <stdlib.h>
#include <string.h>

#define HOW_TO_WRITE "write it as mariadb://user@host:port/database?socket=PATH"

void hb_my_address_free(HbMyAddress *address)
{
    if (address == NULL)
        return;
    if (address->password != NULL)
        memset(address->password, 0, strlen(address->password));
    g_free(address->user);
    g_free(address->password);
    g_free(address->host);
    g_free(address->database);
    g_free(address->socket);
    g_free(address->tls_ca);
    g_free(address->tls_cert);
    g_free(address->tls_key);
    g_free(address->option_file);
    g_free(address);
}

static gboolean read_tls(HbMyAddress *address, const char *value, GError **error)
{
    static const char *const names[] = {NULL, "off", "on", "verify"};

    for (gsize i = 1; i < G_N_ELEMENTS(names); i++) {
        if (strcmp(names[i], value) == 0) {
            address->tls = (HbTls)i;
            return TRUE;
        }
    }
    return hb_error_set(error, HB_ERROR_USAGE, "tls is off, on or verify", "the server's address asks for “tls=%s”",
                        value);
}

static gboolean read_parameter(HbMyAddress *address, const char *name, const char *value, GError **error)
{
    const struct {
        const char *name;
        char **text;
    } texts[] = {{"socket", &address->socket},
                 {"tls-ca", &address->tls_ca},
                 {"tls-cert", &address->tls_cert},
                 {"tls-key", &address->tls_key},
                 {"option-file", &address->option_file}};

    if (strcmp(name, "tls") == 0)
        return read_tls(address, value, error);
    for (gsize i = 0; i < G_N_ELEMENTS(texts); i++) {
        if (strcmp(texts[i].name, name) == 0) {
            g_free(*texts[i].text);
            *texts[i].text = g_strdup(value);
            return TRUE;
        }
    }
    return hb_error_set(error, HB_ERROR_USAGE, "known are socket, tls, tls-ca, tls-cert, tls-key and option-file",
                        "the server's address holds an unknown parameter, “%s”", name);
}

static gboolean read_query(HbMyAddress *address, const char *query, GError **error)
{
    GUriParamsIter iter;
    GError *ours = NULL;
    gboolean ok = TRUE;

    if (query == NULL)
        return TRUE;
    g_uri_params_iter_init(&iter, query, -1, "&", G_URI_PARAMS_NONE);
    while (ok) {
        g_autofree char *name = NULL, *value = NULL;
        if (!g_uri_params_iter_next(&iter, &name, &value, &ours))
            break;
        ok = read_parameter(address, name, value, error);
    }
    if (ours == NULL)
        return ok;
    g_error_free(ours);
    return hb_error_set(error, HB_ERROR_USAGE, HOW_TO_WRITE, "the parameters of the server's address cannot be read");
}

HbMyAddress *hb_my_address_read(const char *uri, GError **error)
{
    g_autoptr(HbMyAddress) address = g_new0(HbMyAddress, 1);
    g_autofree char *path = NULL, *query = NULL;
    const GUriFlags flags = G_URI_FLAGS_HAS_PASSWORD | G_URI_FLAGS_ENCODED_QUERY;
    int port = -1;

    /* GLib's complaint may quote the address, and with it a password: it is not passed on */
    if (!g_uri_split_with_user(uri, flags, NULL, &address->user, &address->password, NULL, &address->host, &port, &path,
                               &query, NULL, NULL)) {
        hb_error_set(error, HB_ERROR_USAGE, HOW_TO_WRITE, "the server's address cannot be read as a URI");
        return NULL;
    }
    address->port = port > 0 ? (guint)port : 0;
    if (path != NULL && strlen(path) > 1)
        address->database = g_strdup(path + 1);
    if (address->user != NULL && *address->user == '\0')
        g_clear_pointer(&address->user, g_free);
    if (address->host != NULL && *address->host == '\0')
        g_clear_pointer(&address->host, g_free);
    return read_query(address, query, error) ? g_steal_pointer(&address) : NULL;
}

gboolean hb_my_check_uri(const char *uri, GError **error)
{
    g_autoptr(HbMyAddress) address = hb_my_address_read(uri, error);

    return address != NULL;
}

char *hb_my_describe_library(void)
{
    return g_strdup_printf("MariaDB Connector/C %s", mysql_get_client_info());
}

char *hb_my_display(const HbAddress *address)
{
    g_autoptr(HbMyAddress) parts = hb_my_address_read(address->uri, NULL);
    GString *text = g_string_new(NULL);

    if (parts == NULL)
        return g_string_free(text, FALSE);
    const char *database = address->database != NULL ? address->database : parts->database;
    if (parts->user != NULL)
        g_string_append_printf(text, "%s@", parts->user);
    if (parts->socket != NULL)
        g_string_append(text, parts->socket);
    else
        g_string_append(text, parts->host != NULL ? parts->host : "local socket");
    if (parts->port != 0)
        g_string_append_printf(text, ":%u", parts->port);
    if (database != NULL && *database != '\0')
        g_string_append_printf(text, "/%s", database);
    return g_string_free(text, FALSE);
}

char *hb_my_get_database(const char *uri)
{
    g_autoptr(HbMyAddress) address = hb_my_address_read(uri, NULL);

    return address != NULL ? g_steal_pointer(&address->database) : NULL;
}
