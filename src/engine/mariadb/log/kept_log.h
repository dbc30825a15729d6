/* SPDX-License-Identifier: Apache-2.0 */
/*
 * kept_log - the binary log of a server, which it keeps for nobody in particular, but for some days (see HbLog).
 *
 * A position is "FILE:BYTE", as the server shows it, with more behind a comma, which is for people.
 */
#pragma once

#include "engine/log.h"
#include "engine/mariadb/session/session.h"

/* Is it written so that changes of rows can be read from it, and may the session's user? */
gboolean hb_my_check_log(HbSession *session, GError **error);

/* "binlog.000001:291692, GTID 0-1-1863"; NULL where there is no log, or it is not for us to see. The caller's */
char *hb_my_read_position(HbSession *session);

gboolean hb_my_narrow_log(HbSession *session, const char *name, const HbCatalog *catalog, GError **error);
gboolean hb_my_release_log(HbSession *session, const char *name, GError **error);
GArray *hb_my_list_kept(HbSession *session, const char *name, GError **error);
char *hb_my_find_log_end(HbSession *session, GError **error);
int hb_my_compare_positions(const char *position, const char *other);

/* FALSE: it is none. file: the caller's */
gboolean hb_my_split_position(const char *position, char **file, guint64 *byte);
