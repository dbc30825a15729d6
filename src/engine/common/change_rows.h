/* SPDX-License-Identifier: Apache-2.0 */
/*
 * change_rows - taking rows out of a table by their keys, some hundreds a statement.
 */
#pragma once

#include "core/sql/dialect.h"
#include "engine/target.h"

/* Runs this DELETE, or several UPDATEs, in the caller's transaction; *count: rows that it was about, of all of them */
typedef gboolean (*HbDeleteRows)(gpointer data, const char *sql, guint64 *count, GError **error);

/* from: the table as a DELETE names it. HB_ERROR_RETRY: not each of the rows was there */
gboolean hb_engine_delete_by_keys(const char *from, const HbRowSet *set, const HbDialect *dialect, const GArray *gone,
                                  HbDeleteRows run, gpointer data, GError **error);
