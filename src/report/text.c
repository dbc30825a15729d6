/* SPDX-License-Identifier: Apache-2.0 */
#include "report/text.h"

#include <string.h>

#define FOLD_INDENT 4 /* more than the line has that is broken */

static const char *const paints[] = {
    [HB_PAINT_PLAIN] = "",        [HB_PAINT_STRONG] = "\033[1m", [HB_PAINT_FAINT] = "\033[2m",
    [HB_PAINT_GOOD] = "\033[32m", [HB_PAINT_WARN] = "\033[33m",  [HB_PAINT_BAD] = "\033[31m"};

void hb_text_append_painted(GString *out, gboolean color, HbPaint paint, const char *text)
{
    if (!color || paint == HB_PAINT_PLAIN)
        g_string_append(out, text);
    else
        g_string_append_printf(out, "%s%s\033[0m", paints[paint], text);
}

/* C0 and C1 controls, and the marks that turn the direction of writing */
gboolean hb_text_is_harmful(gunichar c)
{
    return c < 0x20 || (c >= 0x7F && c < 0xA0) || (c >= 0x202A && c <= 0x202E) || (c >= 0x2066 && c <= 0x2069) ||
           c == 0x200E || c == 0x200F || c == 0x061C;
}

static void append_harmless(GString *out, gunichar c)
{
    if (!hb_text_is_harmful(c))
        g_string_append_unichar(out, c);
    else if (c == '\n')
        g_string_append(out, "\\n");
    else if (c == '\t')
        g_string_append(out, "\\t");
    else
        g_string_append_printf(out, c < 0x100 ? "\\x%02X" : "\\u%04X", c);
}

char *hb_text_visible(const char *text)
{
    GString *out = g_string_new(NULL);

    while (*text != '\0') {
        gunichar c = g_utf8_get_char_validated(text, -1);
        if (c == (gunichar)-1 || c == (gunichar)-2) {
            g_string_append_printf(out, "\\x%02X", (unsigned char)*text++);
            continue;
        }
        append_harmless(out, c);
        text = g_utf8_next_char(text);
    }
    return g_string_free(out, FALSE);
}

static guint width_of_character(const char *at)
{
    const gunichar character = g_utf8_get_char_validated(at, -1);

    if (character >= (gunichar)-2)
        return 1;
    return g_unichar_iszerowidth(character) ? 0 : g_unichar_iswide(character) ? 2 : 1;
}

/* Behind a colour's escape sequence, or where it stands if there is none */
static const char *skip_color(const char *at)
{
    if (at[0] != '\033' || at[1] != '[')
        return at;
    at += 2 + strcspn(at + 2, "m");
    return *at == 'm' ? at + 1 : at;
}

guint hb_text_width(const char *text)
{
    guint width = 0;

    while (*text != '\0') {
        const char *behind = skip_color(text);
        width += behind == text ? width_of_character(text) : 0;
        text = behind == text ? g_utf8_next_char(text) : behind;
    }
    return width;
}

/* Where to break a line that is too wide: behind as much of it as fits, at a blank; NULL: it fits, or has none */
static const char *find_break(const char *line, gsize length, guint indent, guint columns)
{
    const char *end = line + length, *last = NULL;
    guint width = 0;

    for (const char *at = line; at < end;) {
        const char *behind = skip_color(at);
        if (behind != at) {
            at = behind;
            continue;
        }
        width += width_of_character(at);
        if (width > columns)
            return last;
        if (*at == ' ' && (gsize)(at - line) > indent)
            last = at;
        at = MIN(g_utf8_next_char(at), end);
    }
    return NULL;
}

static void fold_line(GString *out, const char *line, gsize length, guint columns)
{
    const guint indent = (guint)strspn(line, " ");
    const guint hanging = MIN(indent + FOLD_INDENT, columns / 2);
    const char *at;

    for (guint room = columns, skipped = indent; (at = find_break(line, length, skipped, room)) != NULL;
         room = columns - hanging, skipped = 0) {
        g_string_append_len(out, line, at - line);
        g_string_append_printf(out, "\n%*s", (int)hanging, "");
        length -= (gsize)(at + 1 - line);
        line = at + 1;
    }
    g_string_append_len(out, line, (gssize)length);
}

char *hb_text_fold(const char *text, guint columns)
{
    GString *out = g_string_new(NULL);

    while (*text != '\0') {
        const gsize length = strcspn(text, "\n");
        fold_line(out, text, length, columns);
        text += length;
        if (*text == '\n') {
            g_string_append_c(out, '\n');
            text++;
        }
    }
    return g_string_free(out, FALSE);
}

void hb_text_pad(GString *out, guint have, guint want)
{
    for (; have < want; have++)
        g_string_append_c(out, ' ');
}

char *hb_text_count(guint64 number)
{
    g_autofree char *digits = g_strdup_printf("%" G_GUINT64_FORMAT, number);
    gsize length = strlen(digits);
    GString *out = g_string_new(NULL);

    for (gsize i = 0; i < length; i++) {
        if (i > 0 && (length - i) % 3 == 0)
            g_string_append_c(out, ',');
        g_string_append_c(out, digits[i]);
    }
    return g_string_free(out, FALSE);
}

char *hb_text_bytes(guint64 bytes)
{
    static const char *const units[] = {"B", "kB", "MB", "GB", "TB", "PB"};
    double value = (double)bytes;
    gsize unit = 0;

    while (value >= 999.5 && unit + 1 < G_N_ELEMENTS(units)) {
        value /= 1000;
        unit++;
    }
    return g_strdup_printf(unit > 0 && value < 99.95 ? "%.1f %s" : "%.0f %s", value, units[unit]);
}

char *hb_text_duration(double seconds)
{
    guint64 whole = (guint64)(seconds + 0.5);

    if (seconds < 10)
        return g_strdup_printf("%.1f s", seconds);
    if (whole < 60)
        return g_strdup_printf("%d s", (int)whole);
    if (whole < 3600)
        return g_strdup_printf("%d:%02d min", (int)(whole / 60), (int)(whole % 60));
    return g_strdup_printf("%d:%02d:%02d h", (int)(whole / 3600), (int)(whole / 60 % 60), (int)(whole % 60));
}

char *hb_text_plural(guint64 number, const char *one, const char *many)
{
    g_autofree char *count = hb_text_count(number);

    return g_strdup_printf("%s %s", count, number == 1 ? one : many);
}
