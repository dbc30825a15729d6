/* SPDX-License-Identifier: Apache-2.0 */
#include "report/pages.h"

#include "report/pieces.h"
#include "report/probes.h"
#include "report/text.h"

#include <string.h>

static void append_side(GString *out, gboolean color, const char *label, const char *text)
{
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);

    for (char **line = lines; *line != NULL; line++) {
        g_autofree char *visible = hb_text_visible(*line);
        g_string_append(out, "      ");
        hb_text_append_painted(out, color, HB_PAINT_FAINT, line == lines ? label : "    ");
        g_string_append_printf(out, "  %s\n", visible);
    }
}

static void append_line(GString *out, gboolean color, const char *label, const char *text)
{
    g_autofree char *visible = hb_text_visible(text);

    g_string_append(out, "      ");
    hb_text_append_painted(out, color, HB_PAINT_FAINT, label);
    g_string_append_printf(out, "  %s\n", visible);
}

static char *count_fates(const HbRowDifference *rows)
{
    GString *text = g_string_new(NULL);

    for (int fate = 0; fate < HB_ROW_FATES; fate++) {
        g_autofree char *count = hb_text_count(rows->counts[fate]);
        if (rows->counts[fate] > 0)
            g_string_append_printf(text, "%s%s%s %s", text->len > 0 ? ", " : "", rows->one_in > 1 ? "about " : "",
                                   count, hb_row_fate_get_name((HbRowFate)fate));
    }
    if (rows->one_in > 1)
        g_string_append_printf(text, ", estimated from one in %u", rows->one_in);
    return g_string_free(text, FALSE);
}

static void append_values(GString *out, gboolean color, const HbRowDifference *rows, const HbNamedRow *row)
{
    static const char *const sides[] = {"FROM", "TO  "};

    for (int of_to = 0; of_to < 2; of_to++) {
        g_autofree char *values = hb_row_difference_describe(rows, row, of_to);
        g_autofree char *line = values != NULL ? g_strdup_printf("  %s  %s", sides[of_to], values) : NULL;
        if (line != NULL)
            append_line(out, color, "    ", line);
    }
}

static char *name_row(const HbRowDifference *rows, const HbNamedRow *row)
{
    g_autofree char *name = hb_row_difference_name_row(rows, row);
    GString *text = g_string_new(NULL);

    g_string_printf(text, "%-7s  %s", hb_row_fate_get_name(row->fate), name != NULL ? name : "(without a key)");
    if (row->count > 1)
        g_string_append_printf(text, ", %" G_GUINT64_FORMAT " times", row->count);
    return g_string_free(text, FALSE);
}

/* Without a key only its values tell anything of a row */
static gboolean is_told(const HbNamedRow *row)
{
    return row->key != NULL || row->from != NULL || row->to != NULL;
}

static void append_rows(GString *out, gboolean color, const HbRowDifference *rows, guint rows_max)
{
    g_autofree char *counts = count_fates(rows);
    guint told = 0, shown = 0;

    append_line(out, color, "rows", counts);
    for (guint i = 0; i < rows->rows->len; i++) {
        const HbNamedRow *row = rows->rows->pdata[i];
        told += is_told(row);
        if (!is_told(row) || shown == rows_max)
            continue;
        g_autofree char *line = name_row(rows, row);
        append_line(out, color, "    ", line);
        append_values(out, color, rows, row);
        shown++;
    }
    if (told > shown && shown > 0) {
        g_autofree char *rest = hb_text_count(told - shown), *line = g_strdup_printf("and %s more", rest);
        append_line(out, color, "    ", line);
    }
}

void hb_page_append_difference(GString *out, gboolean color, const HbDifference *difference, guint rows_max)
{
    static const char *const texts[HB_DIFFERENCE_COUNT] = {[HB_DIFFERENCE_MISSING] = "missing in TO",
                                                           [HB_DIFFERENCE_EXTRA] = "only in TO",
                                                           [HB_DIFFERENCE_DEFINITION] = "defined differently",
                                                           [HB_DIFFERENCE_OWNER] = "owned by another",
                                                           [HB_DIFFERENCE_ROWS] = "other rows"};
    g_autofree char *identity = hb_text_visible(difference->identity);

    g_string_append_printf(out, "  %s: ", identity);
    hb_text_append_painted(out, color, HB_PAINT_BAD, texts[difference->type]);
    g_string_append_c(out, '\n');
    if (difference->from != NULL)
        append_side(out, color, "FROM", difference->from);
    if (difference->to != NULL)
        append_side(out, color, "TO  ", difference->to);
    if (difference->rows != NULL)
        append_rows(out, color, difference->rows, rows_max);
}

static void append_remarks(GString *out, gboolean color, const char *title, const GPtrArray *names, const char *why)
{
    if (names->len == 1)
        hb_piece_append_fact(out, color, title, "%s: %s", (const char *)names->pdata[0], why);
    if (names->len < 2)
        return;
    hb_piece_append_fact(out, color, title, "%u: %s", names->len, why);
    hb_piece_append_list(out, "these", names);
}

char *hb_page_verification(const HbVerification *verification, guint rows_max, gboolean color)
{
    GString *out = g_string_new(NULL);
    g_autofree char *objects = hb_text_plural(verification->objects, "object", "objects");
    g_autofree char *rows = hb_text_plural(verification->rows, "row", "rows");
    g_autofree char *tables = hb_text_plural(verification->tables, "table", "tables");
    g_autofree char *count = hb_text_plural(verification->differences->len, "difference", "differences");

    hb_piece_append_heading(out, color, "Verification");
    hb_piece_append_fact(out, color, "compared", "%s; every row of %s (%s)", objects, tables, rows);
    append_remarks(out, color, "not", verification->unread, "cannot be read on one side");
    append_remarks(out, color, "not", verification->ignored, "has another name in TO, and may be another user there");
    append_remarks(out, color, "not", verification->translated, "cannot be the same in the other product");
    append_remarks(out, color, "only in TO", verification->only_in_to, "the server's own, and no difference");
    for (guint i = 0; i < verification->differences->len; i++)
        hb_page_append_difference(out, color, verification->differences->pdata[i], rows_max);
    hb_probes_append(out, verification->probes, color);
    g_autofree char *others = hb_probes_count_others(verification->probes);
    if (hb_verification_is_equal(verification))
        hb_piece_append_verdict(out, color, TRUE, "Equal: TO holds what FROM holds");
    else
        hb_piece_append_verdict(out, color, FALSE, "Different: %s%s%s", count, others != NULL ? ", " : "",
                                others != NULL ? others : "");
    return g_string_free(out, FALSE);
}
