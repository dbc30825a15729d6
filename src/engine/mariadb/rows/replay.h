/* SPDX-License-Identifier: Apache-2.0 */
/*
 * replay - changes that a log has told are brought into a copy (see HbReplay).
 */
#pragma once

#include "engine/mariadb/session/session.h"
#include "engine/replay.h"

extern const HbReplay hb_my_replay;
