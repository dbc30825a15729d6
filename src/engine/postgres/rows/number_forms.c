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

#define EXACT_INTEGER ((guint64)1 << 53) /* up to here doubles hold each whole number */
#define EXACT_POWER   22                 /* and each power of ten */
#define EXACT_DIGITS  19                 /* so many fit into 64 bits */

static const long double powers[EXACT_POWER + 1] = {1e0L,  1e1L,  1e2L,  1e3L,  1e4L,  1e5L,  1e6L,  1e7L,
                                                    1e8L,  1e9L,  1e10L, 1e11L, 1e12L, 1e13L, 1e14L, 1e15L,
                                                    1e16L, 1e17L, 1e18L, 1e19L, 1e20L, 1e21L, 1e22L};

/* "-12.5": its digits as a whole number, and how many follow the point. FALSE: it is something else, or longer */
typedef struct {
    gboolean negative;
    guint64 digits;
    guint decimals;
} Fraction;

static gboolean take_fraction(const char *text, gsize length, Fraction *fraction)
{
    const char *at = text, *end = text + length, *start;

    *fraction = (Fraction){.negative = length > 0 && *text == '-'};
    at += fraction->negative;
    if (end - at > EXACT_DIGITS + 1) /* with its point */
        return FALSE;
    for (start = at; at < end && hb_pg_value_is_digit(*at); at++)
        fraction->digits = fraction->digits * 10 + (guint64)(*at - '0');
    if (at == start || (at == end && end - start > EXACT_DIGITS))
        return FALSE;
    if (at == end)
        return TRUE;
    if (*at++ != '.')
        return FALSE;
    for (start = at; at < end && hb_pg_value_is_digit(*at); at++)
        fraction->digits = fraction->digits * 10 + (guint64)(*at - '0');
    fraction->decimals = (guint)(at - start);
    return at == end && at > start;
}

/*
 * Where a long double has 64 bits, it holds all these digits and powers of ten. Its quotient is rounded once, and once
 * more for the double; only where the first one ends in the middle between two doubles could that go wrong
 */
#define BEYOND_DOUBLE 0x7FF
#define MIDDLE        0x400

static gboolean divide_long(const Fraction *fraction, double *value)
{
#if LDBL_MANT_DIG == 64 && G_BYTE_ORDER == G_LITTLE_ENDIAN
    const long double quotient = (long double)fraction->digits / powers[fraction->decimals];
    guint64 bits;

    memcpy(&bits, &quotient, sizeof bits); /* the first 64 bits are the mantissa */
    *value = (double)quotient;
    return (bits & BEYOND_DOUBLE) != MIDDLE;
#else
    (void)fraction, (void)value;
    return FALSE;
#endif
}

/*
 * A text without an exponent: where its digits, read as a whole number, and the power of ten to divide by are both
 * doubles, the quotient is the nearest double to the text, because one division rounds once. FALSE: it is not so easy
 */
static gboolean divide(const char *text, gsize length, double *value)
{
    Fraction fraction;

    if (FLT_EVAL_METHOD != 0 || !take_fraction(text, length, &fraction) || fraction.digits == 0)
        return FALSE;
    if (fraction.digits <= EXACT_INTEGER)
        *value = (double)fraction.digits / (double)powers[fraction.decimals];
    else if (!divide_long(&fraction, value))
        return FALSE;
    *value = fraction.negative ? -*value : *value;
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
#define BEYOND_FLOAT    0x1FFFFFFF
#define MIDDLE_OF_FLOAT 0x10000000

static gboolean divide_float(const char *text, gsize length, float *value)
{
    union {
        double value;
        guint64 bits;
    } number;

    if (!divide(text, length, &number.value) || (number.bits & BEYOND_FLOAT) == MIDDLE_OF_FLOAT ||
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

typedef struct {
    const char *point; /* behind the whole part */
    gssize whole;      /* decimals of it */
    gssize shown;      /* decimals of the fraction, which follow a point */
} Decimals;

/* Of base 10,000, from the first of the whole part to the last of the fraction, which is filled up with zeros. How many
 * they are */
static guint read_digits(const Decimals *decimals, gint16 *digits)
{
    const char *at = decimals->point - decimals->whole, *end = decimals->point + decimals->shown + 1;
    gssize left = (decimals->whole - 1) % DECIMALS_A_DIGIT + 1;
    guint count = 0;
    gint digit = 0;

    for (; at < end; at++) {
        if (at == decimals->point)
            continue;
        digit = digit * 10 + (*at - '0');
        if (--left > 0)
            continue;
        digits[count++] = (gint16)digit;
        digit = 0;
        left = DECIMALS_A_DIGIT;
    }
    if (left == DECIMALS_A_DIGIT)
        return count;
    for (; left > 0; left--)
        digit *= 10;
    digits[count++] = (gint16)digit;
    return count;
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
    gint16 digits[NUMERIC_MOST + 1];
    guint first = 0, count;
    gssize weight;
    Decimals decimals;

    if (!find_decimals(&reader, &decimals))
        return put_special_numeric(text, length, binary);
    if (decimals.whole + decimals.shown >= (gssize)NUMERIC_MOST * DECIMALS_A_DIGIT ||
        decimals.shown > NUMERIC_MOST_SHOWN)
        return FALSE;
    count = read_digits(&decimals, digits);
    if (count > NUMERIC_MOST)
        return FALSE;
    while (first < count && digits[first] == 0)
        first++;
    while (first < count && digits[count - 1] == 0)
        count--;
    if (first == count) {
        append_numeric_head(binary, 0, 0, 0, (gsize)decimals.shown);
        return TRUE;
    }
    weight = (decimals.whole + DECIMALS_A_DIGIT - 1) / DECIMALS_A_DIGIT - 1 - (gssize)first;
    append_numeric_head(binary, (gint)(count - first), (gint)weight, sign, (gsize)decimals.shown);
    for (; first < count; first++)
        hb_pg_append_number(binary, digits[first], 2);
    return TRUE;
}
