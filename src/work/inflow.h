/* SPDX-License-Identifier: Apache-2.0 */
/*
 * inflow - the rows of a dump that is still coming (see dump/stream) for a restore: loaded by several sessions while
 * the rest is on its way.
 *
 *     this thread: stream -> chunk --[at most two a session]--> N workers: unpack, sum up, load
 *                                                                    |
 *     the end of the stream: its manifest <--- compared with ---- sums of what was loaded
 */
#pragma once

#include "dump/stream.h"
#include "work/restore.h"

typedef struct HbInflow HbInflow;

/* The stream must outlive it; engine, jobs, stop and observers are those of the restore */
HbInflow *hb_inflow_new(HbStream *stream, const HbRestoreOptions *options);
void hb_inflow_free(HbInflow *inflow); /* accepts NULL */
const HbRowSupply *hb_inflow_get_supply(const HbInflow *inflow);
