/* SPDX-License-Identifier: Apache-2.0 */
#define _GNU_SOURCE /* syncfs, renameat2 */
#include "dump/folder_inner.h"

#include "core/base/error.h"
#include "dump/bucket.h"
#include "dump/object_access.h"

#include <errno.h>
#include <fcntl.h>
#include <ftw.h>
#include <glib/gstdio.h>
#include <string.h>
#include <unistd.h>

/* Beyond so many files it is cheaper to sync the whole file system than each of them */
#define SYNC_EACH_LIMIT 500
#define REMOVED         ".removed"

/* ---- Removing ---- */

static int remove_entry(const char *path, const struct stat *info, int type, struct FTW *at)
{
    (void)info;
    (void)type;
    (void)at;
    remove(path);
    return 0;
}

void hb_folder_remove_tree(const char *path)
{
    nftw(path, remove_entry, 16, FTW_DEPTH | FTW_PHYS);
}

/* ---- Committing ---- */

char *hb_folder_make_sums(HbFolder *folder)
{
    g_autoptr(GList) names = g_list_sort(g_hash_table_get_keys(folder->sums), (GCompareFunc)strcmp);
    GString *text = g_string_new(NULL);

    for (GList *at = names; at != NULL; at = at->next) {
        const HbFileSum *sum = g_hash_table_lookup(folder->sums, at->data);
        g_string_append_printf(text, "%s  %s\n", sum->sum, sum->name);
    }
    return g_string_free(text, FALSE);
}

static gboolean write_sums(HbFolder *folder, GError **error)
{
    g_autofree char *text = NULL;

    g_hash_table_remove(folder->sums, HB_SUMS_FILE); /* an early one, of a stream */
    text = hb_folder_make_sums(folder);
    return hb_folder_write_file(folder, HB_SUMS_FILE, text, strlen(text), error);
}

/* The folders that a file stands in, up to the dump itself, once for each */
static gboolean sync_parents(const HbFolder *folder, const char *name, GHashTable *parents, GError **error)
{
    g_autofree char *parent = g_path_get_dirname(name);

    while (strcmp(parent, ".") != 0 && !g_hash_table_contains(parents, parent)) {
        g_autofree char *path = g_build_filename(folder->temporary, parent, NULL);
        char *above = g_path_get_dirname(parent);
        g_hash_table_add(parents, parent);
        parent = above;
        if (!hb_folder_sync_path(path, path, O_RDONLY | O_DIRECTORY, error))
            return FALSE;
    }
    return TRUE;
}

static gboolean sync_each(HbFolder *folder, GError **error)
{
    g_autoptr(GHashTable) parents = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    GHashTableIter iter;
    gpointer name;

    g_hash_table_iter_init(&iter, folder->sums);
    while (g_hash_table_iter_next(&iter, &name, NULL)) {
        g_autofree char *path = g_build_filename(folder->temporary, name, NULL);
        if (!g_hash_table_contains(folder->synced, name) && !hb_folder_sync_path(path, name, O_RDONLY, error))
            return FALSE;
        if (!sync_parents(folder, name, parents, error))
            return FALSE;
    }
    return TRUE;
}

#ifdef __linux__
static gboolean sync_file_system(HbFolder *folder, GError **error)
{
    int fd = open(folder->temporary, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    gboolean ok = fd >= 0 && syncfs(fd) == 0;

    if (!ok)
        hb_file_error(error, "syncing", folder->path);
    if (fd >= 0)
        close(fd);
    return ok;
}
#endif

static gboolean sync_all(HbFolder *folder, GError **error)
{
    hb_folder_wait_for_syncer(folder);
    if (folder->error != NULL) {
        g_propagate_error(error, g_steal_pointer(&folder->error));
        return FALSE;
    }
#ifdef __linux__
    if (g_hash_table_size(folder->sums) > SYNC_EACH_LIMIT)
        return sync_file_system(folder, error);
#endif
    return sync_each(folder, error) &&
           hb_folder_sync_path(folder->temporary, folder->path, O_RDONLY | O_DIRECTORY, error);
}

/*
 * A bare rename() would replace a file that came meanwhile. Where the system or its file system knows no rename that
 * does not, a file gets a second name, which fails if that is taken; a folder replaces an empty one at most
 */
gboolean hb_folder_rename_to_free(const char *from, const char *to)
{
#ifdef RENAME_NOREPLACE
    if (renameat2(AT_FDCWD, from, AT_FDCWD, to, RENAME_NOREPLACE) == 0)
        return TRUE;
    if (errno != EINVAL && errno != ENOSYS)
        return FALSE;
#endif
    if (g_file_test(from, G_FILE_TEST_IS_DIR))
        return g_rename(from, to) == 0;
    return link(from, to) == 0 && unlink(from) == 0;
}

static gboolean take_name(HbFolder *folder, GError **error)
{
    g_autofree char *parent = g_path_get_dirname(folder->path);

    if (!hb_folder_rename_to_free(folder->temporary, folder->path)) {
        if (errno != EEXIST)
            return hb_file_error(error, "giving the finished dump its name", folder->path);
        return hb_error_set(error, HB_ERROR_FILE, "dump again under a name that is free",
                            "%s exists by now; a dump never overwrites anything", folder->path);
    }
    return hb_folder_sync_path(parent, parent, O_RDONLY | O_DIRECTORY, error);
}

static gboolean finish_tar(HbFolder *folder, GError **error)
{
    if (folder->error != NULL) {
        g_propagate_error(error, g_steal_pointer(&folder->error));
        return FALSE;
    }
    if (folder->below != NULL)
        return TRUE;
    if (!hb_tar_writer_close(folder->tar, error))
        return FALSE;
    return folder->temporary == NULL || fsync(folder->fd) == 0 || hb_file_error(error, "syncing", folder->path);
}

static gboolean finish(HbFolder *folder, GError **error)
{
    if (folder->bucket != NULL)
        return write_sums(folder, error);
    if (!write_sums(folder, error) || !(folder->tar != NULL ? finish_tar(folder, error) : sync_all(folder, error)))
        return FALSE;
    return folder->temporary == NULL || take_name(folder, error);
}

/* If the outer dump fails, this one goes with it */
static void give_to_outer(HbFolder *folder)
{
    HbFolder *outer = folder->outer;
    GHashTableIter iter;
    gpointer name;

    if (outer == NULL)
        return;
    g_mutex_lock(&outer->lock);
    g_hash_table_iter_init(&iter, folder->sums);
    while (g_hash_table_iter_next(&iter, &name, NULL))
        g_ptr_array_add(outer->given, g_strconcat(folder->prefix, (char *)name, NULL));
    g_mutex_unlock(&outer->lock);
}

gboolean hb_folder_commit(HbFolder *folder, GError **error)
{
    if (finish(folder, error)) {
        if (folder->bucket != NULL) {
            hb_folder_remove_tree(folder->temporary);
            give_to_outer(folder);
        }
        hb_folder_free(folder);
        return TRUE;
    }
    hb_folder_discard(folder);
    return FALSE;
}

/* What was sent of a dump that is none */
static void take_back(HbFolder *folder)
{
    GHashTableIter iter;
    gpointer name;

    g_hash_table_iter_init(&iter, folder->sums);
    while (g_hash_table_iter_next(&iter, &name, NULL)) {
        g_autofree char *there = g_strconcat(folder->prefix, name, NULL);
        hb_bucket_remove(folder->bucket, there, NULL);
    }
    for (guint i = 0; i < folder->given->len; i++)
        hb_bucket_remove(folder->bucket, folder->given->pdata[i], NULL);
}

void hb_folder_discard(HbFolder *folder)
{
    if (folder == NULL)
        return;
    hb_folder_wait_for_syncer(folder);
    if (folder->bucket != NULL)
        take_back(folder);
    if (folder->temporary != NULL)
        hb_folder_remove_tree(folder->temporary);
    hb_folder_free(folder);
}

static char *name_removed(const char *path)
{
    g_autofree char *clean = g_canonicalize_filename(path, NULL);
    g_autofree char *parent = g_path_get_dirname(clean), *base = g_path_get_basename(clean);

    return g_strconcat(parent, "/.", base, REMOVED, NULL);
}

char *hb_folder_read_removed(const char *entry)
{
    return *entry == '.' && g_str_has_suffix(entry, REMOVED) ? g_strndup(entry + 1, strlen(entry) - 1 - strlen(REMOVED))
                                                             : NULL;
}

static char *name_mark(const char *uri)
{
    g_autofree char *name = hb_object_uri_get_name(uri);

    return g_strconcat(".", name, REMOVED, NULL);
}

void hb_folder_sweep(const char *path)
{
    const gboolean is_object = hb_object_is_uri(path);
    g_autofree char *going = is_object ? name_mark(path) : name_removed(path);

    if (is_object)
        hb_bucket_end_removal(path, going, HB_SUMS_FILE, NULL);
    else
        hb_folder_remove_tree(going);
}

static gboolean remove_object(const char *uri, GError **error)
{
    g_autofree char *mark = name_mark(uri);

    return hb_bucket_remove_dump(uri, mark, HB_SUMS_FILE, error);
}

gboolean hb_folder_remove(const char *path, GError **error)
{
    g_autofree char *going = NULL;

    if (hb_object_is_uri(path))
        return remove_object(path, error);
    going = name_removed(path);
    hb_folder_remove_tree(going);
    if (!hb_folder_rename_to_free(path, going))
        return hb_file_error(error, "removing", path);
    hb_folder_remove_tree(going);
    return !g_file_test(going, G_FILE_TEST_EXISTS) ||
           hb_error_set(error, HB_ERROR_FILE, "remove it by hand", "%s: not all of it could be removed", going);
}

/* ---- What is beside it ---- */

char *hb_folder_get_name(const char *path)
{
    return hb_object_is_uri(path) ? hb_object_uri_get_name(path) : g_path_get_basename(path);
}

char *hb_folder_name_beside(const char *path, const char *name)
{
    g_autofree char *folder = g_path_get_dirname(path);

    return hb_object_is_uri(path) ? hb_object_uri_beside(path, name) : g_build_filename(folder, name, NULL);
}

GPtrArray *hb_folder_list_beside(const char *path, GError **error)
{
    g_autofree char *folder = g_path_get_dirname(path);
    g_autoptr(GError) cause = NULL;
    g_autoptr(GDir) entries = NULL;
    GPtrArray *names;
    const char *name;

    if (hb_object_is_uri(path))
        return hb_bucket_list_beside(path, error);
    entries = g_dir_open(folder, 0, &cause);
    if (entries == NULL) {
        hb_error_set(error, HB_ERROR_FILE, "see whether the path is right", "looking for dumps: %s", cause->message);
        return NULL;
    }
    names = g_ptr_array_new_with_free_func(g_free);
    while ((name = g_dir_read_name(entries)) != NULL)
        g_ptr_array_add(names, g_strdup(name));
    g_ptr_array_sort(names, hb_file_compare_names);
    return names;
}
