/* SPDX-License-Identifier: Apache-2.0 */
/*
 * log_reader_inner - a log that is read: log_reader.c has the stream, log_reader_messages.c makes changes of its
 * messages; no other file includes it.
 */
#pragma once

#include "engine/postgres/log/log_reader.h"
#include "engine/postgres/log/pgoutput.h"

/* How a table's messages are read */
typedef struct {
    const HbRowSet *set; /* NULL: it is of no interest */
    GArray *fields;      /* guint: for each column of the set its place in the message */
    GArray *key;         /* guint, rising: the columns that identify a row */
    char *mismatch;      /* what is otherwise than in the set; NULL: nothing */
} HbPgLayout;

struct HbLogReader {
    HbSession *session;  /* NULL in tests */
    GHashTable *sets;    /* of interest: HbRowSet *, by their numbers */
    GHashTable *layouts; /* oid to HbPgLayout * */
    HbPgMessage message;
    guint next_emptied; /* of a message that empties several tables */
    GString *row, *key, *old_key;
    guint8 *kept;
    guint kept_size;
    char *buffer; /* libpq's, of the last message */
    GString *position;
    guint64 told, confirmed, log_end;
    gboolean in_transaction;
    gint64 next_status_us;
    gint64 clock_us; /* how far our clock is before the server's, or less: what it sends is underway for a while */
};

void hb_pg_log_set_position(HbLogReader *reader, HbLogEvent *event);
gboolean hb_pg_log_tell_emptied(HbLogReader *reader, HbLogEvent *event);
