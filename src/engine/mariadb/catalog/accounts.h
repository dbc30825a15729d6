/* SPDX-License-Identifier: Apache-2.0 */
/*
 * accounts - accounts and roles, what they are granted, and which of them a database needs.
 *
 * A name in an identity is as SQL writes it: 'keeper'@'%' for an account, curators for a role.
 */
#pragma once

#include "engine/mariadb/catalog/catalog_builder.h"

/* Accounts that can reach this database, or define something in it; with what they are granted here and everywhere */
gboolean hb_my_read_accounts(HbMyCatalogBuilder *builder, GError **error);

/* All accounts, with what they are granted on no database in particular */
HbCatalog *hb_my_read_server(HbSession *session, guint parts, GError **error);

/* Whom a grant of a catalog is for, as above; NULL if the object is no grant. The caller's */
char *hb_my_get_grantee(const HbObject *object);

/* Who may not see accounts cannot tell that one is missing. As SQL writes it */
gboolean hb_my_may_be_there(HbSession *session, const char *account);
gboolean hb_my_find_role(HbSession *session, const char *name, gboolean *found, GError **error);
char *hb_my_make_password_sql(HbSession *session, const HbObject *role, const char *password, GError **error);
