/* SPDX-License-Identifier: Apache-2.0 */
#include "core/select/selection_inner.h"

#include <string.h>

/* ---- Life ---- */

HbSelection *hb_selection_new(void)
{
    HbSelection *selection = g_new0(HbSelection, 1);

    selection->take = g_ptr_array_new_with_free_func((GDestroyNotify)hb_pattern_free);
    selection->skip = g_ptr_array_new_with_free_func((GDestroyNotify)hb_pattern_free);
    return selection;
}

void hb_selection_free(HbSelection *selection)
{
    if (selection == NULL)
        return;
    g_ptr_array_unref(selection->take);
    g_ptr_array_unref(selection->skip);
    g_free(selection);
}

static void copy_patterns(HbSelection *copy, const char *option, const GPtrArray *patterns)
{
    for (guint i = 0; i < patterns->len; i++)
        hb_selection_add(copy, option, ((const HbPattern *)patterns->pdata[i])->text, NULL);
}

HbSelection *hb_selection_copy(const HbSelection *selection)
{
    HbSelection *copy;

    if (selection == NULL)
        return NULL;
    copy = hb_selection_new();
    copy_patterns(copy, "take", selection->take);
    copy_patterns(copy, "skip", selection->skip);
    copy->without_needs = selection->without_needs;
    copy->lenient = selection->lenient;
    return copy;
}

HbSelection *hb_selection_new_for_server(const HbSelection *selection)
{
    HbSelection *copy = hb_selection_copy(selection);

    if (copy == NULL)
        return NULL;
    g_ptr_array_set_size(copy->take, 0);
    copy->lenient = TRUE;
    return copy;
}

gboolean hb_selection_add(HbSelection *selection, const char *option, const char *text, GError **error)
{
    HbPattern *pattern = hb_pattern_read(text, option, error);

    if (pattern == NULL)
        return FALSE;
    g_ptr_array_add(strcmp(option, "take") == 0 ? selection->take : selection->skip, pattern);
    return TRUE;
}

gboolean hb_selection_has_objects(const GPtrArray *patterns)
{
    for (guint i = 0; i < patterns->len; i++) {
        if (!((const HbPattern *)patterns->pdata[i])->database)
            return TRUE;
    }
    return FALSE;
}

guint hb_selection_list_parts(const HbSelection *selection, guint parts)
{
    return hb_selection_is_partial(selection) && (parts & HB_PART_DATA) ? parts | HB_PART_SCHEMA : parts;
}

gboolean hb_selection_is_partial(const HbSelection *selection)
{
    return selection != NULL &&
           (hb_selection_has_objects(selection->take) || hb_selection_has_objects(selection->skip));
}

/* chooses: does any of them speak of databases at all? */
static gboolean fits_database(const GPtrArray *patterns, const char *database, gboolean *chooses)
{
    gboolean fits = FALSE;

    *chooses = FALSE;
    for (guint i = 0; i < patterns->len; i++) {
        *chooses = *chooses || ((const HbPattern *)patterns->pdata[i])->database;
        fits = fits || hb_pattern_fits_database(patterns->pdata[i], database);
    }
    return fits;
}

gboolean hb_selection_takes_database(const HbSelection *selection, const char *database)
{
    gboolean chooses, taken;

    if (selection == NULL)
        return TRUE;
    taken = fits_database(selection->take, database, &chooses) || !chooses;
    return taken && !fits_database(selection->skip, database, &chooses);
}

/* ---- What is left out ---- */

/* "index garden.plot_idx" in "secret options of index garden.plot_idx": a kind's name at the beginning, or after a
 * blank. NULL: it names no object; the caller's */
static HbObject *find_named(const char *what)
{
    for (const char *word = what; word != NULL; word = strchr(word, ' ') != NULL ? strchr(word, ' ') + 1 : NULL) {
        const char *blank = strchr(word, ' ');
        g_autofree char *kind_name = blank != NULL ? g_strndup(word, (gsize)(blank - word)) : NULL;
        HbKind kind;
        if (kind_name != NULL && hb_kind_find(kind_name, &kind))
            return hb_object_new(kind, blank + 1);
    }
    return NULL;
}

/* Patterns speak of these by their own names; what hangs on a table, say, is taken with that */
static gboolean is_of_its_own(const HbObject *object)
{
    return hb_kind_is_relation(object->kind) || object->kind == HB_KIND_FUNCTION || object->kind == HB_KIND_PROCEDURE ||
           object->kind == HB_KIND_TYPE || object->kind == HB_KIND_FOREIGN_SERVER ||
           object->kind == HB_KIND_USER_MAPPING || object->kind == HB_KIND_FOREIGN_DATA_WRAPPER ||
           object->kind == HB_KIND_SUBSCRIPTION || object->kind == HB_KIND_PUBLICATION ||
           object->kind == HB_KIND_EVENT || object->kind == HB_KIND_ROLE;
}

static gboolean is_missed(const HbSelection *selection, guint parts, const HbCatalog *catalog, const HbObject *object)
{
    if ((hb_kind_get_traits(object->kind)->part & parts) == 0)
        return FALSE;
    if (selection == NULL || hb_catalog_find(catalog, object->identity) != NULL)
        return TRUE;
    if (hb_selection_fits_any(selection->skip, object))
        return FALSE;
    return selection->take->len == 0 || !is_of_its_own(object) || hb_selection_fits_any(selection->take, object);
}

void hb_selection_apply_to_omissions(const HbSelection *selection, guint parts, HbCatalog *catalog)
{
    const GPtrArray *omissions = hb_catalog_get_omissions(catalog);

    for (guint i = omissions->len; i-- > 0;) {
        HbObject *object = find_named(((const HbOmission *)omissions->pdata[i])->what);
        if (object != NULL && !is_missed(selection, parts, catalog, object))
            hb_catalog_remove_omission(catalog, i);
        hb_object_free(object);
    }
}
