/* SPDX-License-Identifier: Apache-2.0 */
/*
 * carry - the use case: a database goes from server to server, with nothing on disk.
 *
 *     source:   snapshot, catalog .................... N readers: rows ............. the same structure still?
 *                               \                            |  blocks of a megabyte, four at most
 *     restore:   preflight -> users, structure -----> N writers: rows -> indexes, keys, triggers, ...
 *
 * The steps are those of a restore; the rows come from a provider. What was read is counted and summed up as it passes,
 * and the target must say that it took as many rows. It cannot be resumed: the moment of the source is gone afterwards.
 */
#pragma once

#include "work/restore/restore_run.h"
#include "work/source/snapshot_source.h"

/*
 * Supplies a restore with the rows of a source whose catalog it restores. The source must have been read, and must
 * outlive it. Fills the manifest's rows with counts and digests
 */
typedef struct HbCarry HbCarry;

HbCarry *hb_carry_new(HbSnapshotSource *source);
void hb_carry_free(HbCarry *carry); /* accepts NULL */
const HbRowProvider *hb_carry_get_provider(const HbCarry *carry);
