/* SPDX-License-Identifier: Apache-2.0 */
/*
 * insert_rows - rows into a table: batches of bound values where the server takes them, statements of many rows
 * elsewhere.
 *
 *     text --decoder--> values in a batch --[about 1 MB]--> one round trip
 *                           \--[a value is very large]--> its row alone, in pieces
 */
#pragma once

#include "engine/mariadb/session/session.h"

/* A HbDeleteRows. data: the session */
gboolean hb_my_run_delete(gpointer data, const char *sql, guint64 *count, GError **error);
/* Rows in the caller's transaction, which a failure leaves as it is. What the server says of what it computes from them
 * is not told */
gboolean hb_my_insert_rows(HbSession *session, const HbRowSet *set, HbRowSource source, gpointer data, GError **error);
gboolean hb_my_change_rows(HbSession *session, const HbRowSet *set, const HbRowChange *change, GError **error);
gboolean hb_my_write_rows(HbSession *session, const HbRowSet *set, HbRowSource source, gpointer data,
                          const HbJournalEntry *entry, GError **error);
