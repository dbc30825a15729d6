/* SPDX-License-Identifier: Apache-2.0 */
/*
 * journal - which steps of a restore are done, in two small tables of the target.
 *
 * Statements that define something commit by themselves, so an entry cannot be part of them: a step leaves a first
 * entry when it begins and a second when it is done. What a run finds begun and not done may be there already; then the
 * server's complaint that it exists is good news.
 *
 * Of two sessions that do the same, only one can have the entry: its digest is the primary key. Rows are loaded after
 * it, in its transaction, so that the other one waits, and then learns that the step is done.
 *
 * Tables without transactions cannot take back a chunk that broke off: before a run goes on, hb_my_empty_broken()
 * empties such a table, and all of its chunks count as not done.
 */
#pragma once

#include "engine/mariadb/session/session.h"

gboolean hb_my_find_journal(HbSession *session, char **dump_id, GError **error);
gboolean hb_my_begin_journal(HbSession *session, const char *dump_id, GError **error);
gboolean hb_my_take_steps(HbSession *session, const GPtrArray *held, const GPtrArray *keys, HbStepClaim *states,
                          GError **error);
GHashTable *hb_my_read_journal(HbSession *session, GError **error);
gboolean hb_my_empty_broken(HbSession *session, GError **error);
gboolean hb_my_forget_steps(HbSession *session, const char *prefix, GError **error);
gboolean hb_my_settle_journal(HbSession *session, GError **error); /* it is on disk as the server's settings have it */
gboolean hb_my_end_journal(HbSession *session, GError **error);

/* An entry; table: the table that is emptied if only this first entry is found later; NULL: none */
gboolean hb_my_note_begun(HbSession *session, const char *key, const char *table, GError **error);
/* FALSE: a session that is gone, or this one, has left a part of a chunk in a table without transactions */
gboolean hb_my_check_unbroken(HbSession *session, const char *table, GError **error);
gboolean hb_my_note_done(HbSession *session, const char *key, const char *note, GError **error);

gboolean hb_my_run_step(HbSession *session, const char *sql, const char *key, const char *note, GError **error);
