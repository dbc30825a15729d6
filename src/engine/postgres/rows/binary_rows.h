/* SPDX-License-Identifier: Apache-2.0 */
/*
 * binary_rows - rows of COPY's text format put into its binary format on their way to a server, which then need not
 * parse them. Pure. See "File Formats" under COPY in the server's manual.
 *
 * Where a row comes that our forms refuse, the binary rows end, well formed, and that row and all that follow it are
 * given as the text that they came as: the caller sends them by a COPY of their own. So nothing is read twice, and the
 * server decides about each text that we do not know.
 */
#pragma once

#include "engine/journal.h"
#include "engine/postgres/rows/value_forms.h"

typedef struct HbPgBinaryRows HbPgBinaryRows;

/* forms: HbPgToBinary, one for each column. The array and the source are borrowed */
HbPgBinaryRows *hb_pg_binary_rows_new(const GArray *forms, HbRowSource source, gpointer data);
void hb_pg_binary_rows_free(HbPgBinaryRows *rows);
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbPgBinaryRows, hb_pg_binary_rows_free)

/* HbRowSource, of a HbPgBinaryRows: the binary format, from its header to its end */
gboolean hb_pg_binary_rows_give(gpointer rows, const char **bytes, gsize *length, GError **error);

/* After that has ended: how many rows were given, and is there text left? */
guint64 hb_pg_binary_rows_count(const HbPgBinaryRows *rows);
gboolean hb_pg_binary_rows_has_rest(const HbPgBinaryRows *rows);
gboolean hb_pg_binary_rows_give_rest(gpointer rows, const char **bytes, gsize *length, GError **error); /* likewise */
