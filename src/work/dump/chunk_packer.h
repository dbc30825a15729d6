/* SPDX-License-Identifier: Apache-2.0 */
/*
 * chunk_packer - rows from the thread that reads a socket to the thread that compresses and writes them.
 *
 *     reader: take row -> digest -> block --[full]--> packer: compress -> file
 *                           ^--------------[free]-------------/
 *
 * The reader gathers rows into blocks and cuts chunks at row ends; the packer, a thread of its own, compresses.
 * A fixed number of blocks bounds the memory. One reader thread at a time.
 */
#pragma once

#include "dump/writer.h"

typedef struct HbChunkPacker HbChunkPacker;

/* chunk_bytes: text after which a chunk is closed at the next row end */
HbChunkPacker *hb_chunk_packer_new(HbWriter *writer, int level, gsize chunk_bytes);
void hb_chunk_packer_free(HbChunkPacker *packer);

/* A piece of a row set: begin, take rows, end. end() waits for the packer and hands out the chunks (HbChunk *) */
void hb_chunk_packer_begin(HbChunkPacker *packer, const HbRowSet *set);
gboolean hb_chunk_packer_take(HbChunkPacker *packer, const char *piece, gsize length, GError **error);
GPtrArray *hb_chunk_packer_end(HbChunkPacker *packer, GError **error);

/* Instead of end(): what was packed since begin() is removed again */
void hb_chunk_packer_give_up(HbChunkPacker *packer);
