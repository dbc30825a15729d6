/* SPDX-License-Identifier: Apache-2.0 */
/*
 * snapshot - one moment for several sessions: what keeps commits away stands only until all have begun to read.
 */
#pragma once

#include "engine/mariadb/session/session.h"

gboolean hb_my_begin_snapshot(HbSession *session, guint lock_wait_ms, HbSnapshot *snapshot, HbRemark remark,
                              gpointer data, GError **error);
gboolean hb_my_join_snapshot(HbSession *session, const HbSnapshot *snapshot, GError **error);
gboolean hb_my_seal_snapshot(HbSession *session, HbSnapshot *snapshot, GError **error);
gboolean hb_my_check_structure(HbSession *session, GError **error);
void hb_my_drop_snapshot(HbSession *session);
gboolean hb_my_end_snapshot(HbSession *session, GError **error);
