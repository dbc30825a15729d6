/* SPDX-License-Identifier: Apache-2.0 */
/*
 * verify_inner - what verify_side finds on one side for verify: a catalog, and a digest of each row set, from a dump or
 * a server.
 */
#pragma once

#include "work/run/lookout.h"
#include "work/source/row_sums.h"
#include "work/verify/verify.h"

typedef struct {
    const HbVerifyOptions *options;
    const HbSide *side;
    guint first_worker;
    char *database;   /* unquoted */
    guint version;    /* that the definitions are for */
    char *unfinished; /* of TO; see HbVerification */
    guint steps_done;
    HbCatalog *catalog; /* the side's own, which is adapted to the other side */
    HbRowSums sums;
    HbSnapshot snapshot;
    HbSession *keeper; /* of the snapshot, until hb_side_contents_end(); NULL: a dump */
    HbLookout *lookout;
    GPtrArray *readers; /* HbSession *: joined; workers take them, and give them back */
    GHashTable
        *other_users; /* identities, after renaming, of what is personal of users who are called otherwise in TO */
    GError *error;
} HbSideContents;

/* first_worker: the number of the side's first worker, for observers */
void hb_side_contents_init(HbSideContents *contents, const HbVerifyOptions *options, const HbSide *side,
                           guint first_worker);
void hb_side_contents_clear(HbSideContents *contents);

/* How fast the side is read; NULL: as fast as can be */
HbThrottle *hb_side_contents_get_throttle(const HbSideContents *contents);

gboolean hb_side_contents_read_dump(HbSideContents *contents, GError **error);

/* At one moment, which lasts until the end; what goes wrong is in contents->error. For a thread of its own */
void hb_side_contents_read_server(HbSideContents *contents);

/* Reads the row sets that differ once more, for their sketches: most that is verified is equal, and a sketch costs a
 * tenth of the reading. Not of a dump. What goes wrong is in contents->error. For a thread of its own */
void hb_side_contents_add_sketches(HbSideContents *contents, const GPtrArray *differences);

/* Fails if the structure changed meanwhile. A dump has no end */
gboolean hb_side_contents_end(HbSideContents *contents, GError **error);

/* Which rows differ, for each difference of rows; fails only if FROM is a dump that cannot be read */
gboolean hb_verify_name_rows(const HbSideContents *from, const HbSideContents *to, GPtrArray *differences,
                             GError **error);
