/* SPDX-License-Identifier: Apache-2.0 */
/*
 * reader - a dump that is there: opened only if it is whole as far as can be seen without reading its rows.
 *
 * Opening checks the sums of manifest and SQL files, that each file of the dump is listed and there with the right
 * size. Rows are checked while they are read, by digest. After opening, any number of threads may read.
 */
#pragma once

#include "dump/manifest.h"
#include "dump/seal.h"
#include "dump/store.h"

typedef struct HbReader HbReader;

/* key: opens a sealed dump, and must outlive the reader; NULL: there is none. HB_ERROR_DAMAGED, HB_ERROR_FILE;
 * HB_ERROR_USAGE if the dump is sealed and the key does not open it, or if there is a key and the dump is not sealed */
HbReader *hb_reader_open(const char *path, const HbSealKey *key, GError **error);

/*
 * As far as it can be seen without a key: of a sealed dump the manifest is its label (see hb_manifest_write_label()),
 * and all files are there that the sums list. A dump that is not sealed is opened as always. HB_ERROR_DAMAGED,
 * HB_ERROR_FILE
 */
HbReader *hb_reader_open_outside(const char *path, GError **error);

/* One database's dump inside that of a whole server; the outer one may be closed before */
HbReader *hb_reader_open_member(const HbReader *outer, const HbMember *member, GError **error);
void hb_reader_close(HbReader *reader); /* accepts NULL */
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbReader, hb_reader_close)

const HbManifest *hb_reader_get_manifest(const HbReader *reader);
const char *hb_reader_get_path(const HbReader *reader);

/* The name that a file of the dump has where the dump lies; the caller's */
char *hb_reader_name_stored(const HbReader *reader, const char *name);

/* Opens a chunk's rows */
HbUnpacker *hb_reader_open_chunk(const HbReader *reader, const HbChunk *chunk, GError **error);
/* Likewise, of its file that is open already; takes that */
HbUnpacker *hb_reader_open_chunk_in(const HbReader *reader, const HbChunk *chunk, HbStoreFile *file, GError **error);

const HbStore *hb_reader_get_store(const HbReader *reader);

/* Gives the objects of a stage their definitions out of the text of its file. HB_ERROR_DAMAGED */
gboolean hb_reader_read_definitions(const HbManifest *manifest, HbStage stage, const char *text, gsize length,
                                    GError **error);

/* The sums that SHA256SUMS gives: HbFileSum * by name; borrowed */
GHashTable *hb_reader_get_sums(const HbReader *reader);
