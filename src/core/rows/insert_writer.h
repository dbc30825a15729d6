/* SPDX-License-Identifier: Apache-2.0 */
/*
 * insert_writer - rows in the encoding of a dump as INSERT statements, while they stream by.
 *
 * Takes blocks of any size and appends the SQL to a text that the caller empties when it likes; a row, or a value, need
 * never be whole in memory.
 */
#pragma once

#include "core/model/catalog.h"
#include "core/sql/dialect.h"

typedef struct HbInsertWriter HbInsertWriter;

/* rows_each: rows of a statement; table: as SQL names it (NULL: the set's own) */
HbInsertWriter *hb_insert_writer_new(const HbRowSet *set, const char *table, const HbDialect *dialect, guint rows_each);
void hb_insert_writer_free(HbInsertWriter *rows); /* accepts NULL */

void hb_insert_writer_add(HbInsertWriter *rows, const char *bytes, gsize length, GString *sql);
void hb_insert_writer_end(HbInsertWriter *rows, GString *sql); /* ends the statement that is open, if there is one */
