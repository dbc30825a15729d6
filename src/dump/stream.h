/* SPDX-License-Identifier: Apache-2.0 */
/*
 * stream - a dump that is still coming, through a pipe, in the order in which it was written:
 *
 *     SQL files, an early manifest, sums of these | chunks of rows ... | the manifest, sums of everything
 *
 * Opening reads the first part, and checks it like a dump at rest: from then on the manifest's definitions can be used.
 * Rows can be used as they come; that all came, and that they are those that were dumped, is known at the end only.
 * One thread.
 */
#pragma once

#include "dump/manifest.h"
#include "dump/seal.h"

typedef struct HbStream HbStream;

/*
 * HB_ERROR_DAMAGED. key: see hb_reader_open(). fd stays the caller's; when stop_fd can be read, waiting for more ends
 * with HB_ERROR_CANCELLED (-1: never)
 */
HbStream *hb_stream_open(int fd, int stop_fd, const HbSealKey *key, GError **error);
void hb_stream_close(HbStream *stream); /* accepts NULL */
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbStream, hb_stream_close)

/* The early one: its rows have no chunks. Borrowed */
const HbManifest *hb_stream_get_manifest(const HbStream *stream);

/* A chunk as it came; set is of the early manifest's catalog. At the end file is NULL */
typedef struct {
    char *file;
    const HbStoredRows *rows;
    GBytes *bytes;
} HbStreamChunk;

void hb_stream_chunk_clear(HbStreamChunk *chunk);

/* HB_ERROR_DAMAGED if the stream broke off */
gboolean hb_stream_next(HbStream *stream, HbStreamChunk *chunk, GError **error);

/* Reads the rest of the rows, and lets them go */
gboolean hb_stream_skip(HbStream *stream, GError **error);

/*
 * The stream of a whole server has one stream for each database within, one after the other, instead of chunks. Opens
 * the next, when the one before it has ended; it must be closed before the outer one. *inner NULL: that was the end
 */
gboolean hb_stream_open_next(HbStream *outer, HbStream **inner, GError **error);

/* After the end: the manifest that followed the rows, whose sums are right. Borrowed */
const HbManifest *hb_stream_get_last_manifest(const HbStream *stream);
