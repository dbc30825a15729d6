/* SPDX-License-Identifier: Apache-2.0 */
/*
 * kept_log - what makes a PostgreSQL server keep its log for a copy: a publication of the tables whose changes it can
 * tell, and a logical slot of the built-in plugin pgoutput, both under one name.
 *
 * The publication comes first: a change that was logged before it existed could never be decoded. A table without a key
 * must never get into it, because the server would then refuse the application's own updates. The slot keeps the log
 * until somebody confirms, whatever becomes of us: a slot that is forgotten fills the server's disk.
 */
#pragma once

#include "engine/log.h"
#include "engine/postgres/session/session.h"

/* All names of ours begin so; what follows are small letters, digits and _ */
#define HB_PG_KEPT_PREFIX "hornbeam_"

/* Is it one of ours? A copy says what its log is called, and whoever may write there may have it say anything */
gboolean hb_pg_check_kept_name(const char *name, GError **error);

gboolean hb_pg_check_log(HbSession *session, GError **error);

/* keeper: its tables are locked. Makes both, and gives it a snapshot of the moment from which on the log is kept, as
 * its holder exports it; lock_wait_ms: how long to wait for those that write just then */
gboolean hb_pg_keep_log(HbSession *keeper, const char *name, guint lock_wait_ms, char **token, char **position,
                        GError **error);

gboolean hb_pg_narrow_log(HbSession *session, const char *name, const HbCatalog *catalog, GError **error);
gboolean hb_pg_find_logged(HbSession *session, const char *name, const HbCatalog *catalog, GHashTable *logged,
                           GPtrArray *unlogged, GError **error);
gboolean hb_pg_release_log(HbSession *session, const char *name, GError **error);
GArray *hb_pg_list_kept(HbSession *session, const char *name, GError **error);
char *hb_pg_find_log_end(HbSession *session, GError **error);

gboolean hb_pg_read_lsn(const char *text, guint64 *lsn); /* "16/B374D848" */
char *hb_pg_write_lsn(guint64 lsn);
int hb_pg_compare_lsn(const char *position, const char *other);
