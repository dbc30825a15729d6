/* SPDX-License-Identifier: Apache-2.0 */
/*
 * encoding - the values of a row to the row encoding of dumps (core/rowtext), and back.
 *
 * Both work in pieces, so that a value of any size passes through little memory.
 */
#pragma once

#include "engine/engine.h"

/* ---- To text ---- */

typedef struct {
    const char *hex_columns; /* a letter for each column, as in HbRowSet; NULL: all text */
    gsize columns;
    HbRowSink sink;
    gpointer data;
    char *buffer;
    gsize used;
} HbEncoder;

void hb_encoder_init(HbEncoder *encoder, const char *hex_columns, gsize columns, HbRowSink sink, gpointer data);
void hb_encoder_clear(HbEncoder *encoder);
gboolean hb_encoder_write_row(HbEncoder *encoder, char *const *values, const unsigned long *lengths, GError **error);

/* ---- From text ---- */

/* What a decoder tells of. Bytes of one value may come in several calls; all return FALSE to end the decoding */
typedef struct {
    gboolean (*add_bytes)(gpointer data, const char *bytes, gsize length, GError **error);
    gboolean (*end_field)(gpointer data, gboolean is_null, GError **error);
    gboolean (*end_row)(gpointer data, GError **error);
} HbDecoderEvents;

typedef struct {
    const char *hex_columns;
    gsize columns;
    const HbDecoderEvents *events;
    gpointer data;
    gsize field; /* that is being read */
    char state;  /* where in an escape or a pair of digits we are */
    char digit;  /* the first of a pair */
    gboolean is_null;
    gboolean begun; /* the field has had bytes */
} HbDecoder;

void hb_decoder_init(HbDecoder *decoder, const char *hex_columns, gsize columns, const HbDecoderEvents *events,
                     gpointer data);
gboolean hb_decoder_add(HbDecoder *decoder, const char *bytes, gsize length, GError **error);
