/* SPDX-License-Identifier: Apache-2.0 */
/*
 * rowsql - rows in the encoding of a dump as INSERT statements, while they stream by.
 *
 * Takes blocks of any size and appends the SQL to a text that the caller empties when it likes; a row, or a value, need
 * never be whole in memory.
 */
#pragma once

#include "core/catalog.h"
#include "core/sqltext.h"

typedef struct HbRowSql HbRowSql;

/* rows_each: rows of a statement; table: as SQL names it (NULL: the set's own) */
HbRowSql *hb_row_sql_new(const HbRowSet *set, const char *table, HbDialect dialect, guint rows_each);
void hb_row_sql_free(HbRowSql *rows); /* accepts NULL */

void hb_row_sql_add(HbRowSql *rows, const char *bytes, gsize length, GString *sql);
void hb_row_sql_end(HbRowSql *rows, GString *sql); /* ends the statement that is open, if there is one */
