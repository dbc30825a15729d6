/* SPDX-License-Identifier: Apache-2.0 */
/*
 * replay_rows - what both engines do with changes that a log has told: which rows go, which are updated, which come.
 */
#pragma once

#include "core/rows/changes.h"
#include "core/sql/dialect.h"
#include "engine/common/change_rows.h"

/*
 * Deletes the rows that go or are replaced, and updates those that change in part, in the caller's transaction.
 * only: before the table's name, "ONLY " or "". HB_ERROR_RETRY: some were not there, unless is_loose; then also those
 * that come are deleted, if they are there
 */
gboolean hb_engine_take_changed(const HbRowSet *set, const HbChanges *changes, gboolean is_loose, const char *only,
                                const HbDialect *dialect, HbDeleteRows run, gpointer data, GError **error);

/* Is the row there? count: runs a query whose only value is a number */
gboolean hb_engine_has_row(const HbRowSet *set, const HbChanges *changes, const HbChangedRow *row, const char *only,
                           const HbDialect *dialect, HbDeleteRows count, gpointer data, gboolean *has, GError **error);

/* The rows that come, as an HbRowSource; begin with {.list = hb_changes_list()} */
typedef struct {
    const GPtrArray *list; /* HbChangedRow * */
    guint next;
    GString *block; /* empty at the beginning */
} HbComingRows;

gboolean hb_coming_rows_are_any(const GPtrArray *list);
gboolean hb_coming_rows_give(gpointer coming, const char **bytes, gsize *length, GError **error);
