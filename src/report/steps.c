/* SPDX-License-Identifier: Apache-2.0 */
#include "report/steps.h"

#include "report/pieces.h"
#include "report/text.h"

typedef void (*Visit)(gpointer data, const char *name, const HbStep *step); /* step: NULL of rows that are carried */

static gboolean comes_after_rows(const HbStep *step)
{
    return step->type == HB_STEP_TYPE_ANALYZE || (step->object != NULL && step->object->stage > HB_STAGE_ROWS);
}

/* Rows of a supply come by themselves, between two walks through the steps */
static void visit_rows(const HbRestore *restore, Visit visit, gpointer data)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(hb_restore_get_manifest(restore)->catalog);

    for (guint i = 0; i < sets->len; i++)
        visit(data, ((const HbRowSet *)sets->pdata[i])->identity, NULL);
}

static void visit_all(const HbRestore *restore, Visit visit, gpointer data)
{
    const GPtrArray *steps = hb_restore_get_steps(restore)->steps;
    gboolean rows_are_due = hb_restore_is_carried(restore);

    for (guint i = 0; i < steps->len; i++) {
        const HbStep *step = steps->pdata[i];
        if (step->type == HB_STEP_TYPE_MILESTONE)
            continue;
        if (rows_are_due && comes_after_rows(step)) {
            visit_rows(restore, visit, data);
            rows_are_due = FALSE;
        }
        if (!hb_restore_is_noted(restore, step->key)) /* by the run that is resumed */
            visit(data, step->key, step);
    }
    if (rows_are_due)
        visit_rows(restore, visit, data);
}

/* ---- For people ---- */

typedef struct {
    GString *out;
    gboolean color;
    guint count;
} Page;

static void append_statements(Page *page, const char *sql)
{
    g_auto(GStrv) lines = g_strsplit(sql, "\n", -1);

    for (char **line = lines; *line != NULL; line++) {
        g_autofree char *visible = hb_text_visible(*line);
        g_autofree char *indented = g_strconcat("           ", visible, "\n", NULL);
        if (*visible != '\0')
            hb_text_append_painted(page->out, page->color, HB_PAINT_FAINT, indented);
    }
}

static void append_step(gpointer data, const char *name, const HbStep *step)
{
    Page *page = data;
    g_autofree char *visible = hb_text_visible(name);
    g_autofree char *bytes = step != NULL && step->chunk != NULL ? hb_text_bytes(step->chunk->bytes) : NULL;

    g_string_append_printf(page->out, "%7u  %s%s%s\n", ++page->count, visible, bytes != NULL ? "  " : "",
                           bytes != NULL ? bytes : "");
    if (step != NULL && step->type == HB_STEP_TYPE_CLEANUP)
        append_statements(page, step->sql);
}

char *hb_restore_plan_page(const HbRestore *restore, gboolean color)
{
    Page page = {g_string_new(NULL), color, 0};

    hb_piece_append_heading(page.out, color, "Steps");
    visit_all(restore, append_step, &page);
    g_autofree char *all = hb_text_plural(page.count, "step", "steps");
    hb_piece_append_verdict(page.out, color, TRUE, "Nothing was done. There are %s", all);
    return g_string_free(page.out, FALSE);
}

/* ---- For programs ---- */

static void add_name(gpointer data, const char *name, const HbStep *step)
{
    (void)step;
    g_ptr_array_add(data, g_strdup(name));
}

GPtrArray *hb_restore_plan_list(const HbRestore *restore)
{
    GPtrArray *names = g_ptr_array_new_with_free_func(g_free);

    visit_all(restore, add_name, names);
    return names;
}
