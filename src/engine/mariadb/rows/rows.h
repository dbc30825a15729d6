/* SPDX-License-Identifier: Apache-2.0 */
/*
 * rows - rows out of tables, streamed and encoded.
 */
#pragma once

#include "engine/mariadb/session/session.h"

gboolean hb_my_read_rows(HbSession *session, const HbRowSet *set, const HbRange *range, HbRowSink sink, gpointer data,
                         GError **error);
