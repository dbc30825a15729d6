/* SPDX-License-Identifier: Apache-2.0 */
/*
 * key_condition - SQL that chooses rows by their keys.
 */
#pragma once

#include "core/rows/changes.h"
#include "core/rows/row_sketch.h"
#include "core/sql/dialect.h"

/* Has the set a key, and each of the rows one that is known by more than its hash? */
gboolean hb_key_condition_is_possible(const HbRowSet *set, const GArray *sketched);

/* "plot IN ('A')", "(plot, tree_id) IN (('A', '17'), ('B', '4'))": for rows first <= i < end, all with keys; the set
 * has one. The caller's */
char *hb_key_condition_new(const HbRowSet *set, const HbDialect *dialect, const GArray *sketched, guint first,
                           guint end);

/* The same for rows that were touched, by the key of their changes */
char *hb_key_condition_of_changed(const HbChanges *changes, const HbRowSet *set, const HbDialect *dialect,
                                  HbChangedRow *const *rows, guint count);

/* The value of a row's field, as the row's text has it, as a literal; NULL and DEFAULT as these words */
void hb_key_condition_append_value(GString *sql, const HbRowSet *set, guint column, const HbDialect *dialect,
                                   const char *text, gsize length);
