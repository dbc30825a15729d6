/* SPDX-License-Identifier: Apache-2.0 */
/*
 * names - names, literals and connection values as PostgreSQL quotes them.
 */
#pragma once

#include <glib.h>

/* "name" with its quotes doubled: right whatever the connection's encoding, as it only looks at ASCII. The caller's */
char *hb_pg_quote_any_name(const char *name);

/* Text as a literal, as standard_conforming_strings = on has it, whatever the connection */
void hb_pg_append_literal(GString *sql, const char *text);

/* A value of a connection string, in its quotes; see "Connection Strings" in libpq's manual */
void hb_pg_append_conninfo_value(GString *text, const char *value);
