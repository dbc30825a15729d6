/* SPDX-License-Identifier: Apache-2.0 */
/*
 * lost_sessions - ending the sessions that a broken connection has left behind on a server.
 */
#pragma once

#include "engine/connector.h"

/* The sessions (guint64) of end_lost() that are still there; NULL on error. The caller's */
typedef GArray *(*HbListLost)(HbSession *session, const GArray *alive, GError **error);

/* After they were told to end: waits until none is left, for 10 s at most; then HB_ERROR_LOCKED, with the hint. lost:
 * what the list said before; taken */
gboolean hb_engine_await_end(HbSession *session, const GArray *alive, HbListLost list, GArray *lost, const char *hint,
                             GError **error);

/* "1,2" of these guint64; the caller's */
char *hb_engine_join_ids(const GArray *ids);

/* Is the id among these guint64? */
gboolean hb_engine_has_id(const GArray *ids, guint64 id);
