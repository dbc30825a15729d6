/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/session/address.h"

#include "core/base/error.h"

#include <string.h>

PQconninfoOption *hb_pg_parse_uri(const char *uri, GError **error)
{
    char *complaint = NULL;
    PQconninfoOption *options = PQconninfoParse(uri, &complaint);

    /* libpq's complaint may quote the address, and with it a password: it is not passed on */
    if (options == NULL)
        hb_error_set(error, HB_ERROR_USAGE, "write it as postgresql://user@host:port/database?option=value",
                     "the server's address cannot be read as a URI");
    PQfreemem(complaint);
    return options;
}

gboolean hb_pg_check_uri(const char *uri, GError **error)
{
    PQconninfoOption *options = hb_pg_parse_uri(uri, error);

    PQconninfoFree(options);
    return options != NULL;
}

const char *hb_pg_find_option(const PQconninfoOption *options, const char *keyword)
{
    for (; options != NULL && options->keyword != NULL; options++) {
        if (strcmp(options->keyword, keyword) == 0)
            return options->val;
    }
    return NULL;
}

char *hb_pg_join_address(const char *user, const char *host, const char *port, const char *database)
{
    GString *text = g_string_new(NULL);

    if (user != NULL && *user != '\0')
        g_string_append_printf(text, "%s@", user);
    g_string_append(text, host != NULL && *host != '\0' ? host : "local socket");
    if (port != NULL && *port != '\0')
        g_string_append_printf(text, ":%s", port);
    if (database != NULL && *database != '\0')
        g_string_append_printf(text, "/%s", database);
    return g_string_free(text, FALSE);
}

char *hb_pg_describe_library(void)
{
    const int version = PQlibVersion();

    return g_strdup_printf("libpq %d.%d", version / 10000, version % 10000);
}

char *hb_pg_display(const HbAddress *address)
{
    PQconninfoOption *options = hb_pg_parse_uri(address->uri, NULL);
    const char *database = address->database != NULL ? address->database : hb_pg_find_option(options, "dbname");
    const char *host = hb_pg_find_option(options, "host");
    char *text = hb_pg_join_address(hb_pg_find_option(options, "user"),
                                    host != NULL ? host : hb_pg_find_option(options, "hostaddr"),
                                    hb_pg_find_option(options, "port"), database);

    PQconninfoFree(options);
    return text;
}

char *hb_pg_get_database(const char *uri)
{
    PQconninfoOption *options = hb_pg_parse_uri(uri, NULL);
    const char *database = hb_pg_find_option(options, "dbname");
    char *copy = database != NULL && *database != '\0' ? g_strdup(database) : NULL;

    PQconninfoFree(options);
    return copy;
}

char *hb_pg_name_database(const HbAddress *address)
{
    return address->database != NULL ? g_strdup(address->database) : hb_pg_get_database(address->uri);
}
