/* SPDX-License-Identifier: Apache-2.0 */
/*
 * snapshot - one moment in time for several sessions, with the structure held still.
 *
 * The session that begins it locks all tables against changes of structure (access share: readers and writers go on),
 * looks whether more came meanwhile, and only then exports the snapshot: nothing can change between catalog and rows.
 * Locks are a shared resource of the server. Where the tables would take more than half of it, only the largest are
 * locked ahead; the rest is guarded by comparing the structure before and after.
 */
#pragma once

#include "engine/postgres/session/session.h"

gboolean hb_pg_begin_snapshot(HbSession *session, guint lock_wait_ms, HbSnapshot *snapshot, HbRemark remark,
                              gpointer data, GError **error);
void hb_pg_drop_snapshot(HbSession *session);
gboolean hb_pg_seal_snapshot(HbSession *session, HbSnapshot *snapshot, GError **error);
gboolean hb_pg_check_structure(HbSession *session, GError **error);
gboolean hb_pg_join_snapshot(HbSession *session, const HbSnapshot *snapshot, GError **error);
gboolean hb_pg_end_snapshot(HbSession *session, GError **error);
