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

#include "core/base/error.h"

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

/* ---- The taker as a source of rows, which come in pieces ---- */

/* Marks behind the last block of a piece; those of the two threads' own begin at HB_BLOCK_MARKS */
enum { HB_BLOCK_ENDS = 1, HB_BLOCK_BREAKS_OFF, HB_BLOCK_MARKS };

typedef struct {
    HbBlockQueue *queue;
    HbBlock *block;    /* in hand: the first one of the piece, to begin with */
    gboolean is_given; /* its bytes are; the next call gives it back */
} HbBlockReader;

/* A HbRowSource. HB_ERROR_RETRY at the end of a piece that breaks off */
gboolean hb_block_reader_give(gpointer reader, const char **bytes, gsize *length, GError **error);
void hb_block_reader_drain(HbBlockReader *reader); /* what is left of the piece; in any case */
