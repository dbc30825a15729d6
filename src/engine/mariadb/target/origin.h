/* SPDX-License-Identifier: Apache-2.0 */
/*
 * origin - what a copy remembers of where it came from: one text, in a small table of the database. Trusted like a
 * journal (see own_tables).
 */
#pragma once

#include "engine/mariadb/session/session.h"

gboolean hb_my_read_origin(HbSession *session, char **text, GError **error);
gboolean hb_my_write_origin(HbSession *session, const char *text, GError **error);
gboolean hb_my_drop_origin(HbSession *session, GError **error);
