/* SPDX-License-Identifier: Apache-2.0 */
#include "core/model/wordings.h"

#include <string.h>

/* A piece in the split text: its fields, and the plain text behind it */
enum { FIELD_SINCE, FIELD_UNTIL, FIELD_WORDING, FIELD_OTHER, FIELD_LOST, FIELD_BEHIND, FIELDS };

HbWording *hb_wording_new(guint since, const char *definition, const char *lost)
{
    HbWording *wording = g_new0(HbWording, 1);

    wording->since = since;
    wording->definition = g_strdup(definition);
    wording->lost = g_strdup(lost);
    return wording;
}

void hb_wording_free(HbWording *wording)
{
    if (wording == NULL)
        return;
    g_free(wording->definition);
    g_free(wording->lost);
    g_free(wording);
}

GPtrArray *hb_wordings_copy(const GPtrArray *wordings)
{
    GPtrArray *copy = g_ptr_array_new_full(wordings->len, (GDestroyNotify)hb_wording_free);

    for (guint i = 0; i < wordings->len; i++) {
        const HbWording *wording = wordings->pdata[i];
        g_ptr_array_add(copy, hb_wording_new(wording->since, wording->definition, wording->lost));
    }
    return copy;
}

static guint number(const char *text)
{
    return (guint)g_ascii_strtoull(text, NULL, 10);
}

static gint compare_numbers(gconstpointer one, gconstpointer other)
{
    guint a = *(const guint *)one, b = *(const guint *)other;

    return a < b ? -1 : a > b;
}

/* The versions from which on the text reads differently; 0 among them */
static GArray *find_thresholds(char **fields)
{
    GArray *thresholds = g_array_new(FALSE, FALSE, sizeof(guint));
    guint zero = 0;

    g_array_append_val(thresholds, zero);
    for (char **piece = fields + 1; *piece != NULL; piece += FIELDS) {
        guint since = number(piece[FIELD_SINCE]), until = number(piece[FIELD_UNTIL]);
        g_array_append_val(thresholds, since);
        g_array_append_val(thresholds, until);
    }
    g_array_sort(thresholds, compare_numbers);
    for (guint i = thresholds->len; i-- > 1;) {
        if (g_array_index(thresholds, guint, i) == g_array_index(thresholds, guint, i - 1))
            g_array_remove_index(thresholds, i);
    }
    return thresholds;
}

static void append_lost(GString *lost, const char *text)
{
    if (*text != '\0')
        g_string_append_printf(lost, "%s%s", lost->len > 0 ? "; " : "", text);
}

static HbWording *compose(char **fields, guint version)
{
    g_autoptr(GString) text = g_string_new(fields[0]);
    g_autoptr(GString) lost = g_string_new(NULL);

    for (char **piece = fields + 1; *piece != NULL; piece += FIELDS) {
        guint until = number(piece[FIELD_UNTIL]);
        gboolean fits = version >= number(piece[FIELD_SINCE]) && (until == 0 || version < until);
        g_string_append(text, piece[fits ? FIELD_WORDING : FIELD_OTHER]);
        g_string_append(text, piece[FIELD_BEHIND]);
        if (!fits)
            append_lost(lost, piece[FIELD_LOST]);
    }
    return hb_wording_new(version, *g_strstrip(text->str) != '\0' ? text->str : NULL, lost->len > 0 ? lost->str : NULL);
}

GPtrArray *hb_wordings_read(const char *text, const char *mark)
{
    g_auto(GStrv) fields = NULL;
    g_autoptr(GArray) thresholds = NULL;
    GPtrArray *wordings;

    if (text == NULL || strstr(text, mark) == NULL)
        return NULL;
    fields = g_strsplit(text, mark, -1);
    if (g_strv_length(fields) % FIELDS != 1)
        return NULL;
    thresholds = find_thresholds(fields);
    wordings = g_ptr_array_new_with_free_func((GDestroyNotify)hb_wording_free);
    for (guint i = 0; i < thresholds->len; i++)
        g_ptr_array_add(wordings, compose(fields, g_array_index(thresholds, guint, i)));
    return wordings;
}

void hb_wordings_cut(GPtrArray *wordings, guint since, const char *lost)
{
    const HbWording *first = hb_wordings_find(wordings, since);
    HbWording *kept = hb_wording_new(since, first->definition, first->lost);

    while (wordings->len > 0 && ((HbWording *)wordings->pdata[0])->since <= since)
        g_ptr_array_remove_index(wordings, 0);
    g_ptr_array_insert(wordings, 0, kept);
    g_ptr_array_insert(wordings, 0, hb_wording_new(0, NULL, lost));
}

void hb_wordings_end(GPtrArray *wordings, guint until, const char *lost)
{
    while (wordings->len > 0 && ((HbWording *)wordings->pdata[wordings->len - 1])->since >= until)
        g_ptr_array_remove_index(wordings, wordings->len - 1);
    g_ptr_array_add(wordings, hb_wording_new(until, NULL, lost));
}

const HbWording *hb_wordings_find(const GPtrArray *wordings, guint version)
{
    const HbWording *found = wordings->pdata[0];

    for (guint i = 1; i < wordings->len; i++) {
        const HbWording *wording = wordings->pdata[i];
        if (wording->since <= version)
            found = wording;
    }
    return found;
}
