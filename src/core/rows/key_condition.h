/* SPDX-License-Identifier: Apache-2.0 */
/*
 * key_condition - SQL that chooses rows by their keys.
 */
#pragma once

#include "core/rows/row_sketch.h"
#include "core/sql/dialect.h"

/* Has the set a key, and each of the rows one that is known by more than its hash? */
gboolean hb_key_condition_is_possible(const HbRowSet *set, const GArray *sketched);

/* "plot IN ('A')", "(plot, tree_id) IN (('A', '17'), ('B', '4'))": for rows first <= i < end, all with keys; the set
 * has one. The caller's */
char *hb_key_condition_new(const HbRowSet *set, const HbDialect *dialect, const GArray *sketched, guint first,
                           guint end);
