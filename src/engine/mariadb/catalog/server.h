/* SPDX-License-Identifier: Apache-2.0 */
/*
 * server - what a server has that belongs to no database: accounts and roles, loadable functions, other servers.
 */
#pragma once

#include "engine/mariadb/session/session.h"

/* Not arranged; the caller's */
HbCatalog *hb_my_read_server(HbSession *session, guint parts, GError **error);
