/* SPDX-License-Identifier: Apache-2.0 */
/*
 * users - roles, their memberships, passwords and settings.
 */
#pragma once

#include "engine/postgres/catalog/catalog_builder.h"

/* The roles that the database needs; or, within a whole server's reading, all */
gboolean hb_pg_read_users(HbCatalogBuilder *builder, GError **error);
