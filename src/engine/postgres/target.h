/* SPDX-License-Identifier: Apache-2.0 */
/*
 * target - what a restore does to a server besides loading rows: the database, the journal, the steps.
 *
 * The journal is a schema of its own in the target, hornbeam_journal, with one row for the dump and one for each
 * finished step. A step and its row are one transaction, and the row comes first: who would do what another session is
 * just doing waits for it, and then learns that it is done. (The index is on hashes, because keys may be too long.)
 */
#pragma once

#include "engine/postgres/session.h"

/* A session in a database that any server has */
HbSession *hb_pg_open_maintenance(const HbAddress *address, GError **error);

gboolean hb_pg_find_target(const HbAddress *address, HbServerInfo *info, gboolean *exists, GError **error);
gboolean hb_pg_create_database(const HbAddress *address, GHashTable *properties, gboolean *created, GError **error);
gboolean hb_pg_find_content(HbSession *session, char **example, GError **error);
gboolean hb_pg_find_journal(HbSession *session, char **dump_id, GError **error);
gboolean hb_pg_begin_journal(HbSession *session, const char *dump_id, GError **error);
GHashTable *hb_pg_read_journal(HbSession *session, GError **error);
gboolean hb_pg_forget_steps(HbSession *session, const char *prefix, GError **error);
gboolean hb_pg_settle_journal(HbSession *session, GError **error);
gboolean hb_pg_end_journal(HbSession *session, GError **error);
gboolean hb_pg_find_role(HbSession *session, const char *name, gboolean *found, GError **error);
char *hb_pg_make_joining(HbSession *session, const char *owner, char **leaving);
char *hb_pg_make_lending(const HbObject *object);
gboolean hb_pg_read_reach(HbSession *session, HbReach *reach, GError **error);
char *hb_pg_make_password_sql(HbSession *session, const HbObject *role, const char *password, GError **error);
gboolean hb_pg_run_step(HbSession *session, const char *sql, const char *key, const char *note, GError **error);
char *hb_pg_join_definitions(const char *one, const char *other);
gboolean hb_pg_is_volatile(const HbObject *table);
char *hb_pg_get_analyze_sql(const char *table);

/* The statement, without ';', that notes a step; for one who sends it in the step's own transaction. The caller's */
char *hb_pg_journal_entry_sql(HbSession *session, const char *key, const char *note);
