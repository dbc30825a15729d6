/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/rows/numbers.h"

#include <string.h>

/* Of these many digits every number fits into 64 bits */
#define WHOLE_DIGITS_MAX 18

/* Doubles hold whole numbers up to 2^53, and powers of ten up to this one, exactly: one division or multiplication of
 * two such is rounded once, and so is right (D. Clinger, "How to Read Floating Point Numbers Accurately", 1990) */
#define EXACT_DIGITS_MAX 15
#define EXACT_POWER_MAX  22

#define REAL_LENGTH_MAX 400

static gboolean read_digits(const char *text, gsize length, guint64 *number)
{
    *number = 0;
    for (gsize i = 0; i < length; i++) {
        if (!g_ascii_isdigit(text[i]))
            return FALSE;
        *number = *number * 10 + (guint64)(text[i] - '0');
    }
    return length > 0;
}

gboolean hb_number_read_whole(const char *text, gsize length, gint64 *number)
{
    const gboolean is_negative = length > 0 && *text == '-';
    guint64 digits;

    text += is_negative;
    length -= is_negative;
    if (length > WHOLE_DIGITS_MAX || !read_digits(text, length, &digits))
        return FALSE;
    *number = is_negative ? -(gint64)digits : (gint64)digits;
    return TRUE;
}

/* "-12.25": the digits as one whole number, and how many of them stand behind the point. FALSE: not as simple as that
 */
static gboolean read_plain(const char *text, gsize length, double *number)
{
    static const double powers[EXACT_POWER_MAX + 1] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,
                                                       1e8,  1e9,  1e10, 1e11, 1e12, 1e13, 1e14, 1e15,
                                                       1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22};
    const gboolean is_negative = length > 0 && *text == '-';
    const char *point;
    guint64 before = 0, behind = 0;
    gsize places;

    text += is_negative;
    length -= is_negative;
    if (length == 0 || length > EXACT_DIGITS_MAX)
        return FALSE;
    point = memchr(text, '.', length);
    places = point != NULL ? length - (gsize)(point - text) - 1 : 0;
    if (!read_digits(text, point != NULL ? (gsize)(point - text) : length, &before) ||
        (point != NULL && !read_digits(point + 1, places, &behind)))
        return FALSE;
    *number = ((double)before * powers[places] + (double)behind) / powers[places];
    *number = is_negative ? -*number : *number;
    return TRUE;
}

gboolean hb_number_read_real(const char *text, gsize length, double *number)
{
    char copy[REAL_LENGTH_MAX + 1];
    char *end;

    if (read_plain(text, length, number))
        return TRUE;
    if (length == 0 || length > REAL_LENGTH_MAX || !(g_ascii_isdigit(*text) || *text == '-' || *text == '.'))
        return FALSE;
    memcpy(copy, text, length);
    copy[length] = '\0';
    *number = g_ascii_strtod(copy, &end);
    return end == copy + length && strspn(copy, "0123456789+-.eE") == length;
}
