/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/shared_folder.h"

#include "core/base/error.h"
#include "dump/folder_inner.h"
#include "dump/object_access.h"

#include <errno.h>
#include <fcntl.h>
#include <glib/gstdio.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#define NOTES      "hosts/"
#define NOTE_BYTES (64 * 1024 * 1024)

/* ---- Finding and joining ---- */

GPtrArray *hb_shared_folder_list_places(const char *path, GError **error)
{
    g_autoptr(GPtrArray) places = g_ptr_array_new_with_free_func(g_free);
    g_autofree char *clean = NULL, *parent = NULL, *base = NULL, *begin = NULL;
    g_autoptr(GDir) folder = NULL;
    const char *entry;

    if (hb_object_is_uri(path)) {
        g_ptr_array_add(places, g_strdup(path));
        return g_steal_pointer(&places);
    }
    clean = g_canonicalize_filename(path, NULL);
    parent = g_path_get_dirname(clean);
    base = g_path_get_basename(clean);
    begin = g_strdup_printf(HB_UNFINISHED_NAME, base, "");
    folder = g_dir_open(parent, 0, NULL);
    if (folder == NULL) {
        hb_file_error(error, "reading the folder", parent);
        return NULL;
    }
    while ((entry = g_dir_read_name(folder)) != NULL) {
        if (g_str_has_prefix(entry, begin))
            g_ptr_array_add(places, g_build_filename(parent, entry, NULL));
    }
    return g_steal_pointer(&places);
}

HbFolder *hb_shared_folder_join(const char *path, const char *place, GError **error)
{
    HbBucket *bucket;

    if (!hb_object_is_uri(path))
        return hb_folder_new_inside(path, place);
    bucket = hb_bucket_open(path, error);
    return bucket != NULL ? hb_folder_new_remote(path, bucket, NULL, g_strdup(""), error) : NULL;
}

void hb_shared_folder_leave(HbFolder *folder)
{
    if (folder == NULL)
        return;
    hb_folder_wait_for_syncer(folder);
    if (folder->bucket != NULL)
        hb_folder_remove_tree(folder->temporary);
    hb_folder_free(folder);
}

/* ---- Notes in an object store ---- */

static char *note_name(const char *name)
{
    return g_strconcat(NOTES, name, NULL);
}

static gboolean put_note(HbFolder *folder, const char *name, const char *text, gboolean *written, GError **error)
{
    g_autofree char *there = note_name(name), *other = NULL;
    g_autoptr(GError) ours = NULL;

    *written = hb_bucket_write(folder->bucket, there, text, &ours);
    if (*written || (hb_bucket_read(folder->bucket, there, &other, NULL) && other != NULL))
        return TRUE;
    g_propagate_error(error, g_steal_pointer(&ours));
    return FALSE;
}

/* ---- Notes in a folder: written under another name first ---- */

static gboolean write_note(HbFolder *folder, const char *name, const char *text, gboolean *written, GError **error)
{
    g_autofree char *parent = g_build_filename(folder->temporary, NOTES, NULL),
                    *path = g_build_filename(parent, name, NULL),
                    *draft = g_strdup_printf("%s/.%s-XXXXXX", parent, name);
    gboolean ok = TRUE;
    int fd;

    *written = FALSE;
    if ((g_mkdir(parent, 0700) != 0 && errno != EEXIST) || (fd = g_mkstemp_full(draft, O_RDWR | O_CLOEXEC, 0600)) < 0)
        return hb_file_error(error, "writing", path);
    if (!hb_file_write_fully(fd, text, strlen(text)))
        ok = hb_file_error(error, "writing", path);
    else if (!(*written = hb_folder_rename_to_free(draft, path)) && errno != EEXIST)
        ok = hb_file_error(error, "writing", path);
    close(fd);
    if (!*written)
        unlink(draft);
    return ok;
}

static gboolean read_file(int fd, const char *name, char **text, GError **error)
{
    g_autoptr(GString) read_text = g_string_new(NULL);
    char block[16384];
    ssize_t count;

    while ((count = read(fd, block, sizeof block)) > 0 && read_text->len < NOTE_BYTES)
        g_string_append_len(read_text, block, count);
    close(fd);
    if (count != 0)
        return count < 0 ? hb_file_error(error, "reading", name)
                         : hb_error_set(error, HB_ERROR_DAMAGED, NULL, "%s is larger than any note", name);
    *text = g_string_free(g_steal_pointer(&read_text), FALSE);
    return TRUE;
}

/* ---- Notes ---- */

gboolean hb_shared_folder_write_note(HbFolder *folder, const char *name, const char *text, gboolean *written,
                                     GError **error)
{
    return (folder->bucket != NULL ? put_note : write_note)(folder, name, text, written, error);
}

gboolean hb_shared_folder_read_note(HbFolder *folder, const char *name, char **text, GError **error)
{
    g_autofree char *there = note_name(name);
    int fd;

    *text = NULL;
    if (folder->bucket != NULL)
        return hb_bucket_read(folder->bucket, there, text, error);
    return hb_file_find_inside(folder->temporary, there, &fd, error) && (fd < 0 || read_file(fd, there, text, error));
}

gboolean hb_shared_folder_remove_note(HbFolder *folder, const char *name, GError **error)
{
    g_autofree char *there = note_name(name), *path = NULL;

    if (folder->bucket != NULL)
        return hb_bucket_remove(folder->bucket, there, error);
    path = g_build_filename(folder->temporary, there, NULL);
    return unlink(path) == 0 || errno == ENOENT || hb_file_error(error, "removing", path);
}

/* All files that are there, notes too: names to sizes (guint64 *) */
static GHashTable *list_files(HbFolder *folder, GError **error)
{
    g_autoptr(GHashTable) sizes = NULL;
    g_autoptr(GPtrArray) names = NULL;

    if (folder->bucket != NULL)
        return hb_bucket_list(folder->bucket, 0, error);
    names = hb_folder_list(folder->temporary, error);
    if (names == NULL)
        return NULL;
    sizes = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    for (guint i = 0; i < names->len; i++) {
        g_autofree char *path = g_build_filename(folder->temporary, names->pdata[i], NULL);
        struct stat info;
        if (lstat(path, &info) == 0 && S_ISREG(info.st_mode)) {
            const guint64 bytes = (guint64)info.st_size;
            g_hash_table_insert(sizes, g_strdup(names->pdata[i]), g_memdup2(&bytes, sizeof bytes));
        }
    }
    return g_steal_pointer(&sizes);
}

GHashTable *hb_shared_folder_list_notes(HbFolder *folder, GError **error)
{
    g_autofree char *parent = NULL;
    g_autoptr(GHashTable) files = NULL, notes = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    g_autoptr(GDir) opened = NULL;
    GHashTableIter iter;
    gpointer name;

    if (folder->bucket == NULL) {
        parent = g_build_filename(folder->temporary, NOTES, NULL);
        opened = g_dir_open(parent, 0, NULL);
        if (opened == NULL) {
            hb_file_error(error, "reading the folder", parent);
            return NULL;
        }
        while ((name = (gpointer)g_dir_read_name(opened)) != NULL)
            g_hash_table_add(notes, g_strdup(name));
        return g_steal_pointer(&notes);
    }
    files = list_files(folder, error);
    if (files == NULL)
        return NULL;
    g_hash_table_iter_init(&iter, files);
    while (g_hash_table_iter_next(&iter, &name, NULL)) {
        if (g_str_has_prefix(name, NOTES))
            g_hash_table_add(notes, g_strdup((char *)name + strlen(NOTES)));
    }
    return g_steal_pointer(&notes);
}

/* ---- Files ---- */

const HbFileSum *hb_shared_folder_settle_file(HbFolder *folder, const char *name, GError **error)
{
    g_autofree char *path = folder->bucket == NULL ? g_build_filename(folder->temporary, name, NULL) : NULL;
    const HbFileSum *sum;

    if (path != NULL && !hb_folder_sync_path(path, name, O_RDONLY, error))
        return NULL;
    g_mutex_lock(&folder->lock);
    sum = g_hash_table_lookup(folder->sums, name);
    g_mutex_unlock(&folder->lock);
    return sum;
}

gboolean hb_shared_folder_adopt(HbFolder *folder, GPtrArray *sums, GError **error)
{
    g_autoptr(GHashTable) sizes = list_files(folder, error);

    for (guint i = 0; sizes != NULL && i < sums->len; i++) {
        const HbFileSum *sum = sums->pdata[i];
        const guint64 *bytes = g_hash_table_lookup(sizes, sum->name);
        if (bytes == NULL || *bytes != sum->bytes)
            return hb_error_set(error, HB_ERROR_DAMAGED, "see whether all hosts write to the same DUMP, and dump again",
                                "%s: another host has written it, and %s", sum->name,
                                bytes == NULL ? "it is not there" : "it has another size");
    }
    if (sizes == NULL)
        return FALSE;
    g_mutex_lock(&folder->lock);
    for (guint i = 0; i < sums->len; i++) {
        HbFileSum *sum = sums->pdata[i];
        g_hash_table_replace(folder->sums, sum->name, sum);
    }
    g_mutex_unlock(&folder->lock);
    g_ptr_array_set_free_func(sums, NULL);
    g_ptr_array_set_size(sums, 0);
    return TRUE;
}

/* A folder that this empties goes, too. Another host may remove what is its own meanwhile, as the draft of a note */
static gboolean remove_here(const HbFolder *folder, const char *name, GError **error)
{
    g_autofree char *path = g_build_filename(folder->temporary, name, NULL), *parent = g_path_get_dirname(path);

    if (unlink(path) != 0 && errno != ENOENT)
        return hb_file_error(error, "removing", path);
    if (strcmp(parent, folder->temporary) != 0)
        rmdir(parent);
    return TRUE;
}

gboolean hb_shared_folder_clear(HbFolder *folder, GError **error)
{
    g_autoptr(GHashTable) files = list_files(folder, error);
    GHashTableIter iter;
    gpointer name;

    if (files == NULL)
        return FALSE;
    g_hash_table_iter_init(&iter, files);
    while (g_hash_table_iter_next(&iter, &name, NULL)) {
        if (g_hash_table_contains(folder->sums, name))
            continue;
        if (folder->bucket != NULL ? !hb_bucket_remove(folder->bucket, name, error) : !remove_here(folder, name, error))
            return FALSE;
    }
    return TRUE;
}
