/* SPDX-License-Identifier: Apache-2.0 */
#include "work/run/block_queue.h"

#include <string.h>

/* One is filled, one is taken, and neither waits while the other's speed changes for a moment */
#define BLOCKS 4

struct HbBlockQueue {
    HbBlock blocks[BLOCKS];
    GAsyncQueue *free; /* HbBlock * */
    GAsyncQueue *full; /* HbBlock * */
    HbBlock *filling;  /* the filler's; NULL: none */
};

HbBlockQueue *hb_block_queue_new(void)
{
    HbBlockQueue *queue = g_new0(HbBlockQueue, 1);

    queue->free = g_async_queue_new();
    queue->full = g_async_queue_new();
    for (int i = 0; i < BLOCKS; i++) {
        queue->blocks[i].bytes = g_malloc(HB_BLOCK_BYTES);
        g_async_queue_push(queue->free, &queue->blocks[i]);
    }
    return queue;
}

void hb_block_queue_free(HbBlockQueue *queue)
{
    g_async_queue_unref(queue->free);
    g_async_queue_unref(queue->full);
    for (int i = 0; i < BLOCKS; i++)
        g_free(queue->blocks[i].bytes);
    g_free(queue);
}

static HbBlock *provide_block(HbBlockQueue *queue)
{
    if (queue->filling == NULL) {
        queue->filling = g_async_queue_pop(queue->free);
        queue->filling->length = 0;
        queue->filling->mark = 0;
    }
    return queue->filling;
}

static void send_block(HbBlockQueue *queue)
{
    g_async_queue_push(queue->full, g_steal_pointer(&queue->filling));
}

void hb_block_queue_add(HbBlockQueue *queue, const char *bytes, gsize length, gpointer data)
{
    while (length > 0) {
        HbBlock *block = provide_block(queue);
        const gsize part = MIN(length, HB_BLOCK_BYTES - block->length);

        memcpy(block->bytes + block->length, bytes, part);
        block->length += part;
        block->data = data;
        bytes += part;
        length -= part;
        if (block->length == HB_BLOCK_BYTES)
            send_block(queue);
    }
}

void hb_block_queue_mark(HbBlockQueue *queue, guint mark, gpointer data)
{
    HbBlock *block = provide_block(queue);

    block->mark = mark;
    block->data = data;
    send_block(queue);
}

void hb_block_queue_wait(HbBlockQueue *queue)
{
    HbBlock *blocks[BLOCKS];

    for (int i = 0; i < BLOCKS; i++)
        blocks[i] = g_async_queue_pop(queue->free);
    for (int i = 0; i < BLOCKS; i++)
        g_async_queue_push(queue->free, blocks[i]);
}

HbBlock *hb_block_queue_take(HbBlockQueue *queue)
{
    return g_async_queue_pop(queue->full);
}

void hb_block_queue_give_back(HbBlockQueue *queue, HbBlock *block)
{
    g_async_queue_push(queue->free, block);
}

/* ---- The taker as a source of rows ---- */

gboolean hb_block_reader_give(gpointer data, const char **bytes, gsize *length, GError **error)
{
    HbBlockReader *reader = data;

    if (reader->is_given && reader->block->mark == 0) {
        hb_block_queue_give_back(reader->queue, reader->block);
        reader->block = hb_block_queue_take(reader->queue);
        reader->is_given = FALSE;
    }
    *bytes = reader->block->bytes;
    *length = reader->is_given ? 0 : reader->block->length;
    reader->is_given = TRUE;
    return *length > 0 || reader->block->mark == HB_BLOCK_ENDS ||
           hb_error_set(error, HB_ERROR_RETRY, NULL, "the rows could not be read");
}

void hb_block_reader_drain(HbBlockReader *reader)
{
    while (reader->block->mark == 0) {
        hb_block_queue_give_back(reader->queue, reader->block);
        reader->block = hb_block_queue_take(reader->queue);
    }
    hb_block_queue_give_back(reader->queue, reader->block);
}
