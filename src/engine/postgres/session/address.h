/* SPDX-License-Identifier: Apache-2.0 */
/*
 * address - servers' addresses as libpq reads them, and as people may see them: without a password.
 */
#pragma once

#include "engine/connector.h"

#include <libpq-fe.h>

/* HB_ERROR_USAGE, whose message does not quote the address */
gboolean hb_pg_check_uri(const char *uri, GError **error);
PQconninfoOption *hb_pg_parse_uri(const char *uri, GError **error); /* the caller's, to be freed by PQconninfoFree() */
const char *hb_pg_find_option(const PQconninfoOption *options, const char *keyword); /* NULL: it is not given */

/* "user@host:port/database"; what is NULL or empty is left out. Texts are the caller's */
char *hb_pg_join_address(const char *user, const char *host, const char *port, const char *database);
char *hb_pg_display(const HbAddress *address);
char *hb_pg_get_database(const char *uri);           /* NULL: it names none */
char *hb_pg_name_database(const HbAddress *address); /* the address's own, else its URI's */
char *hb_pg_describe_library(void);
