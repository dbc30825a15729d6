/* SPDX-License-Identifier: Apache-2.0 */
#include "core/compare/column_compat.h"

#include "core/base/findings.h"

#include <string.h>

/* ---- Definitions ---- */

/* What the line says after the column's name; NULL if it is about something else */
static const char *skip_name(const char *line, const char *column)
{
    const gboolean is_ticked = *line == '`' && *column != '`';
    const gsize length = strlen(column);

    line += is_ticked;
    if (strncmp(line, column, length) != 0)
        return NULL;
    line += length;
    if (is_ticked && *line++ != '`')
        return NULL;
    return *line == ' ' ? line + 1 : NULL;
}

/* "integer NOT NULL" of a column; NULL if the definition has no line for it. The caller's */
static char *find_column(const char *definition, const char *column)
{
    const char *line = definition != NULL ? strchr(definition, '\n') : NULL;

    for (; line != NULL; line = strchr(line, '\n')) {
        line++;
        const char *text = skip_name(line + strspn(line, " "), column);
        gsize length = text != NULL ? strcspn(text, "\n") : 0;
        if (text != NULL)
            return g_strndup(text, length > 0 && text[length - 1] == ',' ? length - 1 : length);
    }
    return NULL;
}

static gboolean has_column(const HbRowSet *set, const char *column)
{
    for (guint i = 0; i < set->columns->len; i++) {
        if (strcmp(set->columns->pdata[i], column) == 0)
            return TRUE;
    }
    return FALSE;
}

/* Of a column that the rows do not have */
static gboolean is_demanded(const HbColumnCompat *input, const char *own, const char *column)
{
    g_autofree char *name = g_strdup_printf("%s.%s", input->there->table, column);
    g_autofree char *its_default = hb_identity_new(HB_KIND_DEFAULT, name);

    return input->dialect->demands_value(own) && hb_catalog_find(input->target, its_default) == NULL;
}

/* ---- Findings ---- */

static void append_name(GString **names, const char *name)
{
    if (*names == NULL)
        *names = g_string_new(name);
    else
        g_string_append_printf(*names, ", %s", name);
}

static void tell(const HbColumnCompat *input, HbFindingLevel level, GString *names, const char *what, const char *todo,
                 GPtrArray *findings)
{
    HbFinding *finding;

    if (names == NULL)
        return;
    finding = hb_findings_add(findings, level, "columns-differ", input->table, "%s: %s", what, names->str);
    finding->is_final = level == HB_FINDING_BLOCKER;
    hb_finding_advise(finding, todo, NULL);
    g_string_free(names, TRUE);
}

/* Those that the rows have */
static void compare_wanted(const HbColumnCompat *input, const char *own, GPtrArray *findings)
{
    GString *absent = NULL, *otherwise = NULL;

    for (guint i = 0; i < input->wanted->columns->len; i++) {
        const char *column = input->wanted->columns->pdata[i];
        g_autofree char *here = find_column(input->definition, column);
        g_autofree char *there = find_column(own, column);
        if (!has_column(input->there, column)) {
            append_name(&absent, column);
        } else if (here != NULL && there != NULL && strcmp(here, there) != 0) {
            g_autofree char *text = g_strdup_printf("%s is %s there, and %s in the source", column, there, here);
            append_name(&otherwise, text);
        }
    }
    tell(input, HB_FINDING_BLOCKER, absent, "has no such columns, or none that can be written",
         "add them there, or replace the table (--parts schema,data --existing replace)", findings);
    tell(input, HB_FINDING_WARNING, otherwise, "has columns that are defined otherwise",
         "see that the source's values fit; a chunk of rows that does not fit is refused as a whole", findings);
}

/* Those that only the target has */
static void compare_there(const HbColumnCompat *input, const char *own, GPtrArray *findings)
{
    GString *demanded = NULL, *filled = NULL;

    for (guint i = 0; i < input->there->columns->len; i++) {
        const char *column = input->there->columns->pdata[i];
        g_autofree char *text = find_column(own, column);
        if (has_column(input->wanted, column))
            continue;
        append_name(is_demanded(input, text, column) ? &demanded : &filled, column);
    }
    tell(input, HB_FINDING_BLOCKER, demanded, "demands values that the rows do not have, in",
         "give these columns a default, or let them be empty", findings);
    tell(input, HB_FINDING_WARNING, filled, "has more columns; they get their defaults", NULL, findings);
}

void hb_column_compat_check(const HbColumnCompat *input, GPtrArray *findings)
{
    const HbObject *table = hb_catalog_find(input->target, input->table);
    const char *own = table != NULL ? table->definition : NULL;

    compare_wanted(input, own, findings);
    compare_there(input, own, findings);
}
