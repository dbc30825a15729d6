/* SPDX-License-Identifier: Apache-2.0 */
#include "report/probes.h"

#include "report/pieces.h"
#include "report/table.h"

static void add_answer(HbResultTable *both, const char *side, const HbResultTable *answer)
{
    for (guint r = 0; r < answer->rows->len; r++) {
        const guint row = hb_result_table_add_row(both);
        hb_result_table_set(both, row, 0, side);
        for (guint c = 0; c < answer->columns->len && c + 1 < both->columns->len; c++)
            hb_result_table_set(both, row, c + 1, hb_result_table_get(answer, r, c));
    }
}

static void append_answers(GString *out, const HbAnswer *probe, gboolean color)
{
    const HbResultTable *form = probe->to != NULL ? probe->to : probe->from;
    g_autoptr(HbResultTable) both = hb_result_table_new("answers", NULL);

    hb_result_table_add_column(both, "side", "side", HB_COLUMN_TEXT);
    for (guint c = 0; c < form->columns->len; c++) {
        const HbColumn *column = form->columns->pdata[c];
        hb_result_table_add_column(both, column->key, column->title, HB_COLUMN_TEXT);
    }
    if (probe->from != NULL)
        add_answer(both, probe->same ? "both" : "FROM", probe->from);
    if (probe->to != NULL && !(probe->same && probe->from != NULL))
        add_answer(both, "TO", probe->to);
    hb_table_append(out, both, color);
}

/* In the server's words, which may hold anything; NULL: there is none */
static void append_refusal(GString *out, const char *side, const char *refusal)
{
    g_autofree char *visible = refusal != NULL ? hb_text_visible(refusal) : NULL;

    if (visible != NULL)
        g_string_append_printf(out, "      %-4s  %s\n", side, visible);
}

static void append_probe(GString *out, const HbAnswer *probe, gboolean color)
{
    g_autofree char *question = hb_text_visible(probe->question);

    g_string_append_printf(out, "  %s", question);
    if (!probe->same)
        hb_text_append_painted(out, color, HB_PAINT_BAD, "  answered otherwise");
    g_string_append_c(out, '\n');
    append_refusal(out, "FROM", probe->from_refusal);
    append_refusal(out, "TO", probe->to_refusal);
    if (probe->from != NULL || probe->to != NULL)
        append_answers(out, probe, color);
}

void hb_probes_append(GString *out, const GPtrArray *probes, gboolean color)
{
    if (probes->len == 0)
        return;
    hb_piece_append_heading(out, color, "Questions");
    for (guint i = 0; i < probes->len; i++)
        append_probe(out, probes->pdata[i], color);
}

char *hb_probes_count_others(const GPtrArray *probes)
{
    guint count = 0;

    for (guint i = 0; i < probes->len; i++)
        count += !((const HbAnswer *)probes->pdata[i])->same;
    g_autofree char *questions = hb_text_plural(count, "question", "questions");
    return count > 0 ? g_strdup_printf("%s answered otherwise", questions) : NULL;
}
