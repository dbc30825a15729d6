/* SPDX-License-Identifier: Apache-2.0 */
/*
 * dump - the use case: a database becomes a dump.
 *
 *     keeper session: lock tables, export snapshot ................................ compare structure, end
 *     first reader:                     catalog, survey -> order
 *     N readers:                                              rows -> chunks
 *     writer:          temporary folder                                                 SQL, manifest, sums, name
 */
#pragma once

#include "dump/writer.h"
#include "work/dump/dump_hosts.h"
#include "work/source/snapshot_source.h"

#define HB_DUMP_HOSTS_GUESS 4 /* so many are prepared for where their number is not known */

#define HB_DUMP_CHUNK_BYTES_DEFAULT ((gsize)16 * 1024 * 1024)
#define HB_DUMP_CHUNK_BYTES_STREAM  ((gsize)4 * 1024 * 1024) /* they are held in memory until they are whole */

typedef struct {
    HbSnapshotSourceOptions source;
    const char *path;
    const HbRecipients *recipients; /* for whom the dump is sealed; NULL: it is not */
    HbDumpHosts *hosts;             /* with whom it is written; its moment is that of the source; NULL: alone */
    HbWriter *outer;                /* of a whole server's dump, which this one is a part of instead; NULL: it is not */
    int level;                      /* of compression */
    gsize chunk_bytes;
} HbDumpOptions;

/* The manifest of the finished dump, without rows where another host has finished it; NULL on error, and then there is
 * no dump. The caller's */
HbManifest *hb_dump_run(const HbDumpOptions *options, GError **error);
