/* SPDX-License-Identifier: Apache-2.0 */
/*
 * connection_text - pieces of connection strings, each quoted by the rules of who reads it.
 */
#pragma once

#include "engine/gate.h"

/* Where a database is, and as whom; texts borrowed, NULL where nothing is said */
typedef struct {
    const char *host, *port, *socket, *database, *user, *password;
} HbConnectionPlace;

GPtrArray *hb_connection_forms_new(void); /* of HbConnectionForm */
/* Takes the text */
void hb_connection_forms_add(GPtrArray *forms, const char *form, char *text, gboolean is_read_here);
void hb_connection_forms_refuse(GPtrArray *forms, const char *form, const char *complaint);

/* All but letters, digits, - . _ and ~ as %XX of its UTF-8 (RFC 3986) */
void hb_connection_append_percent(GString *text, const char *value);
/* A host of a URI: IPv6 in brackets */
void hb_connection_append_host(GString *text, const char *host);
/* "?name=value", then "&name=value"; nothing of a NULL */
void hb_connection_append_parameter(GString *text, const char *name, const char *value);
/* "user:password@", as far as there are any */
void hb_connection_append_login(GString *text, const HbConnectionPlace *place);

/* "Name=value;" of ODBC: in braces where it needs them (Microsoft, "SQLDriverConnect": comments on the string) */
void hb_connection_append_odbc(GString *text, const char *name, const char *value);
/* "Name=value;" of ADO.NET: in quotes where it needs them ("DbConnectionStringBuilder") */
void hb_connection_append_net(GString *text, const char *name, const char *value);
/* 'value' of PHP's single-quoted strings */
void hb_connection_append_php(GString *text, const char *value);

/* May it stand in a path of a URI that is not decoded? */
gboolean hb_connection_is_plain(const char *value);
