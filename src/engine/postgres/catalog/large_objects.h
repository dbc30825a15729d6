/* SPDX-License-Identifier: Apache-2.0 */
/*
 * large_objects - the bytes of large objects as one row set: number, offset, bytes.
 *
 * They are read and written through the server's own functions for them, which any owner may call, rather than from the
 * system table behind them. Holes come out as zeros.
 */
#pragma once

#include "engine/postgres/session/session.h"

/* The row set's table; no table can be called so, because a name with a blank is quoted */
#define HB_PG_LARGE_OBJECTS "large objects"

gboolean hb_pg_is_large_objects(const HbRowSet *set);
void hb_pg_describe_large_objects(HbRowSet *set, guint64 bytes);

/* Ranges of numbers with about this many bytes each */
GArray *hb_pg_split_large_objects(HbSession *session, const HbRowSet *set, guint64 bytes);

/* SQL that reads a range; the caller's */
char *hb_pg_read_large_objects_sql(const HbRange *range);

/* Rows go into a table of the transaction's own first; the second text takes them from there */
extern const char hb_pg_begin_large_objects_sql[]; /* ends in a COPY from standard input */
extern const char hb_pg_take_large_objects_sql[];
