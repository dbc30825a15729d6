/* SPDX-License-Identifier: Apache-2.0 */
/*
 * mysql_only - what MySQL has and MariaDB has not. Histograms and the encryption of a database are carried; the rest is
 * named: read-only databases, and of a server its components, tablespaces and resource groups.
 */
#pragma once

#include "engine/mariadb/catalog/catalog_builder.h"

/* Of the builder's database, when its tables are in the catalog. */
gboolean hb_my_read_mysql_only(HbMyCatalogBuilder *builder, GError **error);

/* Of a server; what this account may not see is not looked for */
void hb_my_name_mysql_only(HbSession *session, HbCatalog *catalog);
