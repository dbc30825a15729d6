/* SPDX-License-Identifier: Apache-2.0 */
#include "work/dump/chunk_packer.h"

#include <string.h>

#define BLOCKS     4
#define BLOCK_SIZE ((gsize)1024 * 1024)

typedef struct {
    char *bytes;
    gsize length; /* used */
    HbChunk *chunk;
    gboolean closes; /* the chunk ends with this block */
    gboolean is_end; /* of the pipe: the packer leaves */
} Block;

struct HbChunkPacker {
    HbWriter *writer;
    HbPacker *packer;
    gsize chunk_bytes;
    GThread *thread;
    Block blocks[BLOCKS];
    GAsyncQueue *free; /* Block * */
    GAsyncQueue *full; /* Block * */
    gint failed;       /* atomic: the packer set error and writes nothing more */
    GError *error;     /* the packer's until all blocks are free again */

    /* The reader's own */
    const HbRowSet *set;
    GPtrArray *chunks; /* HbChunk * of this piece */
    HbChunk *chunk;    /* the open one */
    HbPieceDigest sum; /* of its rows */
    Block *block;      /* the one being filled */
};

/* ---- The packer ---- */

static gboolean pack(HbChunkPacker *pipe, const Block *block, HbChunk **open, GError **error)
{
    if (*open != block->chunk) {
        if (!hb_packer_open(pipe->packer, block->chunk->file, error))
            return FALSE;
        *open = block->chunk;
    }
    if (!hb_packer_write(pipe->packer, block->bytes, block->length, error))
        return FALSE;
    if (!block->closes)
        return TRUE;
    *open = NULL;
    return hb_packer_close(pipe->packer, &block->chunk->stored, error);
}

/* After a failure blocks still go round, so that the reader never waits for nothing */
static gpointer run_packer(gpointer data)
{
    HbChunkPacker *pipe = data;
    HbChunk *open = NULL;

    for (;;) {
        Block *block = g_async_queue_pop(pipe->full);
        if (block->is_end)
            return NULL;
        if (!g_atomic_int_get(&pipe->failed) && !pack(pipe, block, &open, &pipe->error))
            g_atomic_int_set(&pipe->failed, TRUE);
        g_async_queue_push(pipe->free, block);
    }
}

/* ---- Life ---- */

HbChunkPacker *hb_chunk_packer_new(HbWriter *writer, int level, gsize chunk_bytes)
{
    HbChunkPacker *pipe = g_new0(HbChunkPacker, 1);

    pipe->writer = writer;
    pipe->packer = hb_writer_new_packer(writer, level);
    pipe->chunk_bytes = chunk_bytes;
    pipe->free = g_async_queue_new();
    pipe->full = g_async_queue_new();
    for (int i = 0; i < BLOCKS; i++) {
        pipe->blocks[i].bytes = g_malloc(BLOCK_SIZE);
        g_async_queue_push(pipe->free, &pipe->blocks[i]);
    }
    pipe->thread = g_thread_new("packer", run_packer, pipe);
    return pipe;
}

void hb_chunk_packer_free(HbChunkPacker *pipe)
{
    Block end = {.is_end = TRUE};

    if (pipe == NULL)
        return;
    g_async_queue_push(pipe->full, &end);
    g_thread_join(pipe->thread);
    hb_packer_free(pipe->packer);
    g_async_queue_unref(pipe->free);
    g_async_queue_unref(pipe->full);
    for (int i = 0; i < BLOCKS; i++)
        g_free(pipe->blocks[i].bytes);
    hb_piece_digest_clear(&pipe->sum);
    g_clear_error(&pipe->error);
    g_free(pipe);
}

/* ---- The reader ---- */

static void open_chunk(HbChunkPacker *pipe)
{
    g_autofree char *file = hb_writer_name_chunk(pipe->writer, pipe->set, hb_packer_get_suffix(pipe->packer));

    pipe->chunk = hb_chunk_new(file);
    g_ptr_array_add(pipe->chunks, pipe->chunk);
}

static void send_block(HbChunkPacker *pipe, gboolean closes)
{
    pipe->block->chunk = pipe->chunk;
    pipe->block->closes = closes;
    g_async_queue_push(pipe->full, g_steal_pointer(&pipe->block));
    if (closes)
        pipe->chunk = NULL;
}

static void provide_block(HbChunkPacker *pipe)
{
    if (pipe->block == NULL) {
        pipe->block = g_async_queue_pop(pipe->free);
        pipe->block->length = 0;
    }
}

static void add_bytes(HbChunkPacker *pipe, const char *bytes, gsize length)
{
    while (length > 0) {
        gsize part;
        provide_block(pipe);
        part = MIN(length, BLOCK_SIZE - pipe->block->length);
        memcpy(pipe->block->bytes + pipe->block->length, bytes, part);
        pipe->block->length += part;
        bytes += part;
        length -= part;
        if (pipe->block->length == BLOCK_SIZE)
            send_block(pipe, FALSE);
    }
}

static void close_chunk(HbChunkPacker *pipe)
{
    pipe->chunk->digest = pipe->sum.digest;
    pipe->sum.digest = (HbDigest){0};
    provide_block(pipe);
    send_block(pipe, TRUE);
}

void hb_chunk_packer_begin(HbChunkPacker *pipe, const HbRowSet *set)
{
    pipe->set = set;
    pipe->chunks = g_ptr_array_new_with_free_func((GDestroyNotify)hb_chunk_free);
}

gboolean hb_chunk_packer_take(HbChunkPacker *pipe, const char *piece, gsize length, GError **error)
{
    if (pipe->chunk == NULL)
        open_chunk(pipe);
    add_bytes(pipe, piece, length);
    hb_piece_digest_add(&pipe->sum, piece, length);
    pipe->chunk->bytes += length;
    if (pipe->chunk->bytes >= pipe->chunk_bytes && !pipe->sum.is_open)
        close_chunk(pipe);
    if (!g_atomic_int_get(&pipe->failed))
        return TRUE;
    if (error != NULL)
        *error = g_error_copy(pipe->error);
    return FALSE;
}

/* When all blocks are free, the packer has nothing left to do */
static void wait_for_packer(HbChunkPacker *pipe)
{
    Block *blocks[BLOCKS];

    if (pipe->chunk != NULL)
        close_chunk(pipe);
    for (int i = 0; i < BLOCKS; i++)
        blocks[i] = g_async_queue_pop(pipe->free);
    for (int i = 0; i < BLOCKS; i++)
        g_async_queue_push(pipe->free, blocks[i]);
}

GPtrArray *hb_chunk_packer_end(HbChunkPacker *pipe, GError **error)
{
    wait_for_packer(pipe);
    if (!g_atomic_int_get(&pipe->failed))
        return g_steal_pointer(&pipe->chunks);
    if (error != NULL)
        *error = g_error_copy(pipe->error);
    hb_chunk_packer_give_up(pipe);
    return NULL;
}

void hb_chunk_packer_give_up(HbChunkPacker *pipe)
{
    wait_for_packer(pipe);
    hb_piece_digest_clear(&pipe->sum);
    for (guint i = 0; i < pipe->chunks->len; i++)
        hb_writer_remove_chunk(pipe->writer, pipe->chunks->pdata[i]);
    g_clear_pointer(&pipe->chunks, g_ptr_array_unref);
}
