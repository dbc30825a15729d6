/* SPDX-License-Identifier: Apache-2.0 */
/*
 * split_statements - a large table cut into ranges of its primary key's first column.
 */
#pragma once

#include "engine/mariadb/session/session.h"

/* How values of a column are guessed; a row set's extent says it */
typedef enum { HB_SPLIT_NONE, HB_SPLIT_NUMBER, HB_SPLIT_TIME, HB_SPLIT_TEXT, HB_SPLIT_BYTES, HB_SPLIT_COUNT } HbSplit;

GArray *hb_my_split_rows(HbSession *session, const HbRowSet *set, guint64 bytes);
