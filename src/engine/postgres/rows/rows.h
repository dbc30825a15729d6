/* SPDX-License-Identifier: Apache-2.0 */
/*
 * rows - the rows of tables, out of the server and into it, as COPY text.
 *
 * The text format of COPY is the row encoding of a dump (core/rowtext), so that rows pass without being taken apart;
 * on their way in many are put into COPY's binary format, which costs the server less (see binary_rows.h).
 * Tables are split by ctid, in blocks; servers before version 14 would read the whole table for each range, so there a
 * table is one piece.
 */
#pragma once

#include "engine/postgres/session/session.h"

GArray *hb_pg_split_rows(HbSession *session, const HbRowSet *set, guint64 bytes);
gboolean hb_pg_read_rows(HbSession *session, const HbRowSet *set, const HbRange *range, HbRowSink sink, gpointer data,
                         GError **error);
gboolean hb_pg_write_rows(HbSession *session, const HbRowSet *set, HbRowSource source, gpointer data,
                          const HbJournalEntry *entry, GError **error);
