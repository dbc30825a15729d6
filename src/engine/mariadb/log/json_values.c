/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/log/json_values.h"

#include "engine/mariadb/log/row_values.h"

#include <math.h>
#include <string.h>

/* The server takes no deeper values */
#define DEPTH_MAX 100

typedef enum {
    SMALL_OBJECT,
    LARGE_OBJECT,
    SMALL_ARRAY,
    LARGE_ARRAY,
    LITERAL,
    INT16,
    UINT16,
    INT32,
    UINT32,
    INT64,
    UINT64,
    DOUBLE,
    STRING,
    OPAQUE = 15
} Type;

static gboolean read_value(Type type, const guint8 *bytes, gsize length, guint depth, GString *text);

/* ---- Texts ---- */

static void append_string(GString *text, const char *at, gsize length)
{
    static const char plain[] = "\b\f\n\r\t\"\\", letters[] = "bfnrt\"\\";

    g_string_append_c(text, '"');
    for (gsize i = 0; i < length; i++) {
        const char *known = at[i] != '\0' ? strchr(plain, at[i]) : NULL;
        if (known != NULL)
            g_string_append_printf(text, "\\%c", letters[known - plain]);
        else if ((guint8)at[i] < 0x20)
            g_string_append_printf(text, "\\u%04x", (guint)(guint8)at[i]);
        else
            g_string_append_c(text, at[i]);
    }
    g_string_append_c(text, '"');
}

/* Seven bits a byte, the lowest first; the eighth says that more follow */
static gboolean take_size(HbMyBytesLeft *left, gsize *size)
{
    *size = 0;
    for (guint i = 0; i < 5; i++) {
        const guint64 byte = hb_my_take_number(left, 1);
        *size |= (gsize)(byte & 0x7f) << (7 * i);
        if ((byte & 0x80) == 0)
            return !left->is_short && *size <= (gsize)(left->end - left->at);
    }
    return FALSE;
}

static gboolean read_string(HbMyBytesLeft *left, GString *text)
{
    gsize size;

    if (!take_size(left, &size))
        return FALSE;
    append_string(text, (const char *)left->at, size);
    return TRUE;
}

/* ---- Numbers ---- */

static gboolean read_whole(HbMyBytesLeft *left, gsize size, gboolean is_unsigned, GString *text)
{
    const HbMyLogColumn column = {.is_unsigned = is_unsigned};
    const guint8 type = size == 2 ? HB_MY_LOG_SHORT : size == 4 ? HB_MY_LOG_LONG : HB_MY_LOG_LONGLONG;

    return hb_my_read_log_value(left, type, 0, &column, text);
}

/* One that has no fraction must not seem a whole number, which would be another type */
static gboolean read_double(HbMyBytesLeft *left, GString *text)
{
    const guint64 bits = hb_my_take_number(left, 8);
    char digits[G_ASCII_DTOSTR_BUF_SIZE];
    double number;

    memcpy(&number, &bits, sizeof number);
    g_ascii_formatd(digits, sizeof digits, "%.17g", number);
    g_string_append(text, digits);
    if (strpbrk(digits, ".e") == NULL)
        g_string_append(text, ".0");
    return !left->is_short && isfinite(number);
}

static gboolean read_literal(HbMyBytesLeft *left, GString *text)
{
    static const char *const words[] = {"null", "true", "false"};
    const guint64 which = hb_my_take_number(left, 1);

    if (left->is_short || which >= G_N_ELEMENTS(words))
        return FALSE;
    g_string_append(text, words[which]);
    return TRUE;
}

/* ---- Values of types that JSON has not ---- */

#define MYSQL_TIMESTAMP 7
#define MYSQL_DATE      10
#define MYSQL_TIME      11
#define MYSQL_DATETIME  12

/* As a DATETIME(6) is packed: months (13 a year), days, hours, minutes, seconds, microseconds */
static void append_moment(GString *text, gint64 packed, guint8 type)
{
    const gboolean is_negative = packed < 0;
    const guint64 value = (guint64)(is_negative ? -packed : packed), whole = value >> 24, micro = value & 0xffffff;
    const guint months = (guint)(whole >> 22 & 0x1ffff), day = (guint)(whole >> 17 & 31);

    if (type == MYSQL_TIME) {
        g_string_append_printf(text, "\"%s%02u:%02u:%02u.%06u\"", is_negative ? "-" : "", (guint)(whole >> 12 & 0x3ff),
                               (guint)(whole >> 6 & 63), (guint)(whole & 63), (guint)micro);
        return;
    }
    g_string_append_printf(text, "\"%04u-%02u-%02u", months / 13, months % 13, day);
    if (type != MYSQL_DATE)
        g_string_append_printf(text, " %02u:%02u:%02u.%06u", (guint)(whole >> 12 & 31), (guint)(whole >> 6 & 63),
                               (guint)(whole & 63), (guint)micro);
    g_string_append_c(text, '"');
}

static gboolean read_decimal(HbMyBytesLeft *left, GString *text)
{
    static const HbMyLogColumn column = {0};
    const guint64 meta = hb_my_take_number(left, 2);

    return !left->is_short && hb_my_read_log_value(left, HB_MY_LOG_NEWDECIMAL, (guint16)meta, &column, text);
}

static gboolean read_opaque(HbMyBytesLeft *left, GString *text)
{
    const guint8 type = (guint8)hb_my_take_number(left, 1);
    g_autofree char *encoded = NULL;
    gsize size;

    if (!take_size(left, &size))
        return FALSE;
    left->end = left->at + size;
    if (type == HB_MY_LOG_NEWDECIMAL)
        return read_decimal(left, text);
    if (type == MYSQL_TIMESTAMP || type == MYSQL_DATE || type == MYSQL_TIME || type == MYSQL_DATETIME) {
        append_moment(text, (gint64)hb_my_take_number(left, 8), type);
        return !left->is_short;
    }
    encoded = g_base64_encode(left->at, size);
    g_string_append_printf(text, "\"base64:type%u:%s\"", type, encoded);
    return TRUE;
}

/* ---- Objects and arrays ---- */

/* What stands in the place of where it would be */
static gboolean is_inside(Type type, gboolean is_large)
{
    return type == LITERAL || type == INT16 || type == UINT16 || (is_large && (type == INT32 || type == UINT32));
}

static gboolean read_key(HbMyBytesLeft *entry, const guint8 *bytes, gsize length, gsize width, GString *text)
{
    const guint64 at = hb_my_take_number(entry, width), size = hb_my_take_number(entry, 2);

    if (entry->is_short || at > length || size > length - at)
        return FALSE;
    append_string(text, (const char *)bytes + at, (gsize)size);
    g_string_append(text, ": ");
    return TRUE;
}

static gboolean read_member(HbMyBytesLeft *entry, const guint8 *bytes, gsize length, gsize width, guint depth,
                            GString *text)
{
    const Type type = (Type)hb_my_take_number(entry, 1);
    const guint8 *place = hb_my_take_bytes(entry, width);
    HbMyBytesLeft number = {place, place != NULL ? place + width : NULL, FALSE};
    guint64 at;

    if (place == NULL)
        return FALSE;
    if (is_inside(type, width == 4))
        return read_value(type, place, width, depth, text);
    at = hb_my_take_number(&number, width);
    return at < length && read_value(type, bytes + at, length - (gsize)at, depth, text);
}

static gboolean read_members(const guint8 *bytes, gsize length, gboolean is_object, gsize width, guint depth,
                             GString *text)
{
    HbMyBytesLeft head = {bytes, bytes + length, FALSE}, values;
    const guint64 count = hb_my_take_number(&head, width), size = hb_my_take_number(&head, width);
    const gsize key_entry = is_object ? width + 2 : 0;

    if (head.is_short || size > length || count > length || depth >= DEPTH_MAX)
        return FALSE;
    values = head;
    if (hb_my_take_bytes(&values, (gsize)count * key_entry) == NULL)
        return FALSE;
    g_string_append_c(text, is_object ? '{' : '[');
    for (guint64 i = 0; i < count; i++) {
        g_string_append(text, i > 0 ? ", " : "");
        if ((is_object && !read_key(&head, bytes, (gsize)size, width, text)) ||
            !read_member(&values, bytes, (gsize)size, width, depth + 1, text))
            return FALSE;
    }
    g_string_append_c(text, is_object ? '}' : ']');
    return TRUE;
}

static gboolean read_value(Type type, const guint8 *bytes, gsize length, guint depth, GString *text)
{
    HbMyBytesLeft left = {bytes, bytes + length, FALSE};

    switch (type) {
    case SMALL_OBJECT:
    case LARGE_OBJECT:
        return read_members(bytes, length, TRUE, type == LARGE_OBJECT ? 4 : 2, depth, text);
    case SMALL_ARRAY:
    case LARGE_ARRAY:
        return read_members(bytes, length, FALSE, type == LARGE_ARRAY ? 4 : 2, depth, text);
    case LITERAL:
        return read_literal(&left, text);
    case INT16:
    case UINT16:
        return read_whole(&left, 2, type == UINT16, text);
    case INT32:
    case UINT32:
        return read_whole(&left, 4, type == UINT32, text);
    case INT64:
    case UINT64:
        return read_whole(&left, 8, type == UINT64, text);
    case DOUBLE:
        return read_double(&left, text);
    case STRING:
        return read_string(&left, text);
    case OPAQUE:
        return read_opaque(&left, text);
    default:
        return FALSE;
    }
}

/* A value of no bytes is what older servers made of one that was not there */
gboolean hb_my_read_json(const guint8 *bytes, gsize length, GString *text)
{
    if (length == 0) {
        g_string_append(text, "null");
        return TRUE;
    }
    return read_value((Type)bytes[0], bytes + 1, length - 1, 0, text);
}
