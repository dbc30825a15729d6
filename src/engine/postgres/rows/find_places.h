/* SPDX-License-Identifier: Apache-2.0 */
/*
 * find_places - where rows without a key stand, so that they can be deleted there.
 */
#pragma once

#include "core/rows/row_sketch.h"
#include "engine/postgres/session/session.h"

/* Deletes these rows (HbSketchedRow, |count| times each) from a table that nobody else can change until the transaction
 * ends. HB_ERROR_RETRY: not each of them was there */
gboolean hb_pg_delete_found(HbSession *session, const HbRowSet *set, const GArray *gone, GError **error);
