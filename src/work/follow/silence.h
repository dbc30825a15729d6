/* SPDX-License-Identifier: Apache-2.0 */
/*
 * silence - does a source's log tell of any rows after a place that a copy has reached?
 */
#pragma once

#include "engine/engine.h"
#include "work/run/stop.h"

/* sets: HbRowSet * of interest. Reads up to where the log ends now. *table: the first that was written to, the
 * caller's; NULL: none was */
gboolean hb_log_find_unread(const HbEngine *engine, const HbAddress *from, const char *name, const char *position,
                            const GPtrArray *sets, HbStop *stop, char **table, GError **error);
