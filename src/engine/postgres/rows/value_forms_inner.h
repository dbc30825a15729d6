/* SPDX-License-Identifier: Apache-2.0 */
/*
 * value_forms_inner - what the files of value forms share; no other file includes it.
 *
 *     value_forms    by receiver; texts, bytes, bits
 *     number_forms   whole numbers, floats, numeric
 *     time_forms     dates, times, moments, intervals
 */
#pragma once

#include "engine/postgres/rows/value_forms.h"

/* Reads from at on; end is where the value ends */
typedef struct {
    const char *at;
    const char *end;
} HbPgValueReader;

static inline gboolean hb_pg_value_equals(const char *text, gsize length, const char *word)
{
    return length == strlen(word) && memcmp(text, word, length) == 0;
}

/* Each moves at, and says whether what it wanted was there */
static inline gboolean hb_pg_value_take(HbPgValueReader *reader, char c)
{
    if (reader->at == reader->end || *reader->at != c)
        return FALSE;
    reader->at++;
    return TRUE;
}

static inline gboolean hb_pg_value_is_digit(char c)
{
    return c >= '0' && c <= '9';
}

/* A number of so many digits */
static inline gboolean hb_pg_value_take_digits(HbPgValueReader *reader, guint least, guint most, gint64 *number)
{
    guint count = 0;

    *number = 0;
    for (; reader->at < reader->end && count < most && hb_pg_value_is_digit(*reader->at); reader->at++, count++)
        *number = *number * 10 + (*reader->at - '0');
    return count >= least;
}

/* Each an HbPgToBinary */
gboolean hb_pg_put_int2(const char *text, gsize length, GString *binary);
gboolean hb_pg_put_int4(const char *text, gsize length, GString *binary);
gboolean hb_pg_put_int8(const char *text, gsize length, GString *binary);
gboolean hb_pg_put_oid(const char *text, gsize length, GString *binary);
gboolean hb_pg_put_float4(const char *text, gsize length, GString *binary);
gboolean hb_pg_put_float8(const char *text, gsize length, GString *binary);
gboolean hb_pg_put_numeric(const char *text, gsize length, GString *binary);
gboolean hb_pg_put_date(const char *text, gsize length, GString *binary);
gboolean hb_pg_put_timestamp(const char *text, gsize length, GString *binary);
gboolean hb_pg_put_timestamptz(const char *text, gsize length, GString *binary);
gboolean hb_pg_put_time(const char *text, gsize length, GString *binary);
gboolean hb_pg_put_timetz(const char *text, gsize length, GString *binary);
gboolean hb_pg_put_interval(const char *text, gsize length, GString *binary);
