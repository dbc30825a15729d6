/* SPDX-License-Identifier: Apache-2.0 */
/*
 * change_rows - rows go and others come, while nothing acts upon that.
 */
#pragma once

#include "engine/postgres/session/session.h"

/* Would a trigger or a rule act upon rows also where a session keeps them from acting? The error names it */
gboolean hb_pg_check_triggers(HbSession *session, const HbRowSet *set, GError **error);

/* An HbDeleteRows. data: the session */
gboolean hb_pg_run_delete(gpointer data, const char *sql, guint64 *count, GError **error);
gboolean hb_pg_count_rows(gpointer data, const char *sql, guint64 *count, GError **error); /* SELECT count(*) ... */

gboolean hb_pg_may_quiet(HbSession *session, gboolean *may, GError **error);
gboolean hb_pg_change_rows(HbSession *session, const HbRowSet *set, const HbRowChange *change, GError **error);
