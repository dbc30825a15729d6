/* SPDX-License-Identifier: Apache-2.0 */
/*
 * exceptions - what a restore, or a pass, did not simply do, as text.
 */
#pragma once

#include "work/restore/restore_result.h"

/* Those of one outcome under a heading, if there are any; many of which the same is said stand together. How many */
guint hb_exceptions_append(GString *out, gboolean color, const HbRestoreResult *result, HbOutcome outcome,
                           const char *title);
