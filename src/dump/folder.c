/* SPDX-License-Identifier: Apache-2.0 */
#define _GNU_SOURCE /* syncfs, renameat2 */
#include "dump/folder_inner.h"

#include "core/base/error.h"
#include "dump/tar.h"

#include <errno.h>
#include <fcntl.h>
#include <ftw.h>
#include <glib/gstdio.h>
#include <string.h>
#include <unistd.h>

/* Beyond so many files it is cheaper to sync the whole file system than each of them */
#define SYNC_EACH_LIMIT  500
#define SYNC_EARLY_BYTES (1024 * 1024)

#define REMOVED ".removed"

struct HbFolder {
    HbTarWriter *tar;    /* NULL: a folder */
    char *below;         /* what its members' names begin with, as it is part of another's tar; NULL: it is its own */
    int fd;              /* of the tar */
    char *path;          /* the final one */
    char *temporary;     /* where it is now; NULL: standard output */
    GThreadPool *syncer; /* takes names of large files while others are still written */
    GMutex lock;         /* guards the rest */
    GHashTable *sums;    /* name to HbFileSum *, owned */
    GHashTable *synced;  /* names of files that are safe on disk, owned */
    GError *error;       /* of the syncer: the kernel tells each failure only once */
};

static gboolean sync_path(const char *path, const char *name, int flags, GError **error)
{
    int fd = open(path, flags | O_CLOEXEC);
    gboolean ok = fd >= 0 && fsync(fd) == 0;

    if (!ok)
        hb_file_error(error, "syncing", name);
    if (fd >= 0)
        close(fd);
    return ok;
}

static void sync_early(gpointer data, gpointer user_data)
{
    HbFolder *folder = user_data;
    char *name = data;
    g_autofree char *path = g_build_filename(folder->temporary, name, NULL);
    g_autoptr(GError) error = NULL;

    sync_path(path, name, O_RDONLY, &error);
    g_mutex_lock(&folder->lock);
    if (error != NULL && folder->error == NULL && g_hash_table_contains(folder->sums, name)) /* not taken back since */
        folder->error = g_steal_pointer(&error);
    g_hash_table_add(folder->synced, name);
    g_mutex_unlock(&folder->lock);
}

static void wait_for_syncer(HbFolder *folder)
{
    if (folder->syncer != NULL)
        g_thread_pool_free(g_steal_pointer(&folder->syncer), FALSE, TRUE);
}

static void folder_free(HbFolder *folder)
{
    if (folder->below == NULL)
        hb_tar_writer_free(folder->tar);
    g_free(folder->below);
    if (folder->fd >= 0 && folder->temporary != NULL)
        close(folder->fd);
    wait_for_syncer(folder);
    g_free(folder->path);
    g_free(folder->temporary);
    g_hash_table_unref(folder->sums);
    g_hash_table_unref(folder->synced);
    g_clear_error(&folder->error);
    g_mutex_clear(&folder->lock);
    g_free(folder);
}

GHashTable *hb_folder_new_sums(void)
{
    return g_hash_table_new_full(g_str_hash, g_str_equal, NULL, (GDestroyNotify)hb_file_sum_free);
}

gboolean hb_folder_is_stream(const char *path)
{
    return strcmp(path, "-") == 0 || g_str_has_suffix(path, ".tar");
}

static HbFolder *new_folder(void)
{
    HbFolder *folder = g_new0(HbFolder, 1);

    folder->fd = -1;
    folder->sums = hb_folder_new_sums();
    folder->synced = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    g_mutex_init(&folder->lock);
    return folder;
}

static HbFolder *create_stream(void)
{
    HbFolder *folder = new_folder();

    folder->path = g_strdup("-");
    folder->fd = STDOUT_FILENO;
    folder->tar = hb_tar_writer_new(folder->fd);
    return folder;
}

HbFolder *hb_folder_create_below(HbFolder *outer, const char *name)
{
    HbFolder *folder = new_folder();

    folder->path = g_strdup(name);
    folder->below = g_strdup(name);
    folder->tar = outer->tar;
    return folder;
}

static HbFolder *create(const char *path, gboolean as_tar, GError **error)
{
    g_autofree char *clean = g_canonicalize_filename(path, NULL);
    g_autofree char *parent = g_path_get_dirname(clean);
    g_autofree char *base = g_path_get_basename(clean);
    g_autofree char *temporary = g_strdup_printf("%s/.%s.unfinished-XXXXXX", parent, base);
    HbFolder *folder;

    if (g_file_test(clean, G_FILE_TEST_EXISTS)) {
        hb_error_set(error, HB_ERROR_FILE,
                     "move this one away, or name one that is not there yet; with a date, NAME-%Y-%m-%d.dump, it is a "
                     "new one each "
                     "day",
                     "%s exists already; a dump never overwrites anything", path);
        return NULL;
    }
    folder = new_folder();
    folder->path = g_steal_pointer(&clean);
    if (as_tar ? (folder->fd = g_mkstemp_full(temporary, O_RDWR | O_CLOEXEC, 0600)) < 0
               : g_mkdtemp_full(temporary, 0700) == NULL) {
        hb_file_error(error, "creating the dump in", parent);
        folder_free(folder);
        return NULL;
    }
    folder->temporary = g_steal_pointer(&temporary);
    if (folder->fd >= 0)
        folder->tar = hb_tar_writer_new(folder->fd);
    else
        folder->syncer = g_thread_pool_new(sync_early, folder, 1, FALSE, NULL);
    return folder;
}

HbFolder *hb_folder_create(const char *path, GError **error)
{
    return strcmp(path, "-") == 0 ? create_stream() : create(path, hb_folder_is_stream(path), error);
}

HbFolder *hb_folder_create_inside(const HbFolder *outer, const char *name, GError **error)
{
    g_autofree char *path = g_build_filename(outer->temporary, name, NULL);

    return create(path, FALSE, error);
}

HbFile *hb_folder_create_file(HbFolder *folder, const char *name, GError **error)
{
    if (folder->tar != NULL)
        return hb_file_create_in_memory(name);

    g_autofree char *path = g_build_filename(folder->temporary, name, NULL);
    g_autofree char *parent = g_path_get_dirname(path);

    if (g_mkdir_with_parents(parent, 0700) != 0) {
        hb_file_error(error, "creating the folder of", name);
        return NULL;
    }
    return hb_file_create(path, name, error);
}

gboolean hb_folder_make_below(HbFolder *folder, const char *name, GError **error)
{
    g_autofree char *path = g_build_filename(folder->temporary, name, NULL);

    return g_mkdir_with_parents(path, 0700) == 0 || hb_file_error(error, "creating the folder", name);
}

static gboolean put_into_tar(HbFolder *folder, HbFile *file, GError **error)
{
    gsize length;
    const void *bytes = hb_file_get_bytes(file, &length);
    g_autofree char *name = folder->below != NULL ? g_build_filename(folder->below, hb_file_get_name(file), NULL)
                                                  : g_strdup(hb_file_get_name(file));

    if (hb_tar_writer_add(folder->tar, name, bytes, length, error))
        return TRUE;
    hb_file_discard(file);
    return FALSE;
}

gboolean hb_folder_close_file(HbFolder *folder, HbFile *file, guint64 *bytes, GError **error)
{
    HbFileSum *sum;

    if (folder->tar != NULL && !put_into_tar(folder, file, error))
        return FALSE;
    sum = hb_file_close(file, error);
    if (sum == NULL)
        return FALSE;
    if (bytes != NULL)
        *bytes = sum->bytes;
    g_mutex_lock(&folder->lock);
    g_hash_table_replace(folder->sums, sum->name, sum); /* a stream has some names twice */
    g_mutex_unlock(&folder->lock);
    if (sum->bytes >= SYNC_EARLY_BYTES && folder->syncer != NULL)
        g_thread_pool_push(folder->syncer, g_strdup(sum->name), NULL);
    return TRUE;
}

void hb_folder_remove_file(HbFolder *folder, const char *name)
{
    gboolean was_there;

    g_mutex_lock(&folder->lock);
    was_there = g_hash_table_remove(folder->sums, name);
    if (folder->tar != NULL && was_there && folder->error == NULL)
        hb_error_set(&folder->error, HB_ERROR_LOST, "dump again; into a folder, such a piece is read anew",
                     "%s was sent already when the connection to the source broke", name);
    g_mutex_unlock(&folder->lock);
    if (folder->tar == NULL) {
        g_autofree char *path = g_build_filename(folder->temporary, name, NULL);
        unlink(path);
    }
}

gboolean hb_folder_write_file(HbFolder *folder, const char *name, const char *bytes, gsize length, GError **error)
{
    HbFile *file = hb_folder_create_file(folder, name, error);

    if (file == NULL)
        return FALSE;
    if (!hb_file_write(file, bytes, length, error)) {
        hb_file_discard(file);
        return FALSE;
    }
    return hb_folder_close_file(folder, file, NULL, error);
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
        if (!sync_path(path, path, O_RDONLY | O_DIRECTORY, error))
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
        if (!g_hash_table_contains(folder->synced, name) && !sync_path(path, name, O_RDONLY, error))
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
    wait_for_syncer(folder);
    if (folder->error != NULL) {
        g_propagate_error(error, g_steal_pointer(&folder->error));
        return FALSE;
    }
#ifdef __linux__
    if (g_hash_table_size(folder->sums) > SYNC_EACH_LIMIT)
        return sync_file_system(folder, error);
#endif
    return sync_each(folder, error) && sync_path(folder->temporary, folder->path, O_RDONLY | O_DIRECTORY, error);
}

/*
 * A bare rename() would replace a file that came meanwhile. Where the system or its file system knows no rename that
 * does not, a file gets a second name, which fails if that is taken; a folder replaces an empty one at most
 */
static gboolean rename_to_free(const char *from, const char *to)
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

    if (!rename_to_free(folder->temporary, folder->path)) {
        if (errno != EEXIST)
            return hb_file_error(error, "giving the finished dump its name", folder->path);
        return hb_error_set(error, HB_ERROR_FILE, "dump again under a name that is free",
                            "%s exists by now; a dump never overwrites anything", folder->path);
    }
    return sync_path(parent, parent, O_RDONLY | O_DIRECTORY, error);
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
    if (!write_sums(folder, error) || !(folder->tar != NULL ? finish_tar(folder, error) : sync_all(folder, error)))
        return FALSE;
    return folder->temporary == NULL || take_name(folder, error);
}

gboolean hb_folder_commit(HbFolder *folder, GError **error)
{
    if (finish(folder, error)) {
        folder_free(folder);
        return TRUE;
    }
    hb_folder_discard(folder);
    return FALSE;
}

static int remove_entry(const char *path, const struct stat *info, int type, struct FTW *at)
{
    (void)info;
    (void)type;
    (void)at;
    remove(path);
    return 0;
}

static void remove_tree(const char *path)
{
    nftw(path, remove_entry, 16, FTW_DEPTH | FTW_PHYS);
}

void hb_folder_discard(HbFolder *folder)
{
    if (folder == NULL)
        return;
    wait_for_syncer(folder);
    if (folder->temporary != NULL)
        remove_tree(folder->temporary);
    folder_free(folder);
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

void hb_folder_sweep(const char *path)
{
    g_autofree char *going = name_removed(path);

    remove_tree(going);
}

gboolean hb_folder_remove(const char *path, GError **error)
{
    g_autofree char *going = name_removed(path);

    remove_tree(going);
    if (!rename_to_free(path, going))
        return hb_file_error(error, "removing", path);
    remove_tree(going);
    return !g_file_test(going, G_FILE_TEST_EXISTS) ||
           hb_error_set(error, HB_ERROR_FILE, "remove it by hand", "%s: not all of it could be removed", going);
}
