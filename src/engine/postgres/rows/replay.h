/* SPDX-License-Identifier: Apache-2.0 */
/*
 * replay - changes that a log has told are brought into a copy (see HbReplay).
 *
 * What goes is deleted by its keys, some hundreds a statement; what changes in part is updated; what comes, and what
 * replaces a row that went, comes by COPY.
 */
#pragma once

#include "engine/postgres/session/session.h"
#include "engine/replay.h"

extern const HbReplay hb_pg_replay;
