/* SPDX-License-Identifier: Apache-2.0 */
#include "core/model/catalog.h"

#include "core/base/error.h"

#include <string.h>

/*
 * Objects in an array, by place, and their places by identity in a hash table that borrows the identity from the
 * object. Taking objects out, renaming and reordering rebuild that table in one pass. Row sets that are taken out are
 * kept until the end, because rows of a manifest point to them.
 */

struct HbCatalog {
    GPtrArray *objects;     /* HbObject *, owned, in order */
    GHashTable *places;     /* identity (borrowed from the object) to place */
    GPtrArray *row_sets;    /* HbRowSet *, owned */
    GPtrArray *retired;     /* HbRowSet *, owned: taken out of use */
    GPtrArray *omissions;   /* HbOmission *, owned */
    GHashTable *properties; /* char * to char *, owned */
    gboolean unread[HB_KIND_COUNT];
};

void hb_row_set_free(HbRowSet *set)
{
    g_free(set->identity);
    g_free(set->table);
    g_ptr_array_unref(set->columns);
    g_array_unref(set->key);
    g_free(set->condition);
    g_free(set->barrier);
    g_free(set->way_past);
    g_free(set->split_column);
    g_string_free(set->hex_columns, TRUE);
    g_ptr_array_unref(set->select_expressions);
    g_free(set);
}

static gpointer copy_text(gconstpointer text, gpointer data)
{
    (void)data;
    return g_strdup(text);
}

static GPtrArray *copy_texts(GPtrArray *texts)
{
    GPtrArray *copy = g_ptr_array_copy(texts, copy_text, NULL);

    g_ptr_array_set_free_func(copy, g_free);
    return copy;
}

HbRowSet *hb_row_set_copy(const HbRowSet *set)
{
    HbRowSet *copy = g_memdup2(set, sizeof *set);

    copy->identity = g_strdup(set->identity);
    copy->table = g_strdup(set->table);
    copy->columns = copy_texts(set->columns);
    copy->hex_columns = g_string_new_len(set->hex_columns->str, (gssize)set->hex_columns->len);
    copy->select_expressions = copy_texts(set->select_expressions);
    copy->key = g_array_copy(set->key);
    copy->split_column = g_strdup(set->split_column);
    copy->condition = g_strdup(set->condition);
    copy->barrier = g_strdup(set->barrier);
    copy->way_past = g_strdup(set->way_past);
    return copy;
}

HbOmission *hb_omission_new(const char *what, const char *why)
{
    HbOmission *omission = g_new0(HbOmission, 1);

    omission->what = g_strdup(what);
    omission->why = g_strdup(why);
    return omission;
}

void hb_omission_free(gpointer data)
{
    HbOmission *omission = data;

    g_free(omission->what);
    g_free(omission->why);
    g_free(omission);
}

HbCatalog *hb_catalog_new(void)
{
    HbCatalog *catalog = g_new0(HbCatalog, 1);

    catalog->objects = g_ptr_array_new_with_free_func((GDestroyNotify)hb_object_free);
    catalog->places = g_hash_table_new(g_str_hash, g_str_equal);
    catalog->row_sets = g_ptr_array_new_with_free_func((GDestroyNotify)hb_row_set_free);
    catalog->retired = g_ptr_array_new_with_free_func((GDestroyNotify)hb_row_set_free);
    catalog->omissions = g_ptr_array_new_with_free_func(hb_omission_free);
    catalog->properties = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    return catalog;
}

static void copy_properties(HbCatalog *copy, const HbCatalog *catalog)
{
    GHashTableIter iter;
    gpointer name, value;

    g_hash_table_iter_init(&iter, catalog->properties);
    while (g_hash_table_iter_next(&iter, &name, &value))
        hb_catalog_set_property(copy, name, value);
}

HbCatalog *hb_catalog_copy(const HbCatalog *catalog)
{
    HbCatalog *copy = hb_catalog_new();

    for (guint i = 0; i < catalog->objects->len; i++)
        hb_catalog_add(copy, hb_object_copy(catalog->objects->pdata[i]), NULL);
    for (guint i = 0; i < catalog->row_sets->len; i++)
        g_ptr_array_add(copy->row_sets, hb_row_set_copy(catalog->row_sets->pdata[i]));
    for (guint i = 0; i < catalog->omissions->len; i++) {
        const HbOmission *omission = catalog->omissions->pdata[i];
        hb_catalog_add_omission(copy, omission->what, omission->why);
    }
    copy_properties(copy, catalog);
    memcpy(copy->unread, catalog->unread, sizeof copy->unread);
    return copy;
}

void hb_catalog_free(HbCatalog *catalog)
{
    if (catalog == NULL)
        return;
    g_hash_table_unref(catalog->places);
    g_ptr_array_unref(catalog->objects);
    g_ptr_array_unref(catalog->row_sets);
    g_ptr_array_unref(catalog->retired);
    g_ptr_array_unref(catalog->omissions);
    g_hash_table_unref(catalog->properties);
    g_free(catalog);
}

gboolean hb_catalog_add(HbCatalog *catalog, HbObject *object, GError **error)
{
    if (g_hash_table_contains(catalog->places, object->identity)) {
        hb_error_set(error, HB_ERROR_DUPLICATE, NULL, "%s: two objects have this identity", object->identity);
        hb_object_free(object);
        return FALSE;
    }
    g_hash_table_insert(catalog->places, object->identity, GUINT_TO_POINTER(catalog->objects->len));
    g_ptr_array_add(catalog->objects, object);
    return TRUE;
}

HbRowSet *hb_catalog_add_row_set(HbCatalog *catalog, const char *identity, const char *table)
{
    HbRowSet *set = g_new0(HbRowSet, 1);

    set->hex_columns = g_string_new(NULL);
    set->select_expressions = g_ptr_array_new_with_free_func(g_free);
    set->identity = g_strdup(identity);
    set->table = g_strdup(table);
    set->columns = g_ptr_array_new_with_free_func(g_free);
    set->key = g_array_new(FALSE, FALSE, sizeof(guint));
    g_ptr_array_add(catalog->row_sets, set);
    return set;
}

gboolean hb_row_set_set_key(HbRowSet *set, const GPtrArray *columns)
{
    g_array_set_size(set->key, 0);
    for (guint c = 0; c < set->columns->len; c++) {
        if (g_ptr_array_find_with_equal_func((GPtrArray *)columns, set->columns->pdata[c], g_str_equal, NULL))
            g_array_append_val(set->key, c);
    }
    if (set->key->len != columns->len)
        g_array_set_size(set->key, 0);
    return set->key->len > 0;
}

void hb_catalog_add_omission(HbCatalog *catalog, const char *what, const char *why)
{
    g_ptr_array_add(catalog->omissions, hb_omission_new(what, why));
}

void hb_catalog_set_property(HbCatalog *catalog, const char *name, const char *value)
{
    g_hash_table_insert(catalog->properties, g_strdup(name), g_strdup(value));
}

gboolean hb_catalog_check_rows(const HbCatalog *catalog, GError **error)
{
    for (guint i = 0; i < catalog->row_sets->len; i++) {
        const HbRowSet *set = catalog->row_sets->pdata[i];
        if (set->barrier != NULL)
            return hb_error_set(error, HB_ERROR_BLOCKED, set->way_past, "table %s: %s; nothing was read", set->table,
                                set->barrier);
    }
    return TRUE;
}

void hb_catalog_remove_omission(HbCatalog *catalog, guint index)
{
    g_ptr_array_remove_index(catalog->omissions, index);
}

void hb_catalog_set_unread(HbCatalog *catalog, HbKind kind)
{
    catalog->unread[kind] = TRUE;
}

gboolean hb_catalog_is_unread(const HbCatalog *catalog, HbKind kind)
{
    return catalog->unread[kind];
}

HbObject *hb_catalog_find(const HbCatalog *catalog, const char *identity)
{
    gpointer place;

    if (!g_hash_table_lookup_extended(catalog->places, identity, NULL, &place))
        return NULL;
    return hb_catalog_get(catalog, GPOINTER_TO_UINT(place));
}

gboolean hb_catalog_has_needs(const HbCatalog *catalog, const HbObject *object)
{
    for (guint n = 0; n < object->needs->len; n++) {
        if (hb_catalog_find(catalog, object->needs->pdata[n]) == NULL)
            return FALSE;
    }
    return object->needs->len > 0;
}

guint hb_catalog_count(const HbCatalog *catalog)
{
    return catalog->objects->len;
}

HbObject *hb_catalog_get(const HbCatalog *catalog, guint place)
{
    g_assert(place < catalog->objects->len);
    return g_ptr_array_index(catalog->objects, place);
}

guint hb_catalog_get_place(const HbCatalog *catalog, const char *identity)
{
    gpointer place;

    g_assert(g_hash_table_lookup_extended(catalog->places, identity, NULL, &place));
    return GPOINTER_TO_UINT(place);
}

const GPtrArray *hb_catalog_get_row_sets(const HbCatalog *catalog)
{
    return catalog->row_sets;
}

GHashTable *hb_catalog_index_row_sets(const HbCatalog *catalog)
{
    GHashTable *index = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < catalog->row_sets->len; i++) {
        HbRowSet *set = catalog->row_sets->pdata[i];
        g_hash_table_insert(index, set->identity, set);
    }
    return index;
}

const GPtrArray *hb_catalog_get_omissions(const HbCatalog *catalog)
{
    return catalog->omissions;
}

guint64 hb_catalog_count_bytes(const HbCatalog *catalog)
{
    guint64 bytes = 0;

    for (guint i = 0; i < catalog->row_sets->len; i++)
        bytes += ((const HbRowSet *)catalog->row_sets->pdata[i])->bytes;
    return bytes;
}

GHashTable *hb_catalog_get_properties(const HbCatalog *catalog)
{
    return catalog->properties;
}

static void index_places(HbCatalog *catalog)
{
    g_hash_table_remove_all(catalog->places);
    for (guint i = 0; i < catalog->objects->len; i++) {
        HbObject *object = g_ptr_array_index(catalog->objects, i);
        g_hash_table_insert(catalog->places, object->identity, GUINT_TO_POINTER(i));
    }
}

static void drop_unmet_needs(HbCatalog *catalog)
{
    for (guint i = 0; i < catalog->objects->len; i++) {
        GPtrArray *needs = hb_catalog_get(catalog, i)->needs;
        for (guint n = needs->len; n-- > 0;) {
            if (!g_hash_table_contains(catalog->places, g_ptr_array_index(needs, n)))
                g_ptr_array_remove_index(needs, n);
        }
    }
}

/* ---- Versions ---- */

static void leave_out(HbCatalog *catalog, GHashTable *gone, HbObject *object, char *why)
{
    if (object->kind != HB_KIND_ROWS)
        hb_catalog_add_omission(catalog, object->identity, why);
    g_hash_table_add(gone, object->identity);
    g_free(why);
}

static const char *find_gone_need(const HbObject *object, GHashTable *gone)
{
    for (guint n = 0; n < object->needs->len; n++) {
        if (g_hash_table_contains(gone, object->needs->pdata[n]))
            return object->needs->pdata[n];
    }
    return NULL;
}

static void fit_object(HbCatalog *catalog, GHashTable *gone, HbObject *object, guint version, const char *product)
{
    const HbWording *wording = object->wordings != NULL ? hb_wordings_find(object->wordings, version) : NULL;
    const char *need = find_gone_need(object, gone);

    if (need != NULL) {
        leave_out(catalog, gone, object, g_strdup_printf("it needs %s, which is left out", need));
        return;
    }
    if (wording == NULL)
        return;
    if (wording->definition == NULL) {
        leave_out(catalog, gone, object,
                  wording->lost != NULL ? g_strdup_printf(HB_LEFT_OUT_FOR "%s: %s", product, wording->lost)
                                        : g_strdup_printf(HB_LEFT_OUT_FOR "%s", product));
        return;
    }
    if (g_strcmp0(wording->definition, object->definition) == 0)
        return; /* so it is written already */
    if (wording->lost != NULL) {
        g_autofree char *why = g_strdup_printf("changed for %s: %s", product, wording->lost);
        hb_catalog_add_omission(catalog, object->identity, why);
    }
    g_free(object->definition);
    object->definition = g_strdup(wording->definition);
}

/* Row sets are retired rather than freed: others may point to them */
static void retire_row_sets(HbCatalog *catalog, GHashTable *gone)
{
    GPtrArray *kept = g_ptr_array_new_with_free_func((GDestroyNotify)hb_row_set_free);

    for (guint i = 0; i < catalog->row_sets->len; i++) {
        HbRowSet *set = catalog->row_sets->pdata[i];
        g_ptr_array_add(g_hash_table_contains(gone, set->identity) ? catalog->retired : kept, set);
    }
    g_ptr_array_set_free_func(catalog->row_sets, NULL);
    g_ptr_array_unref(catalog->row_sets);
    catalog->row_sets = kept;
}

void hb_catalog_remove(HbCatalog *catalog, GHashTable *gone)
{
    GPtrArray *kept = g_ptr_array_new_with_free_func((GDestroyNotify)hb_object_free);
    g_autoptr(GPtrArray) swept = g_ptr_array_new_with_free_func((GDestroyNotify)hb_object_free);

    retire_row_sets(catalog, gone);
    for (guint i = 0; i < catalog->objects->len; i++) {
        HbObject *object = catalog->objects->pdata[i];
        g_ptr_array_add(g_hash_table_contains(gone, object->identity) ? swept : kept, object);
    }
    g_hash_table_remove_all(catalog->places);
    g_ptr_array_set_free_func(catalog->objects, NULL);
    g_ptr_array_unref(catalog->objects);
    catalog->objects = kept;
    index_places(catalog);
    drop_unmet_needs(catalog);
}

void hb_catalog_keep_parts(HbCatalog *catalog, guint parts)
{
    g_autoptr(GHashTable) gone = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < catalog->objects->len; i++) {
        const HbObject *object = hb_catalog_get(catalog, i);
        if (!(hb_kind_get_traits(object->kind)->part & parts))
            g_hash_table_add(gone, object->identity);
    }
    hb_catalog_remove(catalog, gone);
}

void hb_catalog_fit(HbCatalog *catalog, guint version, const char *product)
{
    g_autoptr(GHashTable) gone = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < catalog->objects->len; i++)
        fit_object(catalog, gone, hb_catalog_get(catalog, i), version, product);
    if (g_hash_table_size(gone) > 0)
        hb_catalog_remove(catalog, gone);
}

static void rename_text(char **text, HbRenameIdentity rename, gpointer data)
{
    char *renamed = *text != NULL ? rename(data, *text) : NULL;

    if (renamed == NULL)
        return;
    g_free(*text);
    *text = renamed;
}

static void rename_row_set(HbRowSet *set, HbRenameIdentity rename, gpointer data)
{
    rename_text(&set->identity, rename, data);
    g_free(set->table);
    set->table = g_strdup(strchr(set->identity, ' ') + 1);
}

gboolean hb_catalog_rename(HbCatalog *catalog, HbRenameIdentity rename, gpointer data, GError **error)
{
    g_hash_table_remove_all(catalog->places);
    for (guint i = 0; i < catalog->objects->len; i++) {
        HbObject *object = catalog->objects->pdata[i];
        rename_text(&object->identity, rename, data);
        rename_text(&object->on, rename, data);
        for (guint n = 0; n < object->needs->len; n++)
            rename_text((char **)&object->needs->pdata[n], rename, data);
        if (g_hash_table_contains(catalog->places, object->identity))
            return hb_error_set(error, HB_ERROR_DUPLICATE, "choose another new name",
                                "%s: two objects would have this name", object->identity);
        g_hash_table_insert(catalog->places, object->identity, GUINT_TO_POINTER(i));
    }
    for (guint i = 0; i < catalog->row_sets->len; i++)
        rename_row_set(catalog->row_sets->pdata[i], rename, data);
    return TRUE;
}

static gint compare_row_sets(gconstpointer one, gconstpointer other)
{
    return strcmp((*(HbRowSet *const *)one)->identity, (*(HbRowSet *const *)other)->identity);
}

void hb_catalog_take_order(HbCatalog *catalog, GPtrArray *places)
{
    g_ptr_array_set_free_func(catalog->objects, NULL);
    g_ptr_array_unref(catalog->objects);
    g_ptr_array_set_free_func(places, (GDestroyNotify)hb_object_free);
    catalog->objects = places;
    g_ptr_array_sort(catalog->row_sets, compare_row_sets);
    index_places(catalog);
}
