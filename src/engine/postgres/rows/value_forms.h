/* SPDX-License-Identifier: Apache-2.0 */
/*
 * value_forms - the text of a value, put into the binary form of its type. Pure.
 *
 * The text is what a session of ours reads (see session/session.h): ISO dates, UTC, shortest exact floats, hex bytea.
 * The forms are those that the types' receive functions take from COPY's binary format and that have been the same
 * since version 9: whole numbers and floats in network byte order, dates in days and times in microseconds since 2000,
 * numeric in digits of base 10,000. See the functions of the types (int4recv, numeric_recv, ...) in the server's
 * source.
 *
 * What a form cannot hold for certain, it refuses; the server then reads the text itself.
 */
#pragma once

#include <glib.h>
#include <string.h>

/*
 * Appends the form to binary. text[length] can be read and is no part of the value (NUL, tab or newline). FALSE: this
 * text is refused, and what was appended is of no use
 */
typedef gboolean (*HbPgToBinary)(const char *text, gsize length, GString *binary);

/* Of a type, by the name of its internal receive function: "int4recv". NULL: there is none */
HbPgToBinary hb_pg_find_value_form(const char *receiver);

/* Appends a number of 2, 4 or 8 bytes in network byte order; for speed it does not end the string with a NUL */
static inline void hb_pg_append_number(GString *binary, gint64 number, guint bytes)
{
    const guint64 big = GUINT64_TO_BE((guint64)number << (64 - 8 * bytes));

    if (binary->len + sizeof big >= binary->allocated_len) {
        const gsize length = binary->len;
        g_string_set_size(binary, length + 4096);
        binary->len = length;
    }
    memcpy(binary->str + binary->len, &big, sizeof big);
    binary->len += bytes;
}
