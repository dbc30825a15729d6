/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/log/row_values.h"

#include <arpa/inet.h>
#include <string.h>
#include <time.h>

void hb_my_log_column_clear(gpointer data)
{
    HbMyLogColumn *column = data;

    g_clear_pointer(&column->names, g_ptr_array_unref);
}

/* ---- Bytes ---- */

const guint8 *hb_my_take_bytes(HbMyBytesLeft *bytes, gsize size)
{
    const guint8 *at = bytes->at;

    if ((gsize)(bytes->end - bytes->at) < size) {
        bytes->is_short = TRUE;
        bytes->at = bytes->end;
        return NULL;
    }
    bytes->at += size;
    return at;
}

guint64 hb_my_take_number(HbMyBytesLeft *bytes, gsize size)
{
    const guint8 *at = hb_my_take_bytes(bytes, size);
    guint64 number = 0;

    for (gsize i = size; at != NULL && i-- > 0;)
        number = number << 8 | at[i];
    return number;
}

static guint64 take_big_endian(HbMyBytesLeft *bytes, gsize size)
{
    const guint8 *at = hb_my_take_bytes(bytes, size);
    guint64 number = 0;

    for (gsize i = 0; at != NULL && i < size; i++)
        number = number << 8 | at[i];
    return number;
}

guint64 hb_my_take_length(HbMyBytesLeft *bytes)
{
    const guint8 first = (guint8)hb_my_take_number(bytes, 1);

    if (first < 251)
        return first;
    return hb_my_take_number(bytes, first == 252 ? 2 : first == 253 ? 3 : first == 254 ? 8 : G_MAXSIZE);
}

/* ---- Numbers ---- */

static gboolean read_whole(HbMyBytesLeft *bytes, gsize size, const HbMyLogColumn *column, GString *text)
{
    const guint64 number = hb_my_take_number(bytes, size);
    const guint unused = (guint)(64 - 8 * size);

    if (column->is_unsigned)
        g_string_append_printf(text, "%" G_GUINT64_FORMAT, number);
    else
        g_string_append_printf(text, "%" G_GINT64_FORMAT, (gint64)(number << unused) / ((gint64)1 << unused));
    return TRUE;
}

static void append_real(GString *text, double number, const char *format)
{
    char digits[G_ASCII_DTOSTR_BUF_SIZE];

    g_string_append(text, g_ascii_formatd(digits, sizeof digits, format, number));
}

static gboolean read_float(HbMyBytesLeft *bytes, GString *text)
{
    const guint32 bits = (guint32)hb_my_take_number(bytes, 4);
    float number;

    memcpy(&number, &bits, sizeof number);
    append_real(text, (double)number, "%.9g");
    return TRUE;
}

static gboolean read_double(HbMyBytesLeft *bytes, GString *text)
{
    const guint64 bits = hb_my_take_number(bytes, 8);
    double number;

    memcpy(&number, &bits, sizeof number);
    append_real(text, number, "%.17g");
    return TRUE;
}

/* Groups of nine digits in four bytes, what is left in fewer; the first bit is turned, and all are where it is negative
 */
#define DIGITS_A_GROUP 9

static const guint8 bytes_of_digits[DIGITS_A_GROUP + 1] = {0, 1, 1, 2, 2, 3, 3, 4, 4, 4};

static void append_digits(GString *text, const guint8 **at, guint digits, guint8 mask)
{
    guint32 number = 0;

    for (guint i = 0; i < bytes_of_digits[digits]; i++)
        number = number << 8 | (guint8)(*(*at)++ ^ mask);
    if (digits > 0)
        g_string_append_printf(text, "%0*u", (int)digits, number);
}

/* A number without zeros in front, but one */
static void strip_zeros(GString *text, gsize from)
{
    gsize zeros = strspn(text->str + from, "0");

    if (text->str[from + zeros] == '\0' || text->str[from + zeros] == '.')
        zeros -= zeros > 0;
    g_string_erase(text, (gssize)from, (gssize)zeros);
}

static gboolean read_decimal(HbMyBytesLeft *bytes, guint16 meta, GString *text)
{
    const guint precision = meta & 0xff, scale = meta >> 8, whole = precision - scale;
    const gsize size = whole / DIGITS_A_GROUP * 4 + bytes_of_digits[whole % DIGITS_A_GROUP] +
                       scale / DIGITS_A_GROUP * 4 + bytes_of_digits[scale % DIGITS_A_GROUP];
    const guint8 *at;
    guint8 copy[64], mask;
    gsize from;

    if (precision > 65 || scale > precision || (at = hb_my_take_bytes(bytes, size)) == NULL || size == 0)
        return FALSE;
    memcpy(copy, at, size);
    mask = (copy[0] & 0x80) != 0 ? 0 : 0xff;
    copy[0] ^= 0x80;
    at = copy;
    if (mask != 0)
        g_string_append_c(text, '-');
    from = text->len;
    append_digits(text, &at, whole % DIGITS_A_GROUP, mask);
    for (guint i = 0; i < whole / DIGITS_A_GROUP; i++)
        append_digits(text, &at, DIGITS_A_GROUP, mask);
    if (whole == 0)
        g_string_append_c(text, '0');
    if (scale > 0)
        g_string_append_c(text, '.');
    for (guint i = 0; i < scale / DIGITS_A_GROUP; i++)
        append_digits(text, &at, DIGITS_A_GROUP, mask);
    append_digits(text, &at, scale % DIGITS_A_GROUP, mask);
    strip_zeros(text, from);
    return TRUE;
}

/* ---- Times ---- */

/* So many places of a second, in half as many bytes */
static void append_fraction(GString *text, guint64 fraction, guint places)
{
    if (places % 2 == 1)
        fraction /= 10;
    if (places > 0)
        g_string_append_printf(text, ".%0*" G_GUINT64_FORMAT, (int)places, fraction);
}

static gboolean read_date(HbMyBytesLeft *bytes, GString *text)
{
    const guint value = (guint)hb_my_take_number(bytes, 3);

    g_string_append_printf(text, "%04u-%02u-%02u", value >> 9, value >> 5 & 15, value & 31);
    return TRUE;
}

static gboolean read_year(HbMyBytesLeft *bytes, GString *text)
{
    const guint value = (guint)hb_my_take_number(bytes, 1);

    g_string_append_printf(text, "%04u", value > 0 ? 1900 + value : 0);
    return TRUE;
}

static gboolean read_timestamp(HbMyBytesLeft *bytes, guint places, GString *text)
{
    const time_t seconds = (time_t)take_big_endian(bytes, 4);
    const guint64 fraction = take_big_endian(bytes, (places + 1) / 2);
    char when[32];
    struct tm parts;

    if (seconds == 0)
        g_string_append(text, "0000-00-00 00:00:00");
    else if (gmtime_r(&seconds, &parts) == NULL || strftime(when, sizeof when, "%Y-%m-%d %H:%M:%S", &parts) == 0)
        return FALSE;
    else
        g_string_append(text, when);
    append_fraction(text, fraction, places);
    return TRUE;
}

static gboolean read_datetime(HbMyBytesLeft *bytes, guint places, GString *text)
{
    const guint64 packed = take_big_endian(bytes, 5) - G_GUINT64_CONSTANT(0x8000000000);
    const guint64 fraction = take_big_endian(bytes, (places + 1) / 2);
    const guint months = (guint)(packed >> 22 & 0x1ffff);

    g_string_append_printf(text, "%04u-%02u-%02u %02u:%02u:%02u", months / 13, months % 13, (guint)(packed >> 17 & 31),
                           (guint)(packed >> 12 & 31), (guint)(packed >> 6 & 63), (guint)(packed & 63));
    append_fraction(text, fraction, places);
    return TRUE;
}

static gboolean read_time(HbMyBytesLeft *bytes, guint places, GString *text)
{
    const gsize size = 3 + (places + 1) / 2;
    const guint bits = (guint)(8 * (size - 3));
    gint64 packed = (gint64)take_big_endian(bytes, size) - ((gint64)0x800000 << bits);
    guint64 whole, fraction;

    if (packed < 0)
        g_string_append_c(text, '-');
    packed = ABS(packed);
    whole = (guint64)packed >> bits;
    fraction = (guint64)packed & ((G_GUINT64_CONSTANT(1) << bits) - 1);
    g_string_append_printf(text, "%02u:%02u:%02u", (guint)(whole >> 12 & 0x3ff), (guint)(whole >> 6 & 63),
                           (guint)(whole & 63));
    append_fraction(text, fraction, places);
    return TRUE;
}

/* ---- Texts ---- */

/* The server's latin1 is Windows' code page 1252, in which five bytes that have no character stand for themselves */
static gunichar from_latin1(guint8 byte)
{
    static const guint16 upper[32] = {0x20ac, 0x81,   0x201a, 0x0192, 0x201e, 0x2026, 0x2020, 0x2021,
                                      0x02c6, 0x2030, 0x0160, 0x2039, 0x0152, 0x8d,   0x017d, 0x8f,
                                      0x90,   0x2018, 0x2019, 0x201c, 0x201d, 0x2022, 0x2013, 0x2014,
                                      0x02dc, 0x2122, 0x0161, 0x203a, 0x0153, 0x9d,   0x017e, 0x0178};

    return byte >= 0x80 && byte < 0xa0 ? upper[byte - 0x80] : byte;
}

/* As many bytes as the type has, where zeros at its end were left out */
static void refill(guint8 *whole, gsize size, const guint8 *at, gsize length)
{
    memset(whole, 0, size);
    memcpy(whole, at, MIN(length, size));
}

static void append_uuid(GString *text, const guint8 *bytes)
{
    for (guint i = 0; i < 16; i++)
        g_string_append_printf(text, i == 4 || i == 6 || i == 8 || i == 10 ? "-%02x" : "%02x", bytes[i]);
}

static void append_address(GString *text, const guint8 *bytes, int family)
{
    char printed[INET6_ADDRSTRLEN];

    g_string_append(text, inet_ntop(family, bytes, printed, sizeof printed) != NULL ? printed : "");
}

static gboolean append_bytes(GString *text, const guint8 *at, gsize length, gsize size, HbMyBytes bytes)
{
    guint8 whole[16];

    if (at == NULL)
        return FALSE;
    if (bytes == HB_MY_BYTES_UUID || bytes == HB_MY_BYTES_INET6 || bytes == HB_MY_BYTES_INET4)
        refill(whole, sizeof whole, at, length);
    switch (bytes) {
    case HB_MY_BYTES_LATIN1:
        for (gsize i = 0; i < length; i++)
            g_string_append_unichar(text, from_latin1(at[i]));
        break;
    case HB_MY_BYTES_UUID:
        append_uuid(text, whole);
        break;
    case HB_MY_BYTES_INET6:
        append_address(text, whole, AF_INET6);
        break;
    case HB_MY_BYTES_INET4:
        append_address(text, whole, AF_INET);
        break;
    default:
        g_string_append_len(text, (const char *)at, (gssize)length);
        for (gsize i = length; bytes == HB_MY_BYTES_PADDED && i < size; i++)
            g_string_append_c(text, '\0');
    }
    return TRUE;
}

/* A length in so many bytes, and what it counts; size: of the column, where that matters */
static gboolean read_bytes(HbMyBytesLeft *bytes, gsize length_size, gsize size, const HbMyLogColumn *column,
                           GString *text)
{
    const gsize length = (gsize)hb_my_take_number(bytes, length_size);

    return append_bytes(text, hb_my_take_bytes(bytes, length), length, size, column->bytes);
}

static gboolean read_enum(HbMyBytesLeft *bytes, gsize size, const HbMyLogColumn *column, GString *text)
{
    const guint64 number = hb_my_take_number(bytes, size);

    if (column->names == NULL || number > column->names->len)
        return FALSE;
    if (number > 0)
        g_string_append(text, column->names->pdata[number - 1]);
    return TRUE;
}

static gboolean read_set(HbMyBytesLeft *bytes, gsize size, const HbMyLogColumn *column, GString *text)
{
    const guint64 bits = hb_my_take_number(bytes, size);
    gboolean is_first = TRUE;

    if (column->names == NULL)
        return FALSE;
    for (guint i = 0; i < column->names->len && i < 64; i++) {
        if ((bits >> i & 1) == 0)
            continue;
        g_string_append_printf(text, "%s%s", is_first ? "" : ",", (const char *)column->names->pdata[i]);
        is_first = FALSE;
    }
    return TRUE;
}

/* ---- All types ---- */

/* A CHAR may be longer than a byte can say: two bits of its length are in the byte of its type, turned */
static gsize length_of_string(guint16 meta)
{
    const guint first = meta & 0xff, second = meta >> 8;

    return (first & 0x30) != 0x30 ? second | (((first & 0x30) ^ 0x30) << 4) : second;
}

guint8 hb_my_get_log_type(guint8 type, guint16 meta)
{
    const guint8 first = meta & 0xff;

    return type == HB_MY_LOG_STRING && (first & 0x30) == 0x30 ? first : type;
}

static gboolean read_string(HbMyBytesLeft *bytes, guint16 meta, const HbMyLogColumn *column, GString *text)
{
    const gsize length = length_of_string(meta);

    return read_bytes(bytes, length > 255 ? 2 : 1, length, column, text);
}

static gboolean read_bit(HbMyBytesLeft *bytes, guint16 meta, GString *text)
{
    const gsize size = (meta >> 8) + ((meta & 0xff) > 0);

    return append_bytes(text, hb_my_take_bytes(bytes, size), size, size, HB_MY_BYTES_PLAIN);
}

static gboolean read(HbMyBytesLeft *bytes, guint8 type, guint16 meta, const HbMyLogColumn *column, GString *text)
{
    switch (hb_my_get_log_type(type, meta)) {
    case HB_MY_LOG_TINY:
        return read_whole(bytes, 1, column, text);
    case HB_MY_LOG_SHORT:
        return read_whole(bytes, 2, column, text);
    case HB_MY_LOG_INT24:
        return read_whole(bytes, 3, column, text);
    case HB_MY_LOG_LONG:
        return read_whole(bytes, 4, column, text);
    case HB_MY_LOG_LONGLONG:
        return read_whole(bytes, 8, column, text);
    case HB_MY_LOG_FLOAT:
        return read_float(bytes, text);
    case HB_MY_LOG_DOUBLE:
        return read_double(bytes, text);
    case HB_MY_LOG_NEWDECIMAL:
        return read_decimal(bytes, meta, text);
    case HB_MY_LOG_DATE:
    case HB_MY_LOG_NEWDATE:
        return read_date(bytes, text);
    case HB_MY_LOG_YEAR:
        return read_year(bytes, text);
    case HB_MY_LOG_TIMESTAMP2:
        return meta <= 6 && read_timestamp(bytes, meta, text);
    case HB_MY_LOG_DATETIME2:
        return meta <= 6 && read_datetime(bytes, meta, text);
    case HB_MY_LOG_TIME2:
        return meta <= 6 && read_time(bytes, meta, text);
    case HB_MY_LOG_VARCHAR:
    case HB_MY_LOG_VAR_STRING:
        return read_bytes(bytes, meta > 255 ? 2 : 1, 0, column, text);
    case HB_MY_LOG_BIT:
        return read_bit(bytes, meta, text);
    case HB_MY_LOG_ENUM:
        return read_enum(bytes, meta >> 8, column, text);
    case HB_MY_LOG_SET:
        return read_set(bytes, meta >> 8, column, text);
    case HB_MY_LOG_BLOB:
    case HB_MY_LOG_GEOMETRY:
    case HB_MY_LOG_VECTOR:
        return meta >= 1 && meta <= 4 && read_bytes(bytes, meta, 0, column, text);
    case HB_MY_LOG_STRING:
        return read_string(bytes, meta, column, text);
    default:
        return FALSE;
    }
}

gboolean hb_my_read_log_value(HbMyBytesLeft *bytes, guint8 type, guint16 meta, const HbMyLogColumn *column,
                              GString *text)
{
    return read(bytes, type, meta, column, text) && !bytes->is_short;
}

GPtrArray *hb_my_read_list_type(const char *type)
{
    GPtrArray *names = g_ptr_array_new_with_free_func(g_free);
    const char *at = strchr(type, '(');

    while (at != NULL && (at = strchr(at, '\'')) != NULL) {
        GString *name = g_string_new(NULL);
        for (at++; *at != '\0' && !(*at == '\'' && at[1] != '\''); at++) {
            at += *at == '\'';
            g_string_append_c(name, *at);
        }
        g_ptr_array_add(names, g_string_free(name, FALSE));
        at = *at != '\0' ? at + 1 : NULL;
    }
    return names;
}
