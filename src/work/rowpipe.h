/* SPDX-License-Identifier: Apache-2.0 */
/*
 * rowpipe - rows from the thread that reads a socket to the thread that compresses and writes them.
 *
 *     reader: take row -> digest -> block --[full]--> packer: compress -> file
 *                           ^--------------[free]-------------/
 *
 * The reader gathers rows into blocks and cuts chunks at row ends; the packer, a thread of the pipe's own, compresses.
 * A fixed number of blocks bounds the memory. One reader thread at a time.
 */
#pragma once

#include "dump/writer.h"

typedef struct HbRowPipe HbRowPipe;

/* chunk_bytes: text after which a chunk is closed at the next row end */
HbRowPipe *hb_row_pipe_new(HbWriter *writer, int level, gsize chunk_bytes);
void hb_row_pipe_free(HbRowPipe *pipe);

/* A piece of a row set: begin, take rows, end. end() waits for the packer and hands out the chunks (HbChunk *) */
void hb_row_pipe_begin(HbRowPipe *pipe, const HbRowSet *set);
gboolean hb_row_pipe_take(HbRowPipe *pipe, const char *piece, gsize length, GError **error);
GPtrArray *hb_row_pipe_end(HbRowPipe *pipe, GError **error);

/* Instead of end(): what was packed since begin() is removed again */
void hb_row_pipe_give_up(HbRowPipe *pipe);
