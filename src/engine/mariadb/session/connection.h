/* SPDX-License-Identifier: Apache-2.0 */
/*
 * connection - how a server is reached: option files, TLS, keepalives. What is asked for is had, or there is no
 * connection: encryption is known before a password is sent.
 */
#pragma once

#include "engine/engine.h"

#include <mysql.h>

/* A handle that is connected, or that says why not; the caller's. NULL only if the URI cannot be read (HB_ERROR_USAGE)
 */
MYSQL *hb_my_connect(const HbAddress *address, GError **error);

/* What to do where connecting failed with this number of the server's or the library's */
const char *hb_my_get_connect_hint(guint number);

/* Is it encrypted, if the address or an option file asks for that? HB_ERROR_CONNECT */
gboolean hb_my_check_encryption(MYSQL *mysql, const HbAddress *address, GError **error);

/* The database that is to be chosen; an empty name is none, even if the URI has one. NULL: none; the caller's */
char *hb_my_get_database_of(const HbAddress *address);
