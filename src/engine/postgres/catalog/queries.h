/* SPDX-License-Identifier: Apache-2.0 */
/*
 * queries - the catalog queries (the files in sql/), fitted to a server's version.
 *
 * Between @ signs a query names a fragment: a common sub-query, or an expression that differs by version. The fragments
 * are rows of a table in queries.c, so that a new version is a new row.
 */
#pragma once

#include <glib.h>

/* What marks the pieces of a definition that depend on the version it is for (see core/versions) */
const char *hb_pg_get_mark(void);

/* The query with its fragments filled in for this version; the caller's */
char *hb_pg_fit_query(const char *sql, int version);
