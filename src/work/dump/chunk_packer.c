/* SPDX-License-Identifier: Apache-2.0 */
#include "work/dump/chunk_packer.h"

#include "work/run/block_queue.h"

enum { CLOSES = 1, LEAVES }; /* marks: the block's chunk ends behind it; the packer leaves */

struct HbChunkPacker {
    HbWriter *writer;
    HbPacker *packer;
    gsize chunk_bytes;
    GThread *thread;
    HbBlockQueue *queue; /* with the HbChunk * that bytes belong to */
    gint failed;         /* atomic: the packer set error and writes nothing more */
    GError *error;       /* the packer's until all blocks are given back */

    /* The reader's own */
    const HbRowSet *set;
    GPtrArray *chunks; /* HbChunk * of this piece */
    HbChunk *chunk;    /* the open one */
    HbPieceDigest sum; /* of its rows */
};

/* ---- The packer ---- */

static gboolean pack(HbChunkPacker *packer, const HbBlock *block, HbChunk **open, GError **error)
{
    HbChunk *chunk = block->data;

    if (*open != chunk) {
        if (!hb_packer_open(packer->packer, chunk->file, error))
            return FALSE;
        *open = chunk;
    }
    if (!hb_packer_write(packer->packer, block->bytes, block->length, error))
        return FALSE;
    if (block->mark != CLOSES)
        return TRUE;
    *open = NULL;
    return hb_packer_close(packer->packer, &chunk->stored, error);
}

/* After a failure blocks still go round, so that the reader never waits for nothing */
static gpointer run_packer(gpointer data)
{
    HbChunkPacker *packer = data;
    HbChunk *open = NULL;
    HbBlock *block;

    while ((block = hb_block_queue_take(packer->queue))->mark != LEAVES) {
        if (!g_atomic_int_get(&packer->failed) && !pack(packer, block, &open, &packer->error))
            g_atomic_int_set(&packer->failed, TRUE);
        hb_block_queue_give_back(packer->queue, block);
    }
    return NULL;
}

/* ---- Life ---- */

HbChunkPacker *hb_chunk_packer_new(HbWriter *writer, int level, gsize chunk_bytes)
{
    HbChunkPacker *packer = g_new0(HbChunkPacker, 1);

    packer->writer = writer;
    packer->packer = hb_writer_new_packer(writer, level);
    packer->chunk_bytes = chunk_bytes;
    packer->queue = hb_block_queue_new();
    packer->thread = g_thread_new("packer", run_packer, packer);
    return packer;
}

void hb_chunk_packer_free(HbChunkPacker *packer)
{
    if (packer == NULL)
        return;
    hb_block_queue_mark(packer->queue, LEAVES, NULL);
    g_thread_join(packer->thread);
    hb_packer_free(packer->packer);
    hb_block_queue_free(packer->queue);
    hb_piece_digest_clear(&packer->sum);
    g_clear_error(&packer->error);
    g_free(packer);
}

/* ---- The reader ---- */

static void open_chunk(HbChunkPacker *packer)
{
    g_autofree char *file = hb_writer_name_chunk(packer->writer, packer->set, hb_packer_get_suffix(packer->packer));

    packer->chunk = hb_chunk_new(file);
    g_ptr_array_add(packer->chunks, packer->chunk);
}

static void close_chunk(HbChunkPacker *packer)
{
    packer->chunk->digest = packer->sum.digest;
    packer->sum.digest = (HbDigest){0};
    hb_block_queue_mark(packer->queue, CLOSES, g_steal_pointer(&packer->chunk));
}

void hb_chunk_packer_begin(HbChunkPacker *packer, const HbRowSet *set)
{
    packer->set = set;
    packer->chunks = g_ptr_array_new_with_free_func((GDestroyNotify)hb_chunk_free);
}

gboolean hb_chunk_packer_take(HbChunkPacker *packer, const char *piece, gsize length, GError **error)
{
    if (packer->chunk == NULL)
        open_chunk(packer);
    hb_block_queue_add(packer->queue, piece, length, packer->chunk);
    hb_piece_digest_add(&packer->sum, piece, length);
    packer->chunk->bytes += length;
    if (packer->chunk->bytes >= packer->chunk_bytes && !packer->sum.is_open)
        close_chunk(packer);
    if (!g_atomic_int_get(&packer->failed))
        return TRUE;
    if (error != NULL)
        *error = g_error_copy(packer->error);
    return FALSE;
}

static void wait_for_packer(HbChunkPacker *packer)
{
    if (packer->chunk != NULL)
        close_chunk(packer);
    hb_block_queue_wait(packer->queue);
}

GPtrArray *hb_chunk_packer_end(HbChunkPacker *packer, GError **error)
{
    wait_for_packer(packer);
    if (!g_atomic_int_get(&packer->failed))
        return g_steal_pointer(&packer->chunks);
    if (error != NULL)
        *error = g_error_copy(packer->error);
    hb_chunk_packer_give_up(packer);
    return NULL;
}

void hb_chunk_packer_give_up(HbChunkPacker *packer)
{
    wait_for_packer(packer);
    hb_piece_digest_clear(&packer->sum);
    for (guint i = 0; i < packer->chunks->len; i++)
        hb_writer_remove_chunk(packer->writer, packer->chunks->pdata[i]);
    g_clear_pointer(&packer->chunks, g_ptr_array_unref);
}
