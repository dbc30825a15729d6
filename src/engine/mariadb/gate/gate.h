/* SPDX-License-Identifier: Apache-2.0 */
/*
 * gate - of MariaDB and MySQL; see engine/gate.h.
 *
 *     sessions    ACCOUNT LOCK for each account that may write to the database, but ours and administrators'
 *     read-only   MySQL from 8.0.22 on: the database is READ ONLY, for everybody. Others: the server is, but for those
 *                 who may ignore that, and until it is started again
 */
#pragma once

#include "engine/gate.h"

extern const HbGate hb_my_gate;

/* Of engine/mariadb/gate/connection_forms.c */
GPtrArray *hb_my_list_forms(const HbAddress *address, const HbServerInfo *server, const char *user,
                            const char *password);
gboolean hb_my_try_form(const HbConnectionForm *form, const HbAddress *address, gboolean *unknown, GError **error);
char *hb_my_find_password(const HbAddress *address, const char *user);
