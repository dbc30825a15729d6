/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/store.h"

#include "core/base/error.h"
#include "dump/bucket.h"
#include "dump/folder.h"
#include "dump/object_access.h"
#include "dump/tar.h"

#include <errno.h>
#include <fcntl.h>
#include <glib/gstdio.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

/*
 * Folder and tar behind one face: a member is a file and a range in it. A folder's members are opened one by one,
 * below the folder's own descriptor and never through a link; a tar is read once, and knows where each member begins.
 * A store of a member (a database in a whole server's dump) adds a prefix, and shares the file. In an object store the
 * list of names stands for the tar's; each member is brought into a temporary file when it is opened.
 */

struct HbStore {
    char *path;
    GHashTable *members; /* char * to HbTarMember *; NULL: a folder */
    HbBucket *bucket;    /* in which the members are, each an object; NULL: they are here */
};

static const char damaged_hint[] = "copy the dump again from where it is whole, or take a new one";

/* ---- A tar's members ---- */

static void member_free(gpointer data)
{
    hb_tar_member_clear(data);
    g_free(data);
}

static gboolean index_members(HbStore *store, HbTarReader *tar, GError **error)
{
    HbTarMember member = {0};

    for (;;) {
        if (!hb_tar_reader_next(tar, &member, error))
            return FALSE;
        if (member.name == NULL)
            return TRUE;
        g_hash_table_replace(store->members, g_strdup(member.name), g_memdup2(&member, sizeof member));
        member = (HbTarMember){0};
    }
}

static gboolean open_tar(HbStore *store, GError **error)
{
    int fd = open(store->path, O_RDONLY | O_CLOEXEC);
    HbTarReader *tar;
    gboolean ok;

    if (fd < 0)
        return hb_file_error(error, "opening", store->path);
    store->members = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, member_free);
    tar = hb_tar_reader_new(fd, -1, error);
    ok = tar != NULL && index_members(store, tar, error);
    hb_tar_reader_free(tar);
    close(fd);
    if (!ok)
        g_prefix_error(error, "%s is not a folder, and no whole tar: ", store->path);
    return ok;
}

/* ---- Objects ---- */

static gboolean list_objects(HbStore *store, GError **error)
{
    g_autoptr(GHashTable) sizes = hb_bucket_list(store->bucket, 0, error);
    GHashTableIter iter;
    gpointer name, bytes;

    if (sizes == NULL)
        return FALSE;
    g_hash_table_iter_init(&iter, sizes);
    while (g_hash_table_iter_next(&iter, &name, &bytes)) {
        HbTarMember *member = g_new0(HbTarMember, 1);
        member->name = g_strdup(name);
        member->bytes = *(guint64 *)bytes;
        g_hash_table_insert(store->members, g_strdup(name), member);
    }
    return g_hash_table_size(store->members) > 0 || hb_error_set(error, HB_ERROR_FILE, "see whether the path is right",
                                                                 "%s: there is no such dump", store->path);
}

static HbStore *open_objects(const char *uri, GError **error)
{
    HbStore *store = g_new0(HbStore, 1);

    store->path = g_strdup(uri);
    store->members = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, member_free);
    store->bucket = hb_bucket_open(uri, error);
    if (store->bucket != NULL && list_objects(store, error))
        return store;
    hb_store_close(store);
    return NULL;
}

/* ---- Life ---- */

static gboolean check_folder(const char *path, GError **error)
{
    g_autoptr(GError) cause = NULL;
    GDir *folder = g_dir_open(path, 0, &cause);

    if (folder == NULL)
        return hb_error_set(error, HB_ERROR_FILE, "have its rights changed, or become a user who may read it", "%s",
                            cause->message);
    g_dir_close(folder);
    return TRUE;
}

HbStore *hb_store_open(const char *path, GError **error)
{
    HbStore *store;

    if (hb_object_is_uri(path))
        return open_objects(path, error);
    if (!g_file_test(path, G_FILE_TEST_EXISTS)) {
        hb_error_set(error, HB_ERROR_FILE, "see whether the path is right", "%s: there is no such dump", path);
        return NULL;
    }
    store = g_new0(HbStore, 1);
    store->path = g_strdup(path);
    if (g_file_test(path, G_FILE_TEST_IS_DIR) ? check_folder(path, error) : open_tar(store, error))
        return store;
    hb_store_close(store);
    return NULL;
}

static HbTarMember *copy_member(const HbTarMember *member)
{
    HbTarMember *copy = g_memdup2(member, sizeof *member);

    copy->name = g_strdup(member->name);
    return copy;
}

/* The folder stands before the address's options */
static char *name_below(const char *uri, const char *folder)
{
    const char *options = strchr(uri, '?');
    g_autofree char *path = options != NULL ? g_strndup(uri, (gsize)(options - uri)) : g_strdup(uri);

    return g_strconcat(path, "/", folder, options, NULL);
}

/* The outer list has all names; in a bucket each is then found below the folder's own address */
static void take_members_below(HbStore *store, const HbStore *outer, const char *folder)
{
    g_autofree char *prefix = g_strconcat(folder, "/", NULL);
    GHashTableIter iter;
    gpointer name, member;

    store->members = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, member_free);
    g_hash_table_iter_init(&iter, outer->members);
    while (g_hash_table_iter_next(&iter, &name, &member)) {
        if (g_str_has_prefix(name, prefix))
            g_hash_table_insert(store->members, g_strdup((char *)name + strlen(prefix)), copy_member(member));
    }
}

HbStore *hb_store_open_below(const HbStore *outer, const char *folder, GError **error)
{
    g_autofree char *path = g_build_filename(outer->path, folder, NULL);
    HbStore *store;

    if (outer->members == NULL)
        return hb_store_open(path, error);
    store = g_new0(HbStore, 1);
    store->path = outer->bucket != NULL ? name_below(outer->path, folder) : g_strdup(outer->path);
    take_members_below(store, outer, folder);
    if (outer->bucket == NULL || (store->bucket = hb_bucket_open(store->path, error)) != NULL)
        return store;
    hb_store_close(store);
    return NULL;
}

void hb_store_close(HbStore *store)
{
    if (store == NULL)
        return;
    g_free(store->path);
    hb_bucket_close(store->bucket);
    g_clear_pointer(&store->members, g_hash_table_unref);
    g_free(store);
}

/* ---- Reading ---- */

GPtrArray *hb_store_list(const HbStore *store, GError **error)
{
    GPtrArray *names;
    GHashTableIter iter;
    gpointer name;

    if (store->members == NULL)
        return hb_folder_list(store->path, error);
    names = g_ptr_array_new_with_free_func(g_free);
    g_hash_table_iter_init(&iter, store->members);
    while (g_hash_table_iter_next(&iter, &name, NULL))
        g_ptr_array_add(names, g_strdup(name));
    g_ptr_array_sort(names, hb_file_compare_names);
    return names;
}

/* Of a regular file inside the dump; -1 on error */
static int open_in_folder(const HbStore *store, const char *name, guint64 *bytes, GError **error)
{
    int fd = hb_file_open_inside(store->path, name, error);
    struct stat info;

    if (fd >= 0 && fstat(fd, &info) == 0)
        *bytes = (guint64)info.st_size;
    return fd;
}

gboolean hb_store_find_size(const HbStore *store, const char *name, guint64 *bytes)
{
    const HbTarMember *member;
    int fd;

    if (store->members == NULL) {
        fd = open_in_folder(store, name, bytes, NULL);
        if (fd >= 0)
            close(fd);
        return fd >= 0;
    }
    member = g_hash_table_lookup(store->members, name);
    *bytes = member != NULL ? member->bytes : 0;
    return member != NULL;
}

gboolean hb_store_open_file(const HbStore *store, const char *name, HbStoreFile *file, GError **error)
{
    const HbTarMember *member = store->members != NULL ? g_hash_table_lookup(store->members, name) : NULL;

    *file = (HbStoreFile){.fd = -1};
    if (store->members == NULL) {
        file->fd = open_in_folder(store, name, &file->bytes, error);
        return file->fd >= 0;
    }
    if (member == NULL)
        return hb_file_set_missing(name, error);
    file->offset = member->offset;
    file->bytes = member->bytes;
    if (store->bucket != NULL) {
        file->fd = hb_bucket_get(store->bucket, name, member->bytes, error);
        return file->fd >= 0;
    }
    file->fd = open(store->path, O_RDONLY | O_CLOEXEC);
    return file->fd >= 0 || hb_file_error(error, "opening", store->path);
}

void hb_store_close_file(HbStoreFile *file)
{
    if (file->fd >= 0)
        close(file->fd);
    file->fd = -1;
}

static gboolean read_exactly(int fd, guint64 offset, char *bytes, gsize length, const char *name, GError **error)
{
    for (gsize at = 0; at < length;) {
        ssize_t count = pread(fd, bytes + at, length - at, (off_t)(offset + at));
        if (count < 0 && errno == EINTR)
            continue;
        if (count < 0)
            return hb_file_error(error, "reading", name);
        if (count == 0)
            return hb_error_set(error, HB_ERROR_DAMAGED, damaged_hint, "%s: it ends too early", name);
        at += (gsize)count;
    }
    return TRUE;
}

gboolean hb_store_read_file(const HbStoreFile *file, const char *name, guint64 limit, char **bytes, gsize *length,
                            GError **error)
{
    g_autofree char *text = NULL;

    if (file->bytes > limit)
        return hb_error_set(error, HB_ERROR_DAMAGED, damaged_hint, "%s: too large to be a dump's", name);
    text = g_malloc(file->bytes + 1);
    text[file->bytes] = '\0';
    if (!read_exactly(file->fd, file->offset, text, file->bytes, name, error))
        return FALSE;
    *bytes = g_steal_pointer(&text);
    *length = file->bytes;
    return TRUE;
}

gboolean hb_store_read(const HbStore *store, const char *name, guint64 limit, char **bytes, gsize *length,
                       GError **error)
{
    HbStoreFile file;
    gboolean ok;

    if (!hb_store_open_file(store, name, &file, error))
        return FALSE;
    ok = hb_store_read_file(&file, name, limit, bytes, length, error);
    hb_store_close_file(&file);
    return ok;
}
