/* SPDX-License-Identifier: Apache-2.0 */
/*
 * peers - what other sessions of the server do: the hold on a target, sessions that are dead to us, whom we wait for.
 *
 * The hold and its servants are locks by name (GET_LOCK), which end with their sessions. The server does not list them,
 * but tells who has one of a name: number 0 is the hold, those from 1 on belong to one session each that serves. See
 * engine.h for the contract.
 */
#pragma once

#include "engine/engine.h"

guint64 hb_my_get_id(const HbSession *session);
gboolean hb_my_claim(HbSession *session, gboolean of_server, HbPeer *holder, GError **error);
gboolean hb_my_join(HbSession *session, HbPeer *holder, GError **error);
gboolean hb_my_leave(HbSession *session, GError **error);
char *hb_my_write_lock_name(const HbSession *session, const char *key); /* as a literal; the caller's */
gboolean hb_my_lock_name(HbSession *session, const char *name, gboolean *taken, GError **error);
gboolean hb_my_unlock_name(HbSession *session, const char *name, GError **error);
gboolean hb_my_is_name_locked(HbSession *session, const char *name, gboolean *locked, GError **error);
gboolean hb_my_serve(HbSession *session, GError **error);
gboolean hb_my_end_lost(HbSession *session, const GArray *alive, guint *ended, GError **error);
gboolean hb_my_find_wait(HbSession *session, const GArray *ids, char **wait, GError **error);
gboolean hb_my_ask_holder(HbSession *session, GError **error);
gboolean hb_my_is_asked(HbSession *session, gboolean *asked, GError **error);
