/* SPDX-License-Identifier: Apache-2.0 */
/*
 * renaming - names of schemas, users, tablespaces and databases inside PostgreSQL's SQL.
 *
 * The server prints definitions with every name qualified, so a schema's name stands before a dot, after the word
 * SCHEMA, or in a search_path. Bodies of SQL and PL/pgSQL routines are read like the rest; string literals are left
 * alone, but for those that are names (before ::regclass and its like).
 */
#pragma once

#include "core/sql/dialect.h"

char *hb_pg_rename(const HbObject *object, const char *sql, HbRename *rename);
char *hb_pg_rename_identity(const char *identity, const HbRename *rename);
