/* SPDX-License-Identifier: Apache-2.0 */
/*
 * load_chunk - a chunk of a dump into its table: counted as the rows pass, and taken back if they are not those that
 * were dumped.
 */
#pragma once

#include "dump/reader.h"
#include "engine/journal.h"
#include "work/run/workers.h"

/*
 * Loads the chunk and notes the key in the target's journal, both or neither. HB_ERROR_DAMAGED if file, count or digest
 * is wrong; HB_ERROR_CANCELLED when stopped; otherwise the engine's errors
 */
gboolean hb_load_chunk(HbWorker *worker, const HbReader *dump, const HbRowSet *set, const HbChunk *chunk,
                       const HbJournalEntry *entry, GError **error);
