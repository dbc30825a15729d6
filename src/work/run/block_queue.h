/* SPDX-License-Identifier: Apache-2.0 */
/*
 * block_queue - bytes from one thread to another, in a few blocks of one size: memory is bounded, and neither thread
 * waits for each row.
 *
 *     filler --add(), mark()--> [full blocks, in order] --take()--> taker
 *        ^------------------------[free blocks]----give_back()--------/
 *
 * One filler and one taker. The filler waits when no block is free, the taker when none is full: a taker that fails
 * must go on taking and giving back until the mark that it knows as the end.
 */
#pragma once

#include <glib.h>

#define HB_BLOCK_BYTES ((gsize)1024 * 1024)

typedef struct HbBlockQueue HbBlockQueue;

typedef struct {
    char *bytes;
    gsize length;
    guint mark;    /* what happens behind these bytes, as the two threads agreed; 0: nothing */
    gpointer data; /* what the filler said with the bytes, or with the mark; borrowed */
} HbBlock;

HbBlockQueue *hb_block_queue_new(void);
void hb_block_queue_free(HbBlockQueue *queue); /* when both threads are done with it */

/* ---- The filler ---- */

/* Copies the bytes; passes blocks on as they become full */
void hb_block_queue_add(HbBlockQueue *queue, const char *bytes, gsize length, gpointer data);

/* Passes on what is filled, if there is something, with this mark behind it */
void hb_block_queue_mark(HbBlockQueue *queue, guint mark, gpointer data);

/* Until the taker has given all blocks back */
void hb_block_queue_wait(HbBlockQueue *queue);

/* ---- The taker ---- */

HbBlock *hb_block_queue_take(HbBlockQueue *queue); /* waits for one; to be given back */
void hb_block_queue_give_back(HbBlockQueue *queue, HbBlock *block);
