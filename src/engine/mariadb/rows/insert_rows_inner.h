/* SPDX-License-Identifier: Apache-2.0 */
/*
 * insert_rows_inner - what the files of insert_rows share; no other file includes it.
 *
 *     insert_rows       decodes rows into a batch, and says when it goes
 *     insert_rows_send  sends a batch by arrays or as one statement, or a row in pieces
 */
#pragma once

#include "engine/mariadb/rows/insert_rows.h"

/* A value in the batch's bytes */
typedef struct {
    gsize at;
    gsize length;
    gboolean is_null;
} HbMyValue;

typedef struct {
    HbSession *session;
    const HbRowSet *set;
    guint columns;
    gboolean with_arrays;
    gboolean with_pieces; /* the server prepares statements, so that a large value need not be whole in memory */
    gsize batch_bytes;
    gsize pieces_from_bytes;

    GByteArray *bytes;         /* of all values of the batch, one after the other */
    GArray *values;            /* HbMyValue, row by row */
    guint rows;                /* whole ones */
    gsize field_at;            /* where the value that is being read begins */
    MYSQL_STMT *batch;         /* for many rows; NULL without arrays */
    MYSQL_STMT *without_needs; /* for one row in pieces; NULL until it is needed */
    guint refusal;             /* the server's number for why a statement could not be prepared */
    gboolean in_pieces;
    my_bool *alone_nulls;
    char *complaint; /* what the server said of values that it computes itself from those of ours; NULL: nothing */
    char *forms;     /* of the target's columns: w whole numbers, r real ones, t anything else; NULL: not asked yet */
} HbMyLoad;

/* insert_rows_send: what goes to the server. Each FALSE with the server's refusal, or with what it did not take as
 * given */

/* The table's name as a literal; the caller's */
char *hb_my_load_quote_table(const HbRowSet *set);

/* A statement for many rows by arrays, or without needs for one; NULL on error */
MYSQL_STMT *hb_my_load_prepare(HbMyLoad *load, gboolean without_needs, GError **error);

/* The batch's whole rows, in one round trip */
gboolean hb_my_load_send_batch(HbMyLoad *load, GError **error);

/* The row that has begun, alone: what is there of it, piece after piece of a value, its end */
gboolean hb_my_load_begin_pieces(HbMyLoad *load, GError **error);
gboolean hb_my_load_send_piece(HbMyLoad *load, guint column, const char *bytes, gsize length, GError **error);
gboolean hb_my_load_end_pieces(HbMyLoad *load, GError **error);
