/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/tar.h"

#include "core/base/error.h"
#include "dump/file.h"

#include <archive.h>
#include <archive_entry.h>
#include <errno.h>
#include <poll.h>
#include <time.h>
#include <unistd.h>

/*
 * POSIX tar by libarchive, written in one go and read by position: headers are read once, and members then opened by
 * their offset in the file. Of a stream the members come one after the other. Names are checked before they are used
 * for anything, links and devices are refused, and a size that the file cannot have is damage.
 */

#define BLOCK_BYTES  (64 * 1024)
#define MEMBER_FIRST ((guint64)1024 * 1024)

/* ---- Writing ---- */

struct HbTarWriter {
    struct archive *archive;
    GMutex lock; /* around each member */
};

HbTarWriter *hb_tar_writer_new(int fd)
{
    HbTarWriter *tar = g_new0(HbTarWriter, 1);

    g_mutex_init(&tar->lock);
    tar->archive = archive_write_new();
    g_assert(tar->archive != NULL && archive_write_set_format_pax_restricted(tar->archive) == ARCHIVE_OK);
    archive_write_set_bytes_per_block(tar->archive, BLOCK_BYTES);
    archive_write_set_bytes_in_last_block(tar->archive, 1);
    archive_write_open_fd(tar->archive, fd);
    return tar;
}

static gboolean write_error(HbTarWriter *tar, const char *name, GError **error)
{
    int code = archive_errno(tar->archive);

    return hb_error_set(error, HB_ERROR_FILE,
                        code == EPIPE ? "see why the reader of the stream ended"
                                      : "make room, or write to another disk",
                        "writing %s: %s", name, code > 0 ? g_strerror(code) : archive_error_string(tar->archive));
}

static struct archive_entry *new_entry(const char *name, gsize length)
{
    struct archive_entry *entry = archive_entry_new();

    archive_entry_update_pathname_utf8(entry, name);
    archive_entry_set_filetype(entry, AE_IFREG);
    archive_entry_set_perm(entry, 0600);
    archive_entry_set_mtime(entry, time(NULL), 0);
    archive_entry_set_size(entry, (la_int64_t)length);
    return entry;
}

static gboolean add_locked(HbTarWriter *tar, const char *name, const void *bytes, gsize length, GError **error)
{
    struct archive_entry *entry = new_entry(name, length);
    /* A name that is no text in this locale is written as bytes, with a warning that does not matter */
    gboolean ok = archive_write_header(tar->archive, entry) >= ARCHIVE_WARN;

    archive_entry_free(entry);
    for (gsize at = 0; ok && at < length;) {
        la_ssize_t written = archive_write_data(tar->archive, (const char *)bytes + at, length - at);
        ok = written > 0;
        at += ok ? (gsize)written : 0;
    }
    return ok || write_error(tar, name, error);
}

gboolean hb_tar_writer_add(HbTarWriter *tar, const char *name, const void *bytes, gsize length, GError **error)
{
    gboolean ok;

    g_mutex_lock(&tar->lock);
    ok = add_locked(tar, name, bytes, length, error);
    g_mutex_unlock(&tar->lock);
    return ok;
}

gboolean hb_tar_writer_close(HbTarWriter *tar, GError **error)
{
    return archive_write_close(tar->archive) == ARCHIVE_OK || write_error(tar, "the end of the tar", error);
}

/* Without close() no end is written: a reader must see that it was cut off */
void hb_tar_writer_free(HbTarWriter *tar)
{
    if (tar == NULL)
        return;
    archive_write_fail(tar->archive);
    archive_write_free(tar->archive);
    g_mutex_clear(&tar->lock);
    g_free(tar);
}

/* ---- Reading ---- */

struct HbTarReader {
    struct archive *archive;
    int fd;
    int stop_fd;
    gboolean is_stopped;
    char block[BLOCK_BYTES];
};

/* Until something can be read from one of them */
static gboolean wait_for_bytes(HbTarReader *tar)
{
    struct pollfd both[] = {{.fd = tar->fd, .events = POLLIN}, {.fd = tar->stop_fd, .events = POLLIN}};

    while (poll(both, 2, -1) < 0 && errno == EINTR)
        continue;
    tar->is_stopped = tar->stop_fd >= 0 && both[1].revents != 0;
    return !tar->is_stopped;
}

static la_ssize_t read_block(struct archive *archive, void *data, const void **block)
{
    HbTarReader *tar = data;
    ssize_t count = -1;

    *block = tar->block;
    if (wait_for_bytes(tar)) {
        do
            count = read(tar->fd, tar->block, sizeof tar->block);
        while (count < 0 && errno == EINTR);
    }
    if (count < 0)
        archive_set_error(archive, errno, "%s", tar->is_stopped ? "interrupted" : g_strerror(errno));
    return count;
}

/* Only a file can be passed over: a pipe is read */
static la_int64_t skip_bytes(struct archive *archive, void *data, la_int64_t bytes)
{
    HbTarReader *tar = data;
    off_t before = lseek(tar->fd, 0, SEEK_CUR), end;
    la_int64_t skipped = bytes / BLOCK_BYTES * BLOCK_BYTES;

    (void)archive;
    if (before < 0 || (end = lseek(tar->fd, 0, SEEK_END)) < 0)
        return 0;
    skipped = before + skipped <= end ? skipped : 0; /* what ends too early is found by reading */
    lseek(tar->fd, before + skipped, SEEK_SET);
    return skipped;
}

static gboolean damaged(const char *how, GError **error)
{
    return hb_error_set(error, HB_ERROR_DAMAGED, "copy the dump again from where it is whole, or take a new one", "%s",
                        how);
}

static gboolean read_error(HbTarReader *tar, GError **error)
{
    if (tar->is_stopped)
        return hb_error_set(error, HB_ERROR_CANCELLED, NULL, "interrupted");
    g_autofree char *how = g_strdup_printf(
        "the tar breaks off or is damaged (%s)",
        archive_error_string(tar->archive) != NULL ? archive_error_string(tar->archive) : "no reason is known");

    return damaged(how, error);
}

HbTarReader *hb_tar_reader_new(int fd, int stop_fd, GError **error)
{
    HbTarReader *tar = g_new0(HbTarReader, 1);

    tar->fd = fd;
    tar->stop_fd = stop_fd;
    tar->archive = archive_read_new();
    archive_read_support_format_tar(tar->archive);
    archive_read_support_format_empty(tar->archive);
    if (archive_read_open2(tar->archive, tar, NULL, read_block, skip_bytes, NULL) == ARCHIVE_OK)
        return tar;
    read_error(tar, error);
    hb_tar_reader_free(tar);
    return NULL;
}

void hb_tar_reader_free(HbTarReader *tar)
{
    if (tar == NULL)
        return;
    archive_read_free(tar->archive);
    g_free(tar);
}

void hb_tar_member_clear(HbTarMember *member)
{
    g_free(member->name);
    *member = (HbTarMember){0};
}

static const char *name_of(struct archive_entry *entry)
{
    const char *name = archive_entry_pathname_utf8(entry);

    if (name == NULL)
        name = archive_entry_pathname(entry);
    if (name != NULL && g_str_has_prefix(name, "./"))
        name += 2;
    return name;
}

gboolean hb_tar_reader_next(HbTarReader *tar, HbTarMember *member, GError **error)
{
    struct archive_entry *entry;
    int code;

    hb_tar_member_clear(member);
    do {
        code = archive_read_next_header(tar->archive, &entry);
        if (code == ARCHIVE_EOF)
            return TRUE;
        if (code != ARCHIVE_OK && code != ARCHIVE_WARN)
            return read_error(tar, error);
    } while (archive_entry_filetype(entry) == AE_IFDIR);
    if (archive_entry_filetype(entry) != AE_IFREG || name_of(entry) == NULL || !hb_file_is_safe_name(name_of(entry)) ||
        archive_entry_size(entry) < 0)
        return damaged("the tar holds what no dump holds", error);
    member->name = g_strdup(name_of(entry));
    member->bytes = (guint64)archive_entry_size(entry);
    member->offset = (guint64)archive_filter_bytes(tar->archive, -1);
    return TRUE;
}

/* Memory is for what has come, not for what was announced */
static gboolean grow(char **bytes, gsize *allocated, gsize most)
{
    gsize more = MIN(2 * *allocated, most);
    char *grown = g_try_realloc(*bytes, more);

    if (grown == NULL)
        return FALSE;
    *bytes = grown;
    *allocated = more;
    return TRUE;
}

GBytes *hb_tar_reader_read(HbTarReader *tar, const HbTarMember *member, guint64 limit, GError **error)
{
    gsize allocated = MIN(member->bytes, MEMBER_FIRST) + 1, at = 0;
    g_autofree char *bytes = NULL;

    if (member->bytes > limit) {
        damaged("a member of the tar is too large to be a dump's", error);
        return NULL;
    }
    bytes = g_malloc(allocated);
    while (at < member->bytes) {
        la_ssize_t count;
        if (at + 1 == allocated && !grow(&bytes, &allocated, member->bytes + 1)) {
            damaged("a member of the tar is larger than this machine's memory", error);
            return NULL;
        }
        count = archive_read_data(tar->archive, bytes + at, allocated - 1 - at);
        if (count <= 0) {
            read_error(tar, error);
            return NULL;
        }
        at += (gsize)count;
    }
    bytes[at] = '\0';
    return g_bytes_new_take(g_steal_pointer(&bytes), at);
}
