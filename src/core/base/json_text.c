/* SPDX-License-Identifier: Apache-2.0 */
#include "core/base/json_text.h"

#include <string.h>

#define BYTES_BEGIN 0x10FE00
#define BYTES_END   0x10FEFF
#define LEAD_BYTE   0xF4 /* that the characters between begin with in UTF-8, with few others: most texts have none */

static gboolean stands_for_byte(gunichar c)
{
    return c >= BYTES_BEGIN + 0x80 && c <= BYTES_END;
}

/* Bytes of the character at text; 1 where there is none */
static gsize length_of(const char *text, gunichar *c)
{
    *c = g_utf8_get_char_validated(text, -1);
    return *c >= (gunichar)-2 ? 1 : (gsize)(g_utf8_next_char(text) - text);
}

char *hb_json_text_write(const char *text)
{
    GString *json;

    if (strchr(text, LEAD_BYTE) == NULL && g_utf8_validate(text, -1, NULL))
        return g_strdup(text);
    json = g_string_new(NULL);
    while (*text != '\0') {
        gunichar c;
        gsize length = length_of(text, &c);
        if (c < (gunichar)-2 && !stands_for_byte(c)) {
            g_string_append_len(json, text, (gssize)length);
        } else {
            for (gsize i = 0; i < length; i++)
                g_string_append_unichar(json, BYTES_BEGIN + (guchar)text[i]);
        }
        text += length;
    }
    return g_string_free(json, FALSE);
}

char *hb_json_text_read(const char *json)
{
    GString *text;

    if (strchr(json, LEAD_BYTE) == NULL)
        return g_strdup(json);
    text = g_string_new(NULL);
    while (*json != '\0') {
        gunichar c;
        gsize length = length_of(json, &c);
        if (c < (gunichar)-2 && stands_for_byte(c))
            g_string_append_c(text, (char)(c - BYTES_BEGIN));
        else
            g_string_append_len(text, json, (gssize)length);
        json += length;
    }
    return g_string_free(text, FALSE);
}
