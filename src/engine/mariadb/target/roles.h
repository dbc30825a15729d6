/* SPDX-License-Identifier: Apache-2.0 */
/*
 * roles - accounts and roles that a restore meets on its target, or makes there. Names are as SQL writes them.
 */
#pragma once

#include "engine/mariadb/session/session.h"

/* Who may not see accounts cannot tell that one is missing */
gboolean hb_my_may_be_there(HbSession *session, const char *account);
gboolean hb_my_find_role(HbSession *session, const char *name, gboolean *found, GError **error);

/* SQL with the password's hash; NULL if the account brings one, or is a role. The caller's */
char *hb_my_make_password_sql(HbSession *session, const HbObject *role, const char *password, GError **error);
