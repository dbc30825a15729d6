/* SPDX-License-Identifier: Apache-2.0 */
/*
 * chunk - a piece of a row set as a file: rows in the encoding of core/rowtext, in one zstd frame or plain.
 */
#pragma once

#include "core/base/digest.h"
#include "dump/folder.h"

/* What a dump knows of a chunk */
typedef struct {
    char *file;      /* name within the dump */
    HbDigest digest; /* of its rows, count included */
    guint64 bytes;   /* of text */
    guint64 stored;  /* of the file */
} HbChunk;

HbChunk *hb_chunk_new(const char *file);
HbChunk *hb_chunk_copy(const HbChunk *chunk);
void hb_chunk_free(HbChunk *chunk);

#define HB_COMPRESSION_NONE    0 /* as a level */
#define HB_COMPRESSION_DEFAULT 1

/* ---- Writing: one packer serves many chunks, one after the other; one thread ---- */

typedef struct HbPacker HbPacker;

HbPacker *hb_packer_new(HbFolder *folder, int level);
void hb_packer_free(HbPacker *packer);                    /* discards a chunk that is open */
const char *hb_packer_get_suffix(const HbPacker *packer); /* ".rows.zst" or ".rows" */

gboolean hb_packer_open(HbPacker *packer, const char *file, GError **error);
gboolean hb_packer_write(HbPacker *packer, const char *bytes, gsize length, GError **error);
gboolean hb_packer_close(HbPacker *packer, guint64 *stored, GError **error);

/* ---- Reading ---- */

typedef struct HbUnpacker HbUnpacker;

/* A part of an open file, which is closed with the unpacker; or bytes in memory, of which it keeps a reference */
HbUnpacker *hb_unpacker_open(int fd, guint64 offset, guint64 bytes, const char *name);
HbUnpacker *hb_unpacker_open_bytes(GBytes *bytes, const char *name);
void hb_unpacker_expect(HbUnpacker *unpacker, guint64 text_bytes); /* more than these are HB_ERROR_DAMAGED */
void hb_unpacker_close(HbUnpacker *unpacker);                      /* accepts NULL */

/* The next bytes of text, borrowed until the next call; length 0 at the end. HB_ERROR_DAMAGED */
gboolean hb_unpacker_read(HbUnpacker *unpacker, const char **bytes, gsize *length, GError **error);
