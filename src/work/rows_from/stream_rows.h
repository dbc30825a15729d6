/* SPDX-License-Identifier: Apache-2.0 */
/*
 * stream_rows - the rows of a dump that is still coming (see dump/stream) for a restore: loaded by several sessions
 * while the rest is on its way.
 *
 *     this thread: stream -> chunk --[at most two a session]--> N workers: unpack, sum up, load
 *                                                                    |
 *     the end of the stream: its manifest <--- compared with ---- sums of what was loaded
 */
#pragma once

#include "dump/stream.h"
#include "work/restore/restore_run.h"

typedef struct HbStreamRows HbStreamRows;

/* The stream must outlive it; engine, jobs, stop and observers are those of the restore */
HbStreamRows *hb_stream_rows_new(HbStream *stream, const HbRestoreOptions *options);
void hb_stream_rows_free(HbStreamRows *stream_rows); /* accepts NULL */
const HbRowProvider *hb_stream_rows_get_provider(const HbStreamRows *stream_rows);
