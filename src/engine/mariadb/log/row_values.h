/* SPDX-License-Identifier: Apache-2.0 */
/*
 * row_values - the values of a row as a binary log has them, and as a SELECT would print them. Pure; see "Rows_event"
 * and "Table_map_event" in the servers' own descriptions of their binary log.
 */
#pragma once

#include <glib.h>

/* Types of columns in a table map, as far as they are read */
enum {
    HB_MY_LOG_TINY = 1,
    HB_MY_LOG_SHORT = 2,
    HB_MY_LOG_LONG = 3,
    HB_MY_LOG_FLOAT = 4,
    HB_MY_LOG_DOUBLE = 5,
    HB_MY_LOG_LONGLONG = 8,
    HB_MY_LOG_INT24 = 9,
    HB_MY_LOG_DATE = 10,
    HB_MY_LOG_YEAR = 13,
    HB_MY_LOG_NEWDATE = 14,
    HB_MY_LOG_VARCHAR = 15,
    HB_MY_LOG_BIT = 16,
    HB_MY_LOG_TIMESTAMP2 = 17,
    HB_MY_LOG_DATETIME2 = 18,
    HB_MY_LOG_TIME2 = 19,
    HB_MY_LOG_VECTOR = 242,
    HB_MY_LOG_JSON = 245,
    HB_MY_LOG_NEWDECIMAL = 246,
    HB_MY_LOG_ENUM = 247,
    HB_MY_LOG_SET = 248,
    HB_MY_LOG_TINY_BLOB = 249,
    HB_MY_LOG_MEDIUM_BLOB = 250,
    HB_MY_LOG_LONG_BLOB = 251,
    HB_MY_LOG_BLOB = 252,
    HB_MY_LOG_VAR_STRING = 253,
    HB_MY_LOG_STRING = 254,
    HB_MY_LOG_GEOMETRY = 255
};

/* How bytes become what is printed */
typedef enum {
    HB_MY_BYTES_PLAIN,
    HB_MY_BYTES_LATIN1, /* to UTF-8 */
    HB_MY_BYTES_PADDED, /* zeros at the end were left out */
    HB_MY_BYTES_UUID,   /* of these the text, and zeros were left out */
    HB_MY_BYTES_INET6,
    HB_MY_BYTES_INET4
} HbMyBytes;

/* What a catalog knows of a column */
typedef struct {
    gboolean is_unsigned;
    HbMyBytes bytes;
    GPtrArray *names; /* char *: of an ENUM or SET; NULL: it is none */
    guint8 types[4];  /* that a table map may give it; ends with 0 */
    guint field;      /* its place in the row set; G_MAXUINT: it is in none, being computed */
    char coding;      /* in the row: t as text, x as hexadecimal digits */
} HbMyLogColumn;

void hb_my_log_column_clear(gpointer column);

/* Bytes that are read from the beginning */
typedef struct {
    const guint8 *at, *end;
    gboolean is_short; /* more was asked of them than there is */
} HbMyBytesLeft;

guint64 hb_my_take_number(HbMyBytesLeft *bytes, gsize size);      /* little endian */
guint64 hb_my_take_length(HbMyBytesLeft *bytes);                  /* an integer of variable length */
const guint8 *hb_my_take_bytes(HbMyBytesLeft *bytes, gsize size); /* NULL: there are fewer */

/* type, meta: as the table map has them. Appends what the value prints, its bytes as they are. FALSE: it cannot be read
 */
gboolean hb_my_read_log_value(HbMyBytesLeft *bytes, guint8 type, guint16 meta, const HbMyLogColumn *column,
                              GString *text);

/* A type as it is, behind what a table map says of a CHAR, ENUM or SET */
guint8 hb_my_get_log_type(guint8 type, guint16 meta);

/* The names of an ENUM or SET from its type, "enum('a','it''s')"; the caller's */
GPtrArray *hb_my_read_list_type(const char *type);
