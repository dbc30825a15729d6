/* SPDX-License-Identifier: Apache-2.0 */
/*
 * copy_data - rows as COPY's messages carry them: the binary form's header and end, and how many rows a stream has.
 * Pure; see "Binary Format" under COPY in the server's manual.
 */
#pragma once

#include "engine/engine.h"

/*
 * A message of a binary COPY from a server to a sink. The header usually comes with the first row, and the end as a
 * message of its own; the header is passed on with a row, the end not at all: so each piece is one row, and there is no
 * piece without rows. header: empty at the beginning; what has to wait for a row
 */
gboolean hb_pg_pass_message(GString *header, const char *message, gsize length, HbRowSink sink, gpointer data,
                            GError **error);

/*
 * Counts the rows of a stream, whose blocks may end anywhere. As text, a row is a line; in binary form
 *
 *     header: 11 bytes, flags (4), length of more header (4)
 *     row: fields (2), then for each its length (4, -1: NULL) and its bytes
 *     end: -1 (2)
 */
typedef struct {
    gboolean binary;
    guint64 rows;

    /* Its own */
    guint64 skip; /* bytes of no interest */
    guint needed; /* bytes of the number that is being read */
    guint have;   /* of these */
    gint32 number;
    gint fields; /* left in the row; -1: the number is a count of fields; -2: the header's length */
} HbPgRowsSent;

void hb_pg_rows_sent_init(HbPgRowsSent *sent, gboolean binary);
void hb_pg_rows_sent_add(HbPgRowsSent *sent, const char *bytes, gsize length);

/* A list as queries give it, "3:one5:three": adds its texts. FALSE: it is none */
gboolean hb_pg_read_list(const char *text, GPtrArray *texts);
