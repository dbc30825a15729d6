/* SPDX-License-Identifier: Apache-2.0 */
/*
 * writer - puts a dump together: SQL files from a catalog, chunks of rows, the manifest, the sums.
 *
 * Life: open with a manifest whose catalog is arranged; write chunks from any number of threads, each with its own
 * packer; finish or discard. Nothing has the dump's name until finish() returns TRUE.
 */
#pragma once

#include "dump/manifest.h"

typedef struct HbWriter HbWriter;

/* recipients (NULL: everybody): for whom the dump is sealed. preamble: the engine's SQL that stands at the top of each
 * SQL file. Borrows recipients and manifest */
HbWriter *hb_writer_open(const char *path, const HbRecipients *recipients, HbManifest *manifest, const char *preamble,
                         GError **error);

/*
 * Before any chunk: of a stream, definitions and an early manifest go first, so that its reader can begin. The row sets
 * of the manifest must be there
 */
gboolean hb_writer_begin_rows(HbWriter *writer, GError **error);

/* A packer for one thread, freed by the caller. level: see HB_COMPRESSION_NONE */
HbPacker *hb_writer_new_packer(HbWriter *writer, int level);

/* The next free chunk name of a row set ("rows/garden.plot/0001.rows.zst"); thread-safe; the caller's */
char *hb_writer_name_chunk(HbWriter *writer, const HbRowSet *set, const char *suffix);

/* Takes back a chunk that was written */
void hb_writer_remove_chunk(HbWriter *writer, const HbChunk *chunk);

/*
 * A database's own dump inside that of a whole server: a writer of its own, which the outer one outlives; and once it
 * is written, its entry in the manifest. In a stream there can be one at a time
 */
HbWriter *hb_writer_open_member(HbWriter *outer, const char *database, HbManifest *manifest, const char *preamble,
                                GError **error);
void hb_writer_add_member(HbWriter *writer, const char *database, guint64 bytes); /* of its rows */

/*
 * Of a dump that several hosts write: each names its chunks by its own tag (letters and digits), so that no two hosts
 * write the same file. The row sets of the manifest must be there, in the same order with all. join() writes into a
 * dump that another host began, and leaves manifest and sums to that host: it ends with leave(). folder: for what the
 * hosts tell each other (see dump/shared_folder.h); the writer's
 */
HbWriter *hb_writer_join(const char *path, const char *place, HbManifest *manifest, GError **error);
void hb_writer_share(HbWriter *writer, const char *tag);
HbFolder *hb_writer_get_folder(const HbWriter *writer);
void hb_writer_leave(HbWriter *writer); /* accepts NULL */

/* Writes SQL files and manifest, and makes the dump exist. Frees the writer in any case */
gboolean hb_writer_finish(HbWriter *writer, GError **error);
void hb_writer_discard(HbWriter *writer); /* accepts NULL */
