/* SPDX-License-Identifier: Apache-2.0 */
/*
 * replay - changes that a log has told are brought into a copy: those of several tables, and the note of how far they
 * reach, in one transaction.
 *
 *     begin -> (mark -> apply each table -> on failure: undo)... -> end            or abandon
 */
#pragma once

#include "core/rows/changes.h"
#include "engine/connector.h"

typedef struct {
    /* Keeps triggers and foreign keys from acting for the transaction, unless is_quiet says that they were taken off.
     * HB_ERROR_RIGHTS: the user may not */
    gboolean (*begin)(HbSession *session, gboolean is_quiet, GError **error);
    /* Would anything act upon this table's rows all the same? The error names it */
    gboolean (*check)(HbSession *session, const HbRowSet *set, GError **error);
    gboolean (*mark)(HbSession *session, GError **error);
    /*
     * set: the copy's table, whose columns are those of the changes' set. HB_ERROR_RETRY: not each row was there that
     * was to change or go; HB_ERROR_EXISTS: one was there that was to come. is_loose: neither matters, the rows become
     * what the changes say
     */
    gboolean (*apply)(HbSession *session, const HbRowSet *set, const HbChanges *changes, gboolean is_loose,
                      GError **error);
    gboolean (*undo)(HbSession *session, GError **error); /* back to the mark */
    gboolean (*has_row)(HbSession *session, const HbRowSet *set, const HbChanges *changes, const HbChangedRow *row,
                        gboolean *has, GError **error);
    /* origin: its text; see HbTarget. It is on the disk when this returns */
    gboolean (*end)(HbSession *session, const char *origin, GError **error);
    void (*abandon)(HbSession *session);
} HbReplay;
