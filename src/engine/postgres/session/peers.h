/* SPDX-License-Identifier: Apache-2.0 */
/*
 * peers - what other sessions of the server do: the hold on a target, sessions that are dead to us, whom we wait for.
 *
 * The hold and its servants are advisory locks of the database (see "Advisory Lock Functions" in the server's manual),
 * which end with their sessions and are listed in pg_locks. See engine.h for the contract.
 */
#pragma once

#include "engine/engine.h"

guint64 hb_pg_get_id(const HbSession *session);
gboolean hb_pg_claim(HbSession *session, gboolean of_server, HbPeer *holder, GError **error);
gboolean hb_pg_join(HbSession *session, HbPeer *holder, GError **error);
gboolean hb_pg_leave(HbSession *session, GError **error);
gboolean hb_pg_lock_name(HbSession *session, const char *name, gboolean *taken, GError **error);
gboolean hb_pg_unlock_name(HbSession *session, const char *name, GError **error);
gboolean hb_pg_is_name_locked(HbSession *session, const char *name, gboolean *locked, GError **error);
gboolean hb_pg_serve(HbSession *session, GError **error);
gboolean hb_pg_end_lost(HbSession *session, const GArray *alive, guint *ended, GError **error);
gboolean hb_pg_find_wait(HbSession *session, const GArray *ids, char **wait, GError **error);
gboolean hb_pg_ask_holder(HbSession *session, GError **error);
gboolean hb_pg_is_asked(HbSession *session, gboolean *asked, GError **error);
