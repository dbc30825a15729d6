/* SPDX-License-Identifier: Apache-2.0 */
#include "core/rows/row_text.h"

#include <string.h>

char hb_row_text_unescape(char letter)
{
    static const char letters[] = "bfnrtv0", bytes[] = "\b\f\n\r\t\v";
    const char *at = letter != '\0' ? strchr(letters, letter) : NULL;

    return at != NULL ? bytes[at - letters] : letter;
}

static void append_escape(GString *text, char byte)
{
    static const char bytes[] = "\b\f\n\r\t\v\\", letters[] = "bfnrtv\\";
    const char *at = byte != '\0' ? strchr(bytes, byte) : NULL;

    if (at != NULL)
        g_string_append_c(text, '\\');
    g_string_append_c(text, at != NULL ? letters[at - bytes] : byte);
}

void hb_row_text_append(GString *text, const char *bytes, gsize length)
{
    gsize plain = 0;

    for (gsize i = 0; i < length; i++) {
        if ((guchar)bytes[i] > '\r' && bytes[i] != '\\')
            continue;
        g_string_append_len(text, bytes + plain, (gssize)(i - plain));
        append_escape(text, bytes[i]);
        plain = i + 1;
    }
    g_string_append_len(text, bytes + plain, (gssize)(length - plain));
}
