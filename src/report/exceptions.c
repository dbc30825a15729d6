/* SPDX-License-Identifier: Apache-2.0 */
#include "report/exceptions.h"

#include "report/pieces.h"
#include "report/text.h"

static void append_exception(GString *out, const HbException *exception)
{
    g_autofree char *what = hb_text_visible(exception->what);
    g_autofree char *message = hb_text_visible(exception->message);

    g_string_append_printf(out, "  %s: %s\n", what, message);
    if (exception->hint != NULL) {
        g_autofree char *hint = hb_text_visible(exception->hint);
        g_string_append_printf(out, "      what to do: %s\n", hint);
    }
}

/* So many of which the same is said stand together */
#define ALIKE_MIN 6

/* Those of one outcome by what is said of them: messages to GPtrArray of names, visible */
static GHashTable *group_exceptions(const HbRestoreResult *result, HbOutcome outcome)
{
    GHashTable *groups = g_hash_table_new_full(g_str_hash, g_str_equal, NULL, (GDestroyNotify)g_ptr_array_unref);

    for (guint i = 0; i < result->exceptions->len; i++) {
        const HbException *exception = result->exceptions->pdata[i];
        GPtrArray *names;
        if (exception->outcome != outcome || exception->hint != NULL || outcome == HB_OUTCOME_GONE)
            continue;
        names = g_hash_table_lookup(groups, exception->message);
        if (names == NULL)
            g_hash_table_insert(groups, exception->message, names = g_ptr_array_new_with_free_func(g_free));
        g_ptr_array_add(names, hb_text_visible(exception->what));
    }
    return groups;
}

/* TRUE if it stands with others like it; the first of them brings all */
static gboolean append_group(GString *out, GHashTable *groups, const HbException *exception)
{
    GPtrArray *names = exception->hint == NULL ? g_hash_table_lookup(groups, exception->message) : NULL;
    g_autofree char *message = NULL, *label = NULL;

    if (names == NULL || (names->len > 0 && names->len < ALIKE_MIN))
        return FALSE;
    if (names->len == 0)
        return TRUE;
    message = hb_text_visible(exception->message);
    label = g_strdup_printf("%u, each", names->len);
    g_string_append_printf(out, "  %s: %s\n", label, message);
    hb_piece_append_list(out, "these", names);
    g_ptr_array_set_size(names, 0);
    return TRUE;
}

guint hb_exceptions_append(GString *out, gboolean color, const HbRestoreResult *result, HbOutcome outcome,
                           const char *title)
{
    g_autoptr(GHashTable) groups = group_exceptions(result, outcome);
    guint count = 0;

    for (guint i = 0; i < result->exceptions->len; i++) {
        const HbException *exception = result->exceptions->pdata[i];
        if (exception->outcome != outcome)
            continue;
        if (count++ == 0)
            hb_piece_append_heading(out, color, title);
        if (!append_group(out, groups, exception))
            append_exception(out, exception);
    }
    return count;
}
