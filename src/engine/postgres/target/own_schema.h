/* SPDX-License-Identifier: Apache-2.0 */
/*
 * own_schema - what this program leaves in a database, in schemas of its own: a journal, an origin.
 *
 * A user with the privilege to create can make something that is called like one of them, and a reader would run that
 * user's functions: the server's catalog says what it is before anything is read. It is trusted only if the role of the
 * session or a superuser made it, and no other role may write to it.
 */
#pragma once

#include "engine/postgres/session/session.h"

/* shape: "table(column type, ...) ..." of all that it may hold. *complaint: why it cannot be trusted, the caller's;
 * NULL: it can */
gboolean hb_pg_inspect_schema(HbSession *session, const char *schema, const char *shape, gboolean *there,
                              char **complaint, GError **error);

/* Takes away what default privileges give to others on whatever this role creates */
gboolean hb_pg_keep_schema(HbSession *session, const char *schema, GError **error);
