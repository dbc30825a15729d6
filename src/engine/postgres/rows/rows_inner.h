/* SPDX-License-Identifier: Apache-2.0 */
/*
 * rows_inner - what the files of rows share; no other file includes it.
 *
 *     rows         splits a row set, and reads it
 *     write_rows   takes rows in, with the journal's entry, in binary form where that can be had
 *     change_rows  some go, others come; what would act upon that is kept still
 *     find_places  rows without a key
 */
#pragma once

#include "engine/postgres/session/session.h"

/* " (a, b)", or nothing for a table without columns, for which COPY takes no list; the caller's */
char *hb_pg_make_column_list(const HbRowSet *set);
const char *hb_pg_get_form(gboolean binary); /* of COPY, for its end */

/* After the last row, or to discard rows that are not wanted any more. taken (may be NULL): rows that the server says
 * it took */
gboolean hb_pg_finish_copy(HbSession *session, guint64 *taken, GError **error);

/* sql: a COPY, in the caller's transaction, which a failure leaves broken */
gboolean hb_pg_copy_into(HbSession *session, const HbRowSet *set, const char *sql, HbRowSource source, gpointer data,
                         GError **error);

/* sql: ends with the COPY that takes the rows. What was begun is rolled back where it fails */
gboolean hb_pg_copy_in(HbSession *session, const HbRowSet *set, const char *sql, HbRowSource source, gpointer data,
                       GError **error);
gboolean hb_pg_commit_copy(HbSession *session, const HbRowSet *set, GError **error); /* likewise */
