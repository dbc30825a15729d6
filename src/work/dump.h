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

#include "dump/manifest.h"
#include "work/observer.h"
#include "work/stop.h"

#define HB_DUMP_CHUNK_BYTES_DEFAULT ((gsize)16 * 1024 * 1024)

typedef struct {
    const HbEngine *engine;
    HbAddress from;
    const char *path;
    guint parts;
    const HbChoice *choice; /* NULL: everything */
    guint for_version;      /* of the servers that the definitions are written for; 0: the source's own */
    const char *for_version_text;
    guint jobs;
    int level;            /* of compression */
    gboolean hold_tables; /* keep what no snapshot holds from changing until the end */
    guint lock_wait_ms;
    gsize chunk_bytes;
    HbStop *stop;
    HbObservers *observers;
} HbDumpOptions;

/* Fills in the manifest's head from what the server of a session says of itself */
gboolean hb_dump_describe_source(const HbDumpOptions *options, HbManifest *manifest, HbSession *session,
                                 GError **error);

/* The manifest of the finished dump; NULL on error, and then there is no dump. The caller's */
HbManifest *hb_dump_run(const HbDumpOptions *options, GError **error);
