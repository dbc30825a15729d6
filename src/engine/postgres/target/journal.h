/* SPDX-License-Identifier: Apache-2.0 */
/*
 * journal - which steps of a restore are done, in a schema of its own in the target, hornbeam_journal: one row for the
 * dump and one for each finished step.
 *
 * A step and its row are one transaction, and the row comes first: a session that repeats what another is just doing
 * waits for it, and then learns that it is done. (The index is on hashes, because keys may be too long.)
 *
 * It is trusted only if the role of the session or a superuser made it, and no other role may write to it: what it says
 * becomes part of statements.
 */
#pragma once

#include "engine/journal.h"
#include "engine/postgres/session/session.h"

/* HB_ERROR_BLOCKED if something is called so that is no journal, or is not ours */
gboolean hb_pg_find_journal(HbSession *session, char **dump_id, GError **error);
gboolean hb_pg_begin_journal(HbSession *session, const char *dump_id, GError **error);
gboolean hb_pg_take_steps(HbSession *session, const GPtrArray *held, const GPtrArray *keys, HbStepClaim *states,
                          GError **error);
GHashTable *hb_pg_read_journal(HbSession *session, GError **error);
gboolean hb_pg_forget_steps(HbSession *session, const char *prefix, GError **error);
gboolean hb_pg_settle_journal(HbSession *session, GError **error);
gboolean hb_pg_end_journal(HbSession *session, GError **error);
gboolean hb_pg_run_step(HbSession *session, const char *sql, const char *key, const char *note, GError **error);

/* The statement, without ';', that notes a step; to be sent in the step's own transaction. The caller's */
char *hb_pg_journal_entry_sql(HbSession *session, const HbJournalEntry *entry);
