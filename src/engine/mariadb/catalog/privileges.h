/* SPDX-License-Identifier: Apache-2.0 */
/*
 * privileges - what the session's account, and the roles that it has taken, may do with all of a database.
 */
#pragma once

#include "engine/mariadb/session/session.h"

/*
 * Rows of two columns: a privilege, as SHOW PRIVILEGES calls it but in capitals; whether it may be passed on:
 * "everywhere", "here" or NULL. The caller's; NULL with an error
 */
HbMyResult *hb_my_read_privileges(HbSession *session, const char *database, GError **error);
