/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/bucket_inner.h"

#include "core/base/error.h"
#include "dump/file.h"

#include <string.h>

/* *count: how many went */
static gboolean remove_listed(HbBucket *dump, GHashTable *names, guint *count, GError **error)
{
    GHashTableIter iter;
    gpointer name;

    *count = 0;
    g_hash_table_iter_init(&iter, names);
    while (g_hash_table_iter_next(&iter, &name, NULL)) {
        if (!hb_bucket_remove(dump, name, error))
            return FALSE;
        ++*count;
    }
    return TRUE;
}

gboolean hb_bucket_sweep(const char *uri, const char *last, guint *count, GError **error)
{
    HbBucket *bucket = hb_bucket_open(uri, error);
    g_autoptr(GHashTable) names = bucket != NULL ? hb_bucket_list(bucket, 0, error) : NULL;
    gboolean ok = names != NULL && hb_bucket_end_parts(bucket, error);

    *count = 0;
    if (ok && g_hash_table_contains(names, last))
        ok = hb_error_set(error, HB_ERROR_FILE, "name another one", "%s is a whole dump, and is left alone", uri);
    ok = ok && remove_listed(bucket, names, count, error);
    hb_bucket_close(bucket);
    return ok;
}

/* ---- Dumps beside each other ---- */

/* The folder that the dump is in, instead of the dump */
static HbBucket *open_folder(const char *uri, GError **error)
{
    HbBucket *bucket = hb_bucket_open(uri, error);
    char *slash = bucket != NULL ? strrchr(bucket->access->path, '/') : NULL;

    if (bucket != NULL)
        *(slash != NULL ? slash : bucket->access->path) = '\0';
    return bucket;
}

GPtrArray *hb_bucket_list_beside(const char *uri, GError **error)
{
    HbBucket *folder = open_folder(uri, error);
    g_autofree char *prefix = folder != NULL ? hb_bucket_make_path(folder, "") : NULL;
    g_autoptr(GHashTable) found = NULL;
    GPtrArray *names = NULL;
    GHashTableIter iter;
    gpointer name;

    if (folder == NULL)
        return NULL;
    found = hb_bucket_list_prefix(folder, prefix + strlen("/") + strlen(folder->access->bucket) + strlen("/"), TRUE, 0,
                                  error);
    hb_bucket_close(folder);
    if (found == NULL)
        return NULL;
    names = g_ptr_array_new_with_free_func(g_free);
    g_hash_table_iter_init(&iter, found);
    while (g_hash_table_iter_next(&iter, &name, NULL))
        g_ptr_array_add(names, g_strdup(name));
    g_ptr_array_sort(names, hb_file_compare_names);
    return names;
}

static gboolean write_mark(HbBucket *folder, const char *mark, GError **error)
{
    g_autofree char *there = NULL;

    return hb_bucket_read(folder, mark, &there, error) &&
           (there != NULL || hb_bucket_write(folder, mark, "The dump of this name is being removed.\n", error));
}

static gboolean remove_all(HbBucket *dump, const char *first, GError **error)
{
    g_autoptr(GHashTable) names = hb_bucket_remove(dump, first, error) ? hb_bucket_list(dump, 0, error) : NULL;
    guint count;

    return names != NULL && remove_listed(dump, names, &count, error);
}

gboolean hb_bucket_remove_dump(const char *uri, const char *mark, const char *last, GError **error)
{
    HbBucket *dump = hb_bucket_open(uri, error), *folder = dump != NULL ? open_folder(uri, error) : NULL;
    const gboolean ok = folder != NULL && write_mark(folder, mark, error) && remove_all(dump, last, error) &&
                        hb_bucket_remove(folder, mark, error);

    hb_bucket_close(dump);
    hb_bucket_close(folder);
    return ok;
}

/* A mark beside a whole dump: nothing had gone yet */
gboolean hb_bucket_end_removal(const char *uri, const char *mark, const char *last, GError **error)
{
    HbBucket *dump = hb_bucket_open(uri, error), *folder = dump != NULL ? open_folder(uri, error) : NULL;
    g_autoptr(GHashTable) names = folder != NULL ? hb_bucket_list(dump, 0, error) : NULL;
    const gboolean ok = names != NULL && (g_hash_table_contains(names, last) || remove_all(dump, last, error)) &&
                        hb_bucket_remove(folder, mark, error);

    hb_bucket_close(dump);
    hb_bucket_close(folder);
    return ok;
}
