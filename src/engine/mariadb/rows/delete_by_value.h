/* SPDX-License-Identifier: Apache-2.0 */
/*
 * delete_by_value - taking rows without a key away: each is found by all of its values, byte by byte.
 */
#pragma once

#include "core/rows/row_sketch.h"
#include "engine/mariadb/session/session.h"

/*
 * Deletes these rows (HbSketchedRow, |count| times each) in the session's transaction. HB_ERROR_RETRY: not each of them
 * was there, or the server does not say of one what its reader got, so that nothing can be told by values
 */
gboolean hb_my_delete_by_value(HbSession *session, const HbRowSet *set, const GArray *gone, GError **error);
