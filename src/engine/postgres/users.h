/* SPDX-License-Identifier: Apache-2.0 */
/*
 * users - what belongs to no database: roles, their memberships, passwords and settings, tablespaces; and which
 * databases a server has.
 */
#pragma once

#include "engine/postgres/gather.h"

/* The roles that the database needs; or, within a whole server's reading, all */
gboolean hb_pg_read_users(HbGather *gather, GError **error);

HbCatalog *hb_pg_read_server(HbSession *session, guint parts, GError **error);
GArray *hb_pg_list_databases(HbSession *session, const HbAddress *address, GError **error);
