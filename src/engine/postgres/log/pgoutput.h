/* SPDX-License-Identifier: Apache-2.0 */
/*
 * pgoutput - the messages in which a PostgreSQL server tells the changes of published tables, version 1 of the
 * protocol. Pure; see "Logical Replication Message Formats" in the server's manual.
 */
#pragma once

#include <glib.h>

/* A value of a row; its bytes are the message's */
typedef struct {
    char kind; /* 'n' NULL, 'u' unchanged and not sent, 't' text */
    const char *bytes;
    gsize length;
} HbPgValue;

typedef struct {
    char *name;
    gboolean is_key; /* part of what identifies rows */
} HbPgColumn;

/* A table as a message describes it; free with hb_pg_relation_free() */
typedef struct {
    guint32 oid;
    char *schema, *name;
    char identity;   /* 'd' primary key, 'i' an index, 'f' all columns, 'n' nothing */
    GArray *columns; /* HbPgColumn */
} HbPgRelation;

void hb_pg_relation_free(gpointer relation); /* accepts NULL */

typedef struct {
    char kind;              /* B C R I U D T; '\0': of no interest */
    guint64 lsn;            /* B, C: where the transaction ends */
    gint64 time_us;         /* B, C: since 1970 */
    HbPgRelation *relation; /* R: the reader's to take */
    guint32 oid;            /* I U D */
    char old_kind;          /* U, D: 'K' the old row's key, 'O' all of it; '\0': nothing is said of it */
    GArray *old, *row;      /* HbPgValue; as the kind has them; reused from message to message */
    GArray *emptied;        /* T: guint32 */
} HbPgMessage;

void hb_pg_message_init(HbPgMessage *message);
void hb_pg_message_clear(HbPgMessage *message);

/* HB_ERROR_DAMAGED: it is no such message. relation of the one before is freed, unless it was taken */
gboolean hb_pgoutput_read(HbPgMessage *message, const char *bytes, gsize length, GError **error);
