/* SPDX-License-Identifier: Apache-2.0 */
/*
 * server - a whole server: what belongs to no database, and which databases it has.
 */
#pragma once

#include "engine/postgres/session/session.h"

HbCatalog *hb_pg_read_server(HbSession *session, guint parts, GError **error);
GArray *hb_pg_list_databases(HbSession *session, const HbAddress *address, GError **error);
