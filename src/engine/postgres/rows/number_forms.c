/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/rows/value_forms_inner.h"

#include <float.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

/* ---- Whole numbers ---- */

#define DIGITS_OF_INT64 19

static gboolean put_integer(const char *text, gsize length, GString *binary, guint bytes, gint64 least, gint64 most)
{
    HbPgValueReader reader = {text, text + length};
    const gboolean negative = hb_pg_value_take(&reader, '-');
    guint64 size = 0;

    if (reader.at == reader.end || reader.end - reader.at > DIGITS_OF_INT64)
        return FALSE;
    for (; reader.at < reader.end; reader.at++) {
        if (!hb_pg_value_is_digit(*reader.at))
            return FALSE;
        size = size * 10 + (guint64)(*reader.at - '0');
    }
    if (size > (negative ? (guint64) - (least + 1) + 1 : (guint64)most))
        return FALSE;
    hb_pg_append_number(binary, (gint64)(negative ? -size : size), bytes);
    return TRUE;
}

gboolean hb_pg_put_int2(const char *text, gsize length, GString *binary)
{
    return put_integer(text, length, binary, 2, G_MININT16, G_MAXINT16);
}

gboolean hb_pg_put_int4(const char *text, gsize length, GString *binary)
{
    return put_integer(text, length, binary, 4, G_MININT32, G_MAXINT32);
}

gboolean hb_pg_put_int8(const char *text, gsize length, GString *binary)
{
    return put_integer(text, length, binary, 8, G_MININT64, G_MAXINT64);
}

gboolean hb_pg_put_oid(const char *text, gsize length, GString *binary)
{
    return *text != '-' && put_integer(text, length, binary, 4, -1, G_MAXUINT32);
}

/* ---- Floats ---- */

/* What a server prints; the library would take more: blanks, a sign, hexadecimal digits, "inf", "nan(1)" */
static gboolean is_float(const char *text, gsize length)
{
    if (length == 0)
        return FALSE;
    return hb_pg_value_is_digit(*text) || *text == '-'
               ? strspn(text, "0123456789.e+-") == length || hb_pg_value_equals(text, length, "-Infinity")
               : hb_pg_value_equals(text, length, "NaN") || hb_pg_value_equals(text, length, "Infinity");
}

#define EXACT_INTEGER ((gint64)1 << 53) /* up to here doubles hold each whole number */
#define EXACT_POWER   22                /* and each power of ten */

/*
 * "12.5" without an exponent: where its digits, read as a whole number, and the power of ten to divide by are both
 * doubles, the quotient is the nearest double to the text, because one division rounds once. FALSE: it is not so easy
 */
static gboolean divide(const char *text, gsize length, double *value)
{
    static const double powers[] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,  1e8,  1e9,  1e10, 1e11,
                                    1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22};
    HbPgValueReader reader = {text, text + length};
    const gboolean negative = hb_pg_value_take(&reader, '-');
    const char *point;
    gint64 digits;

    if (FLT_EVAL_METHOD != 0 || !hb_pg_value_take_digits(&reader, 1, 15, &digits))
        return FALSE;
    point = reader.at;
    if (hb_pg_value_take(&reader, '.')) {
        for (; reader.at < reader.end && hb_pg_value_is_digit(*reader.at) && digits < EXACT_INTEGER; reader.at++)
            digits = digits * 10 + (*reader.at - '0');
    }
    if (reader.at != reader.end || digits > EXACT_INTEGER || reader.at - point > EXACT_POWER || digits == 0)
        return FALSE;
    *value = (double)digits / powers[reader.at > point ? reader.at - point - 1 : 0];
    *value = negative ? -*value : *value;
    return TRUE;
}

gboolean hb_pg_put_float8(const char *text, gsize length, GString *binary)
{
    union {
        double value;
        gint64 bits;
    } number;
    char *end = (char *)text + length;

    if (!divide(text, length, &number.value)) {
        if (!is_float(text, length))
            return FALSE;
        number.value = strtod(text, &end);
    }
    hb_pg_append_number(binary, number.bits, 8);
    return end == text + length;
}

/* The bits of a double that a float has not; in the middle between two floats a second rounding could go wrong */
#define BEYOND_FLOAT 0x1FFFFFFF
#define MIDDLE       0x10000000

static gboolean divide_float(const char *text, gsize length, float *value)
{
    union {
        double value;
        guint64 bits;
    } number;

    if (!divide(text, length, &number.value) || (number.bits & BEYOND_FLOAT) == MIDDLE ||
        fabs(number.value) < (double)FLT_MIN || fabs(number.value) > (double)FLT_MAX)
        return FALSE;
    *value = (float)number.value;
    return TRUE;
}

gboolean hb_pg_put_float4(const char *text, gsize length, GString *binary)
{
    union {
        float value;
        gint32 bits;
    } number;
    char *end = (char *)text + length;

    if (!divide_float(text, length, &number.value)) {
        if (!is_float(text, length))
            return FALSE;
        number.value = strtof(text, &end);
    }
    hb_pg_append_number(binary, number.bits, 4);
    return end == text + length;
}

/* ---- numeric: count of digits, weight of the first, sign, decimals to show (2 bytes each), digits of base 10,000 ----
 */

#define NUMERIC_NEGATIVE   0x4000
#define NUMERIC_NAN        0xC000
#define NUMERIC_INFINITY   0xD000
#define NUMERIC_MINUS      0xF000
#define NUMERIC_MOST       3000   /* digits that the server takes in this form; as text it takes more */
#define NUMERIC_MOST_SHOWN 0x3FFF /* decimals */
#define DECIMALS_A_DIGIT   4

static void append_numeric_head(GString *binary, gint count, gint weight, gint sign, gsize shown)
{
    hb_pg_append_number(binary, count, 2);
    hb_pg_append_number(binary, weight, 2);
    hb_pg_append_number(binary, sign, 2);
    hb_pg_append_number(binary, (gint64)shown, 2);
}

static gboolean put_special_numeric(const char *text, gsize length, GString *binary)
{
    const gint sign = hb_pg_value_equals(text, length, "NaN")         ? NUMERIC_NAN
                      : hb_pg_value_equals(text, length, "Infinity")  ? NUMERIC_INFINITY
                      : hb_pg_value_equals(text, length, "-Infinity") ? NUMERIC_MINUS
                                                                      : 0;

    append_numeric_head(binary, 0, 0, sign, 0);
    return sign != 0;
}

/* The decimal at a place that counts from the point: -1 is the last before it. 0 beyond the ends */
typedef struct {
    const char *point; /* behind the whole part */
    gssize whole;      /* decimals of it */
    gssize shown;      /* decimals of the fraction, which follow a point */
} Decimals;

static gint get_decimal(const Decimals *decimals, gssize place)
{
    if (place < -decimals->whole || place >= decimals->shown)
        return 0;
    return decimals->point[place < 0 ? place : place + 1] - '0';
}

static gint get_digit(const Decimals *decimals, gssize weight)
{
    gint digit = 0;

    for (gssize i = 0; i < DECIMALS_A_DIGIT; i++)
        digit = digit * 10 + get_decimal(decimals, -(weight + 1) * DECIMALS_A_DIGIT + i);
    return digit;
}

/* "12.50" and the like: where the point is. FALSE: it is something else */
static gboolean find_decimals(HbPgValueReader *reader, Decimals *decimals)
{
    const char *start = reader->at;

    while (reader->at < reader->end && hb_pg_value_is_digit(*reader->at))
        reader->at++;
    *decimals = (Decimals){.point = reader->at, .whole = reader->at - start};
    if (decimals->whole == 0)
        return FALSE;
    if (!hb_pg_value_take(reader, '.'))
        return reader->at == reader->end;
    start = reader->at;
    while (reader->at < reader->end && hb_pg_value_is_digit(*reader->at))
        reader->at++;
    decimals->shown = reader->at - start;
    return reader->at == reader->end && decimals->shown > 0;
}

gboolean hb_pg_put_numeric(const char *text, gsize length, GString *binary)
{
    HbPgValueReader reader = {text, text + length};
    const gint sign = hb_pg_value_take(&reader, '-') ? NUMERIC_NEGATIVE : 0;
    Decimals decimals;
    gssize first, last;

    if (!find_decimals(&reader, &decimals))
        return put_special_numeric(text, length, binary);
    first = (decimals.whole + DECIMALS_A_DIGIT - 1) / DECIMALS_A_DIGIT - 1;
    last = -(decimals.shown + DECIMALS_A_DIGIT - 1) / DECIMALS_A_DIGIT;
    if (first - last >= NUMERIC_MOST || decimals.shown > NUMERIC_MOST_SHOWN)
        return FALSE;
    while (first >= last && get_digit(&decimals, first) == 0)
        first--;
    while (first >= last && get_digit(&decimals, last) == 0)
        last++;
    if (first < last) {
        append_numeric_head(binary, 0, 0, 0, (gsize)decimals.shown);
        return TRUE;
    }
    append_numeric_head(binary, (gint)(first - last + 1), (gint)first, sign, (gsize)decimals.shown);
    for (gssize weight = first; weight >= last; weight--)
        hb_pg_append_number(binary, get_digit(&decimals, weight), 2);
    return TRUE;
}
