/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/file.h"

#include "core/base/error.h"
#include "dump/limits.h"

#include <errno.h>
#include <fcntl.h>
#include <openssl/evp.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

/*
 * A file that is being written keeps its sum as it grows (SHA-256 of what was written), and is created anew: what is
 * there already is never written to. What is read is reached component by component from the dump's own folder, and no
 * link is followed. A range of a file has a sum of its own, for a tar that holds several members.
 */

#define READ_BLOCK   (1024 * 1024)
#define MEMORY_FIRST (64 * 1024)

struct HbFile {
    int fd;          /* -1: in memory */
    char *memory;    /* NULL: not in memory. It may hold more than 4 GiB, as GLib's arrays cannot */
    gsize allocated; /* of memory */
    char *path;
    char *name;
    guint64 bytes;
    EVP_MD_CTX *digest;
};

static const char *file_hint(int code)
{
    switch (code) {
    case ENOSPC:
    case EDQUOT:
    case EFBIG:
        return "make room, or write to another disk";
    case EACCES:
    case EPERM:
    case EROFS:
        return "use a folder in which you may write, or have its rights changed";
    case ENOENT:
        return "see whether the path is right";
    default:
        return NULL;
    }
}

gboolean hb_file_error(GError **error, const char *doing, const char *name)
{
    int code = errno;

    return hb_error_set(error, HB_ERROR_FILE, file_hint(code), "%s %s: %s", doing, name, g_strerror(code));
}

static int open_folder(int parent, const char *name)
{
    return openat(parent, name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
}

/* Opens what lies in the folder that `at` is, which it closes. A pipe is opened without waiting for its other end */
static int open_below(int at, const char *name)
{
    g_auto(GStrv) words = g_strsplit(name, "/", -1);
    char **word = words;
    int next, code;

    for (; at >= 0 && *word != NULL; word++) {
        next = word[1] != NULL ? open_folder(at, *word)
                               : openat(at, *word, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_NOCTTY | O_CLOEXEC);
        code = errno;
        close(at);
        errno = code;
        at = next;
    }
    return at;
}

static gboolean refuse(const char *name, GError **error)
{
    return hb_error_set(error, HB_ERROR_DAMAGED,
                        "copy the dump again from where it is whole, as the files that it consists of",
                        "%s: is no regular file", name);
}

gboolean hb_file_set_missing(const char *name, GError **error)
{
    return hb_error_set(error, HB_ERROR_DAMAGED, "copy the dump again from where it is whole",
                        "%s: the file is missing from the dump", name);
}

gboolean hb_file_find_inside(const char *folder, const char *name, int *fd, GError **error)
{
    struct stat info;

    *fd = open_below(open(folder, O_RDONLY | O_DIRECTORY | O_CLOEXEC), name);
    if (*fd < 0) {
        if (errno == ENOENT)
            return TRUE;
        if (errno == ELOOP || errno == ENOTDIR || errno == ENXIO || errno == EMLINK)
            return refuse(name, error);
        return hb_file_error(error, "opening", name);
    }
    if (fstat(*fd, &info) == 0 && S_ISREG(info.st_mode))
        return TRUE;
    close(*fd);
    *fd = -1;
    return refuse(name, error);
}

int hb_file_open_inside(const char *folder, const char *name, GError **error)
{
    int fd;

    if (hb_file_find_inside(folder, name, &fd, error) && fd < 0)
        hb_file_set_missing(name, error);
    return fd;
}

HbFileSum *hb_file_sum_copy(const HbFileSum *sum)
{
    HbFileSum *copy = g_memdup2(sum, sizeof *sum);

    copy->name = g_strdup(sum->name);
    return copy;
}

void hb_file_sum_free(HbFileSum *sum)
{
    if (sum == NULL)
        return;
    g_free(sum->name);
    g_free(sum);
}

static EVP_MD_CTX *new_digest(void)
{
    EVP_MD_CTX *digest = EVP_MD_CTX_new();

    g_assert(digest != NULL && EVP_DigestInit_ex(digest, EVP_sha256(), NULL) == 1);
    return digest;
}

static void finish_digest(EVP_MD_CTX *digest, char *text)
{
    unsigned char raw[EVP_MAX_MD_SIZE];
    unsigned int length = 0;

    g_assert(EVP_DigestFinal_ex(digest, raw, &length) == 1 && length * 2 == HB_SUM_TEXT_LENGTH);
    for (unsigned int i = 0; i < length; i++)
        g_snprintf(text + (gsize)2 * i, 3, "%02x", raw[i]);
}

HbFile *hb_file_create(const char *path, const char *name, GError **error)
{
    int fd = open(path, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0600);
    HbFile *file;

    if (fd < 0) {
        hb_file_error(error, "creating", name);
        return NULL;
    }
    file = g_new0(HbFile, 1);
    file->fd = fd;
    file->path = g_strdup(path);
    file->name = g_strdup(name);
    file->digest = new_digest();
    return file;
}

HbFile *hb_file_create_in_memory(const char *name)
{
    HbFile *file = g_new0(HbFile, 1);

    file->fd = -1;
    file->allocated = MEMORY_FIRST;
    file->memory = g_malloc(file->allocated);
    file->name = g_strdup(name);
    file->digest = new_digest();
    return file;
}

const char *hb_file_get_name(const HbFile *file)
{
    return file->name;
}

const void *hb_file_get_bytes(const HbFile *file, gsize *length)
{
    *length = (gsize)file->bytes;
    return file->memory;
}

static void keep(HbFile *file, const void *bytes, gsize length)
{
    while (file->allocated - file->bytes < length)
        file->allocated *= 2;
    file->memory = g_realloc(file->memory, file->allocated);
    memcpy(file->memory + file->bytes, bytes, length);
    file->bytes += length;
}

gboolean hb_file_write_fully(int fd, const char *bytes, gsize length)
{
    while (length > 0) {
        const ssize_t written = write(fd, bytes, length);
        if (written < 0 && errno != EINTR)
            return FALSE;
        bytes += MAX(written, 0);
        length -= (gsize)MAX(written, 0);
    }
    return TRUE;
}

gboolean hb_file_write(HbFile *file, const void *bytes, gsize length, GError **error)
{
    g_assert(EVP_DigestUpdate(file->digest, bytes, length) == 1);
    if (file->memory != NULL) {
        keep(file, bytes, length);
        return TRUE;
    }
    file->bytes += length;
    return hb_file_write_fully(file->fd, bytes, length) || hb_file_error(error, "writing", file->name);
}

static void file_free(HbFile *file)
{
    EVP_MD_CTX_free(file->digest);
    g_free(file->memory);
    g_free(file->path);
    g_free(file->name);
    g_free(file);
}

HbFileSum *hb_file_close(HbFile *file, GError **error)
{
    HbFileSum *sum = g_new0(HbFileSum, 1);

    sum->name = g_strdup(file->name);
    sum->bytes = file->bytes;
    finish_digest(file->digest, sum->sum);
    if (file->fd >= 0 && close(file->fd) != 0) {
        hb_file_error(error, "closing", file->name);
        g_clear_pointer(&sum, hb_file_sum_free);
    }
    file_free(file);
    return sum;
}

void hb_file_discard(HbFile *file)
{
    if (file == NULL)
        return;
    if (file->fd >= 0) {
        close(file->fd);
        unlink(file->path);
    }
    file_free(file);
}

static gboolean sum_part(int fd, guint64 offset, guint64 bytes, HbFileSum *sum, HbFileProgress progress, gpointer data,
                         GError **error)
{
    g_autofree char *block = g_malloc(READ_BLOCK);
    EVP_MD_CTX *digest = new_digest();
    ssize_t count = 1;
    gboolean go_on = TRUE;

    while (go_on && sum->bytes < bytes && count > 0) {
        count = pread(fd, block, MIN(READ_BLOCK, bytes - sum->bytes), (off_t)(offset + sum->bytes));
        if (count < 0 && errno == EINTR) {
            count = 1;
        } else if (count > 0) {
            g_assert(EVP_DigestUpdate(digest, block, (size_t)count) == 1);
            sum->bytes += (guint64)count;
            go_on = progress == NULL || progress(data, (guint64)count);
        }
    }
    finish_digest(digest, sum->sum);
    EVP_MD_CTX_free(digest);
    if (!go_on)
        return hb_error_set(error, HB_ERROR_CANCELLED, NULL, "interrupted");
    return count >= 0 || hb_file_error(error, "reading", sum->name);
}

HbFileSum *hb_file_sum(int fd, guint64 offset, guint64 bytes, const char *name, HbFileProgress progress, gpointer data,
                       GError **error)
{
    g_autoptr(HbFileSum) sum = g_new0(HbFileSum, 1);

    sum->name = g_strdup(name);
    return sum_part(fd, offset, bytes, sum, progress, data, error) ? g_steal_pointer(&sum) : NULL;
}

gboolean hb_file_is_safe_name(const char *name)
{
    g_auto(GStrv) words = g_strsplit(name, "/", -1);

    if (*name == '\0' || strlen(name) > HB_LIMIT_NAME)
        return FALSE;
    for (char **word = words; *word != NULL; word++) {
        if (**word == '\0' || strcmp(*word, ".") == 0 || strcmp(*word, "..") == 0)
            return FALSE;
        for (const char *at = *word; *at != '\0'; at++) {
            if (g_ascii_iscntrl(*at) || *at == '\\')
                return FALSE;
        }
    }
    return TRUE;
}

gint hb_file_compare_names(gconstpointer one, gconstpointer other)
{
    return strcmp(*(const char *const *)one, *(const char *const *)other);
}
