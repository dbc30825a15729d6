/* SPDX-License-Identifier: Apache-2.0 */
#include "report/pieces.h"

#include "report/text.h"

#include <string.h>

#define LABEL_WIDTH 11
#define LIST_INDENT 6
#define LIST_WIDTH  118

void hb_piece_append_heading(GString *out, gboolean color, const char *text)
{
    g_autofree char *visible = hb_text_visible(text);

    hb_text_append_painted(out, color, HB_PAINT_STRONG, visible);
    g_string_append_c(out, '\n');
}

/* "  label      value" */
void hb_piece_append_fact(GString *out, gboolean color, const char *label, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *value = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    g_autofree char *visible = hb_text_visible(value);
    g_string_append(out, "  ");
    hb_text_append_painted(out, color, HB_PAINT_FAINT, label);
    hb_text_pad(out, (guint)strlen(label), LABEL_WIDTH);
    g_string_append_printf(out, "%s\n", visible);
}

/* The last line: what it all comes to */
void hb_piece_append_verdict(GString *out, gboolean color, gboolean good, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    hb_text_append_painted(out, color, good ? HB_PAINT_GOOD : HB_PAINT_BAD, text);
    g_string_append_c(out, '\n');
}

void hb_piece_append_list(GString *out, const char *label, const GPtrArray *names)
{
    guint width = LIST_INDENT + (guint)strlen(label) + 1;

    hb_text_pad(out, 0, LIST_INDENT);
    g_string_append_printf(out, "%s:", label);
    for (guint i = 0; i < names->len; i++) {
        g_autofree char *visible = hb_text_visible(names->pdata[i]);
        guint needed = hb_text_width(visible) + 2;
        if (width + needed > LIST_WIDTH) {
            g_string_append_c(out, '\n');
            hb_text_pad(out, 0, LIST_INDENT + 1);
            width = LIST_INDENT + 1;
        }
        g_string_append_printf(out, " %s%s", visible, i + 1 < names->len ? "," : "");
        width += needed;
    }
    g_string_append_c(out, '\n');
}
