/* SPDX-License-Identifier: Apache-2.0 */
/*
 * rows - rows out of tables: split by ranges of the primary key, streamed, encoded here.
 */
#pragma once

#include "engine/mariadb/session.h"

GArray *hb_my_split_rows(HbSession *session, const HbRowSet *set, guint64 bytes);
gboolean hb_my_read_rows(HbSession *session, const HbRowSet *set, const HbRange *range, HbRowSink sink, gpointer data,
                         GError **error);
