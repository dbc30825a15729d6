/* SPDX-License-Identifier: Apache-2.0 */
#include "report/pages.h"

#include "report/pieces.h"
#include "report/probes.h"
#include "report/text.h"

#include <string.h>

/* Up to so many differences are listed as they are; of more, the first of each group */
#define ALL_SHOWN      12
#define OF_GROUP_SHOWN 3

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

static const char *const texts[HB_DIFFERENCE_COUNT] = {[HB_DIFFERENCE_MISSING] = "missing in TO",
                                                       [HB_DIFFERENCE_EXTRA] = "only in TO",
                                                       [HB_DIFFERENCE_DEFINITION] = "defined differently",
                                                       [HB_DIFFERENCE_OWNER] = "owned by another",
                                                       [HB_DIFFERENCE_ROWS] = "other rows"};

static void append_difference(GString *out, gboolean color, const HbDifference *difference, guint rows_max)
{
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

/* Differences of one type, in objects of one kind */
typedef struct {
    HbDifferenceType type;
    char *kind;
    GPtrArray *members; /* const HbDifference * */
} Group;

static void group_free(gpointer data)
{
    Group *group = data;

    g_free(group->kind);
    g_ptr_array_unref(group->members);
    g_free(group);
}

static gint compare_groups(gconstpointer one, gconstpointer other)
{
    const Group *a = *(Group *const *)one, *b = *(Group *const *)other;

    return a->type != b->type ? (gint)a->type - (gint)b->type : strcmp(a->kind, b->kind);
}

/* By type, then by kind; within a group in their order. The caller's */
static GPtrArray *group(const GPtrArray *differences)
{
    GPtrArray *groups = g_ptr_array_new_with_free_func(group_free);
    g_autoptr(GHashTable) known = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < differences->len; i++) {
        const HbDifference *one = differences->pdata[i];
        g_autofree char *kind = g_strndup(one->identity, strcspn(one->identity, " "));
        char *key = g_strdup_printf("%d %s", (int)one->type, kind);
        Group *its = g_hash_table_lookup(known, key);
        if (its == NULL) {
            its = g_new0(Group, 1);
            *its = (Group){one->type, g_steal_pointer(&kind), g_ptr_array_new()};
            g_ptr_array_add(groups, its);
            g_hash_table_insert(known, g_steal_pointer(&key), its);
        }
        g_ptr_array_add(its->members, differences->pdata[i]);
        g_free(key);
    }
    g_ptr_array_sort(groups, compare_groups);
    return groups;
}

/* "  missing in TO         12 table, 240 index", a line for each type */
static void append_overview(GString *out, gboolean color, const GPtrArray *groups)
{
    for (guint i = 0; i < groups->len; i++) {
        const Group *one = groups->pdata[i];
        const gboolean begins = i == 0 || ((const Group *)groups->pdata[i - 1])->type != one->type;
        g_autofree char *count = hb_text_count(one->members->len), *kind = hb_text_visible(one->kind);
        if (begins) {
            g_string_append(out, i == 0 ? "  " : "\n  ");
            hb_text_append_painted(out, color, HB_PAINT_BAD, texts[one->type]);
            g_string_append_printf(out, "%*s", (int)(sizeof "defined differently  " - 1 - strlen(texts[one->type])),
                                   "");
        }
        g_string_append_printf(out, "%s%s %s", begins ? "" : ", ", kind, count);
    }
    g_string_append_c(out, '\n');
}

static void append_group(GString *out, gboolean color, const Group *one, guint rows_max, gboolean all)
{
    const guint shown = all ? one->members->len : MIN(one->members->len, OF_GROUP_SHOWN);

    for (guint i = 0; i < shown; i++)
        append_difference(out, color, one->members->pdata[i], rows_max);
    if (one->members->len > shown) {
        g_autofree char *rest = hb_text_count(one->members->len - shown), *kind = hb_text_visible(one->kind);
        g_string_append_printf(out, "  and %s more of kind %s: %s\n", rest, kind, texts[one->type]);
    }
}

void hb_page_append_differences(GString *out, gboolean color, const GPtrArray *differences, guint rows_max,
                                gboolean all)
{
    g_autoptr(GPtrArray) groups = differences->len > ALL_SHOWN ? group(differences) : NULL;

    for (guint i = 0; groups == NULL && i < differences->len; i++)
        append_difference(out, color, differences->pdata[i], rows_max);
    if (groups == NULL)
        return;
    append_overview(out, color, groups);
    g_string_append_c(out, '\n');
    for (guint i = 0; i < groups->len; i++)
        append_group(out, color, groups->pdata[i], rows_max, all);
    if (!all)
        g_string_append(out, "  (--verbose and --json name all of them)\n");
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

/* What comes first, for it explains most of the rest */
static void append_unfinished(GString *out, gboolean color, const HbVerification *verification)
{
    if (verification->unfinished == NULL)
        return;
    g_autofree char *id = hb_text_visible(verification->unfinished);
    g_autofree char *steps = hb_text_plural(verification->steps_done, "step", "steps");

    g_string_append(out, "  ");
    hb_text_append_painted(out, color, HB_PAINT_BAD, "TO is unfinished");
    g_string_append_printf(
        out,
        ": what was to be written into it broke off, or is at work; %s done (work %s).\n"
        "    restore --resume, carry --resume or freshen goes on where it ended; what is missing until"
        " then stands below\n",
        steps, id);
}

char *hb_page_verification(const HbVerification *verification, guint rows_max, gboolean all, gboolean color)
{
    GString *out = g_string_new(NULL);
    g_autofree char *objects = hb_text_plural(verification->objects, "object", "objects");
    g_autofree char *rows = hb_text_plural(verification->rows, "row", "rows");
    g_autofree char *tables = hb_text_plural(verification->tables, "table", "tables");
    g_autofree char *count = hb_text_plural(verification->differences->len, "difference", "differences");

    hb_piece_append_heading(out, color, "Verification");
    append_unfinished(out, color, verification);
    hb_piece_append_fact(out, color, "compared", "%s; every row of %s (%s)", objects, tables, rows);
    append_remarks(out, color, "not", verification->unread, "not read on one side");
    append_remarks(out, color, "not", verification->ignored, "has another name in TO, and may be another user there");
    append_remarks(out, color, "not", verification->translated, "cannot be the same in TO");
    append_remarks(out, color, "only in TO", verification->only_in_to, "the server's own, and no difference");
    hb_page_append_differences(out, color, verification->differences, rows_max, all);
    hb_probes_append(out, verification->probes, color);
    g_autofree char *others = hb_probes_count_others(verification->probes);
    if (hb_verification_is_equal(verification))
        hb_piece_append_verdict(out, color, TRUE, "Equal: TO holds what FROM holds");
    else
        hb_piece_append_verdict(out, color, FALSE, "Different: %s%s%s", count, others != NULL ? ", " : "",
                                others != NULL ? others : "");
    return g_string_free(out, FALSE);
}
