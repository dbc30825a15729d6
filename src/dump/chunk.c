/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/chunk.h"

#include "core/base/error.h"

#include <errno.h>
#include <string.h>
#include <unistd.h>
#include <zstd.h>

HbChunk *hb_chunk_new(const char *file)
{
    HbChunk *chunk = g_new0(HbChunk, 1);

    chunk->file = g_strdup(file);
    return chunk;
}

HbChunk *hb_chunk_copy(const HbChunk *chunk)
{
    HbChunk *copy = g_memdup2(chunk, sizeof *chunk);

    copy->file = g_strdup(chunk->file);
    return copy;
}

void hb_chunk_free(HbChunk *chunk)
{
    if (chunk == NULL)
        return;
    g_free(chunk->file);
    g_free(chunk);
}

/* ---- Writing ---- */

struct HbPacker {
    HbFolder *folder; /* borrowed */
    int level;
    ZSTD_CCtx *compressor; /* NULL without compression */
    HbFile *file;          /* NULL between chunks */
    char *out;
    gsize out_size;
};

HbPacker *hb_packer_new(HbFolder *folder, int level)
{
    HbPacker *packer = g_new0(HbPacker, 1);

    packer->folder = folder;
    packer->level = level;
    if (level == HB_COMPRESSION_NONE)
        return packer;
    packer->compressor = ZSTD_createCCtx();
    packer->out_size = ZSTD_CStreamOutSize();
    packer->out = g_malloc(packer->out_size);
    ZSTD_CCtx_setParameter(packer->compressor, ZSTD_c_compressionLevel, level);
    ZSTD_CCtx_setParameter(packer->compressor, ZSTD_c_checksumFlag, 1);
    return packer;
}

void hb_packer_free(HbPacker *packer)
{
    if (packer == NULL)
        return;
    hb_file_discard(packer->file);
    ZSTD_freeCCtx(packer->compressor);
    g_free(packer->out);
    g_free(packer);
}

const char *hb_packer_get_suffix(const HbPacker *packer)
{
    return packer->compressor != NULL ? ".rows.zst" : ".rows";
}

gboolean hb_packer_open(HbPacker *packer, const char *file, GError **error)
{
    g_assert(packer->file == NULL);
    if (packer->compressor != NULL)
        ZSTD_CCtx_reset(packer->compressor, ZSTD_reset_session_only);
    packer->file = hb_folder_create_file(packer->folder, file, error);
    return packer->file != NULL;
}

/* Feeds the compressor and writes what it gives, until it has taken all (and, at the end, given all) */
static gboolean compress(HbPacker *packer, const char *bytes, gsize length, ZSTD_EndDirective mode, GError **error)
{
    ZSTD_inBuffer in = {bytes, length, 0};
    size_t left;

    do {
        ZSTD_outBuffer out = {packer->out, packer->out_size, 0};
        left = ZSTD_compressStream2(packer->compressor, &out, &in, mode);
        g_assert(!ZSTD_isError(left));
        if (out.pos > 0 && !hb_file_write(packer->file, packer->out, out.pos, error))
            return FALSE;
    } while (mode == ZSTD_e_end ? left > 0 : in.pos < in.size);
    return TRUE;
}

gboolean hb_packer_write(HbPacker *packer, const char *bytes, gsize length, GError **error)
{
    if (packer->compressor == NULL)
        return hb_file_write(packer->file, bytes, length, error);
    return compress(packer, bytes, length, ZSTD_e_continue, error);
}

gboolean hb_packer_close(HbPacker *packer, guint64 *stored, GError **error)
{
    if (packer->compressor != NULL && !compress(packer, NULL, 0, ZSTD_e_end, error))
        return FALSE;
    return hb_folder_close_file(packer->folder, g_steal_pointer(&packer->file), stored, error);
}

/* ---- Reading ---- */

struct HbUnpacker {
    int fd;        /* -1: in memory */
    GBytes *bytes; /* NULL: in a file */
    guint64 at;    /* of what is read next */
    guint64 left;  /* bytes to read */
    char *name;
    ZSTD_DCtx *decompressor; /* NULL for a plain file */
    char *raw;
    char *text;
    gsize text_size;
    ZSTD_inBuffer in;
    gboolean pending;     /* the decompressor still holds text */
    gboolean at_end;      /* of the file */
    gboolean frame_ended; /* nothing is missing if the file ends here */
    guint64 expected;     /* bytes of text that may still come */
};

static HbUnpacker *new_unpacker(const char *name, guint64 bytes)
{
    HbUnpacker *unpacker = g_new0(HbUnpacker, 1);

    unpacker->fd = -1;
    unpacker->left = bytes;
    unpacker->expected = G_MAXUINT64;
    unpacker->name = g_strdup(name);
    unpacker->raw = g_malloc(ZSTD_DStreamInSize());
    if (!g_str_has_suffix(name, ".zst"))
        return unpacker;
    unpacker->decompressor = ZSTD_createDCtx();
    unpacker->text_size = 2 * ZSTD_DStreamOutSize();
    unpacker->text = g_malloc(unpacker->text_size);
    return unpacker;
}

HbUnpacker *hb_unpacker_open(int fd, guint64 offset, guint64 bytes, const char *name)
{
    HbUnpacker *unpacker = new_unpacker(name, bytes);

    unpacker->fd = fd;
    unpacker->at = offset;
    return unpacker;
}

HbUnpacker *hb_unpacker_open_bytes(GBytes *bytes, const char *name)
{
    HbUnpacker *unpacker = new_unpacker(name, g_bytes_get_size(bytes));

    unpacker->bytes = g_bytes_ref(bytes);
    return unpacker;
}

void hb_unpacker_close(HbUnpacker *unpacker)
{
    if (unpacker == NULL)
        return;
    if (unpacker->fd >= 0)
        close(unpacker->fd);
    g_clear_pointer(&unpacker->bytes, g_bytes_unref);
    ZSTD_freeDCtx(unpacker->decompressor);
    g_free(unpacker->raw);
    g_free(unpacker->text);
    g_free(unpacker->name);
    g_free(unpacker);
}

static gboolean fill(HbUnpacker *unpacker, GError **error)
{
    gsize wanted = MIN(ZSTD_DStreamInSize(), unpacker->left);
    ssize_t count = (ssize_t)wanted;

    if (unpacker->bytes != NULL) {
        memcpy(unpacker->raw, (const char *)g_bytes_get_data(unpacker->bytes, NULL) + unpacker->at, wanted);
    } else {
        do
            count = pread(unpacker->fd, unpacker->raw, wanted, (off_t)unpacker->at);
        while (count < 0 && errno == EINTR);
        if (count < 0)
            return hb_file_error(error, "reading", unpacker->name);
    }
    unpacker->at += (guint64)count;
    unpacker->left -= (guint64)count;
    unpacker->in = (ZSTD_inBuffer){unpacker->raw, (size_t)count, 0};
    unpacker->at_end = count == 0;
    return TRUE;
}

static gboolean damaged(const HbUnpacker *unpacker, const char *how, GError **error)
{
    return hb_error_set(error, HB_ERROR_DAMAGED, "copy the dump again from where it is whole, or take a new one",
                        "%s: the file is damaged (%s)", unpacker->name, how);
}

static gboolean decompress(HbUnpacker *unpacker, gsize *length, GError **error)
{
    ZSTD_outBuffer out = {unpacker->text, unpacker->text_size, 0};

    while (out.pos == 0) {
        size_t left;
        if (unpacker->in.pos == unpacker->in.size && !unpacker->pending && !fill(unpacker, error))
            return FALSE;
        if (unpacker->at_end) {
            *length = 0;
            return unpacker->frame_ended || damaged(unpacker, "it ends too early", error);
        }
        left = ZSTD_decompressStream(unpacker->decompressor, &out, &unpacker->in);
        if (ZSTD_isError(left))
            return damaged(unpacker, ZSTD_getErrorName(left), error);
        unpacker->frame_ended = left == 0;
        unpacker->pending =
            left > 0 && out.pos == out.size; /* a call without input after a frame would begin another */
    }
    *length = out.pos;
    return TRUE;
}

void hb_unpacker_expect(HbUnpacker *unpacker, guint64 text_bytes)
{
    unpacker->expected = text_bytes;
}

static gboolean read_some(HbUnpacker *unpacker, const char **bytes, gsize *length, GError **error)
{
    if (unpacker->decompressor != NULL) {
        *bytes = unpacker->text;
        return decompress(unpacker, length, error);
    }
    if (!fill(unpacker, error))
        return FALSE;
    *bytes = unpacker->raw;
    *length = unpacker->in.size;
    return TRUE;
}

gboolean hb_unpacker_read(HbUnpacker *unpacker, const char **bytes, gsize *length, GError **error)
{
    if (!read_some(unpacker, bytes, length, error))
        return FALSE;
    if (*length > unpacker->expected)
        return damaged(unpacker, "more comes out of it than went in", error);
    unpacker->expected -= *length;
    return TRUE;
}
