/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/folder_inner.h"

#include "core/base/error.h"
#include "dump/object_access.h"

#include <errno.h>
#include <fcntl.h>
#include <string.h>
#include <unistd.h>

/* Larger ones are synced while others are still written */
#define SYNC_EARLY_BYTES (1024 * 1024)

gboolean hb_folder_sync_path(const char *path, const char *name, int flags, GError **error)
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

    hb_folder_sync_path(path, name, O_RDONLY, &error);
    g_mutex_lock(&folder->lock);
    if (error != NULL && folder->error == NULL && g_hash_table_contains(folder->sums, name)) /* not taken back since */
        folder->error = g_steal_pointer(&error);
    g_hash_table_add(folder->synced, name);
    g_mutex_unlock(&folder->lock);
}

void hb_folder_wait_for_syncer(HbFolder *folder)
{
    if (folder->syncer != NULL)
        g_thread_pool_free(g_steal_pointer(&folder->syncer), FALSE, TRUE);
}

void hb_folder_free(HbFolder *folder)
{
    if (folder->below == NULL)
        hb_tar_writer_free(folder->tar);
    g_free(folder->below);
    if (folder->fd >= 0 && folder->temporary != NULL)
        close(folder->fd);
    hb_folder_wait_for_syncer(folder);
    if (folder->outer == NULL)
        hb_bucket_close(folder->bucket);
    g_ptr_array_unref(folder->given);
    g_free(folder->prefix);
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
    folder->given = g_ptr_array_new_with_free_func(g_free);
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
    g_autofree char *hidden = g_strdup_printf(HB_UNFINISHED_NAME, base, "XXXXXX");
    g_autofree char *temporary = g_build_filename(parent, hidden, NULL);
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
        hb_folder_free(folder);
        return NULL;
    }
    folder->temporary = g_steal_pointer(&temporary);
    if (folder->fd >= 0)
        folder->tar = hb_tar_writer_new(folder->fd);
    else
        folder->syncer = g_thread_pool_new(sync_early, folder, 1, FALSE, NULL);
    return folder;
}

HbFolder *hb_folder_new_inside(const char *path, const char *temporary)
{
    HbFolder *folder = new_folder();

    folder->path = g_canonicalize_filename(path, NULL);
    folder->temporary = g_strdup(temporary);
    folder->syncer = g_thread_pool_new(sync_early, folder, 1, FALSE, NULL);
    return folder;
}

/* ---- In an object store: files are made in a temporary folder, and go one by one ---- */

HbFolder *hb_folder_new_remote(const char *path, HbBucket *bucket, HbFolder *outer, char *prefix, GError **error)
{
    HbFolder *folder = new_folder();
    g_autoptr(GError) cause = NULL;

    folder->path = g_strdup(path);
    folder->bucket = bucket;
    folder->outer = outer;
    folder->prefix = prefix;
    folder->temporary = g_dir_make_tmp("hornbeam-XXXXXX", &cause);
    if (folder->temporary != NULL)
        return folder;
    hb_error_set(error, HB_ERROR_FILE, "name a folder that may be written in TMPDIR", "%s", cause->message);
    hb_folder_free(folder);
    return NULL;
}

static gboolean check_free(HbBucket *bucket, const char *uri, GError **error)
{
    g_autoptr(GHashTable) names = hb_bucket_list(bucket, 1, error), all = NULL;

    if (names == NULL || g_hash_table_size(names) == 0)
        return names != NULL;
    all = hb_bucket_list(bucket, 0, error);
    if (all == NULL)
        return FALSE;
    if (g_hash_table_contains(all, HB_SUMS_FILE))
        return hb_error_set(error, HB_ERROR_FILE,
                            "name one that is not there yet; a date in the name makes it a new one",
                            "%s exists already; a dump never overwrites anything", uri);
    return hb_error_set(error, HB_ERROR_FILE, "have it removed, by --sweep, if no dump to this name is at work now",
                        "%s: %u files are there, but no sums: a dump that was killed left them, or one is at work", uri,
                        g_hash_table_size(all));
}

static HbFolder *create_remote(const char *uri, GError **error)
{
    HbBucket *bucket = hb_bucket_open(uri, error);

    if (bucket == NULL)
        return NULL;
    if (check_free(bucket, uri, error))
        return hb_folder_new_remote(uri, bucket, NULL, g_strdup(""), error);
    hb_bucket_close(bucket);
    return NULL;
}

/* The file is here by its name; there it is when this has succeeded */
static gboolean send_file(HbFolder *folder, const HbFileSum *sum, GError **error)
{
    g_autofree char *path = g_build_filename(folder->temporary, sum->name, NULL),
                    *name = g_strconcat(folder->prefix, sum->name, NULL);
    const int fd = open(path, O_RDONLY | O_CLOEXEC);
    const gboolean ok = fd >= 0 ? hb_bucket_put(folder->bucket, name, fd, sum->bytes, sum->sum, error)
                                : hb_file_error(error, "opening", path);

    if (fd >= 0)
        close(fd);
    unlink(path);
    return ok;
}

/* ---- Files ---- */

HbFolder *hb_folder_create(const char *path, GError **error)
{
    if (hb_object_is_uri(path))
        return create_remote(path, error);
    return strcmp(path, "-") == 0 ? create_stream() : create(path, hb_folder_is_stream(path), error);
}

HbFolder *hb_folder_create_inside(HbFolder *outer, const char *name, GError **error)
{
    g_autofree char *path = g_build_filename(outer->temporary, name, NULL);

    if (outer->bucket != NULL)
        return hb_folder_new_remote(path, outer->bucket, outer, g_strconcat(outer->prefix, name, "/", NULL), error);
    return create(path, FALSE, error);
}

/* What is for everybody to read */
static gboolean is_clear(const HbFolder *folder, const char *name)
{
    return folder->recipients == NULL || strcmp(name, HB_SUMS_FILE) == 0 || strcmp(name, HB_LABEL_FILE) == 0;
}

/* The name that a file has in the dump */
static char *name_stored(const HbFolder *folder, const char *name)
{
    return g_strconcat(name, is_clear(folder, name) ? NULL : HB_SEALED_SUFFIX, NULL);
}

/* Where bytes go that are as they will lie there */
static HbFile *create_plain(const HbFolder *folder, const char *name, GError **error)
{
    if (folder->tar != NULL)
        return hb_file_create_in_memory(name);

    g_autofree char *path = g_build_filename(folder->temporary, name, NULL);
    g_autofree char *parent = g_path_get_dirname(path);

    /* one that another host has given up must not come again */
    if (access(folder->temporary, F_OK) != 0 || g_mkdir_with_parents(parent, 0700) != 0) {
        hb_file_error(error, "creating the folder of", name);
        return NULL;
    }
    return hb_file_create(path, name, error);
}

HbFile *hb_folder_create_file(HbFolder *folder, const char *name, GError **error)
{
    g_autofree char *stored = name_stored(folder, name);

    return is_clear(folder, name) ? create_plain(folder, stored, error) : hb_file_create_in_memory(stored);
}

gboolean hb_folder_seal_for(HbFolder *folder, const HbRecipients *recipients, GError **error)
{
    const char *text = hb_recipients_get_text(recipients);

    if (!hb_folder_write_file(folder, HB_RECIPIENTS_FILE, text, strlen(text), error))
        return FALSE;
    folder->recipients = recipients;
    return TRUE;
}

/* Takes the file that is in memory, and gives one with what was sealed of it; NULL on error */
static HbFile *seal_file(const HbFolder *folder, HbFile *file, GError **error)
{
    const char *name = hb_file_get_name(file);
    gsize length;
    const void *bytes = hb_file_get_bytes(file, &length);
    g_autoptr(GBytes) sealed = hb_recipients_seal(folder->recipients, bytes, length, name, error);
    HbFile *result = sealed != NULL ? create_plain(folder, name, error) : NULL;

    if (result != NULL && !hb_file_write(result, g_bytes_get_data(sealed, NULL), g_bytes_get_size(sealed), error)) {
        hb_file_discard(result);
        result = NULL;
    }
    hb_file_discard(file);
    return result;
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

    if (!is_clear(folder, hb_file_get_name(file)) && (file = seal_file(folder, file, error)) == NULL)
        return FALSE;
    if (folder->tar != NULL && !put_into_tar(folder, file, error))
        return FALSE;
    sum = hb_file_close(file, error);
    if (sum == NULL)
        return FALSE;
    if (folder->bucket != NULL && !send_file(folder, sum, error)) {
        hb_file_sum_free(sum);
        return FALSE;
    }
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
    g_autofree char *stored = name_stored(folder, name);
    gboolean was_there;

    g_mutex_lock(&folder->lock);
    was_there = g_hash_table_remove(folder->sums, stored);
    if (folder->tar != NULL && was_there && folder->error == NULL)
        hb_error_set(&folder->error, HB_ERROR_LOST, "dump again; into a folder, such a piece is read anew",
                     "%s was sent already when the connection to the source broke", name);
    g_mutex_unlock(&folder->lock);
    if (folder->bucket != NULL && was_there) {
        g_autofree char *there = g_strconcat(folder->prefix, stored, NULL);
        hb_bucket_remove(folder->bucket, there, NULL);
    } else if (folder->tar == NULL) {
        g_autofree char *path = g_build_filename(folder->temporary, stored, NULL);
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
