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
gboolean hb_my_add_accounts(HbSession *session, HbCatalog *catalog, GError **error);
