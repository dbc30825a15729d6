/* SPDX-License-Identifier: Apache-2.0 */
/*
 * gate - of PostgreSQL; see engine/gate.h.
 *
 *     sessions    CONNECTION LIMIT 0 on the database: superusers still get in
 *     read-only   default_transaction_read_only = on for the database: a session may set it off again, and is then
 *                 found by what it writes
 */
#pragma once

#include "engine/gate.h"

extern const HbGate hb_pg_gate;

/* Of engine/postgres/gate/connection_forms.c */
GPtrArray *hb_pg_list_forms(const HbAddress *address, const HbServerInfo *server, const char *user,
                            const char *password);
gboolean hb_pg_try_form(const HbConnectionForm *form, const HbAddress *address, gboolean *unknown, GError **error);
char *hb_pg_find_password(const HbAddress *address, const char *user);
