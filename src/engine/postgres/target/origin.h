/* SPDX-License-Identifier: Apache-2.0 */
/*
 * origin - what a copy remembers of where it came from: one text, in a schema of its own, hornbeam_origin. Trusted like
 * a journal (see own_schema).
 */
#pragma once

#include "engine/postgres/session/session.h"

gboolean hb_pg_read_origin(HbSession *session, char **text, GError **error);
gboolean hb_pg_write_origin(HbSession *session, const char *text, GError **error);
gboolean hb_pg_drop_origin(HbSession *session, GError **error);
