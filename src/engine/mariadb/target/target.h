/* SPDX-License-Identifier: Apache-2.0 */
/*
 * target - the database that a dump goes into: is it there, is it empty, create it, adapt to it.
 */
#pragma once

#include "engine/mariadb/session/session.h"

gboolean hb_my_find_target(const HbAddress *address, HbServerInfo *info, gboolean *exists, GError **error);
gboolean hb_my_create_database(const HbAddress *address, GHashTable *properties, gboolean *created, GError **error);
gboolean hb_my_find_content(HbSession *session, char **example, GError **error);
gboolean hb_my_reads_same(HbSession *session, const HbObject *other, const HbObject *own);
GArray *hb_my_list_databases(HbSession *session, const HbAddress *address, GError **error);
gboolean hb_my_find_rows(HbSession *session, const HbCatalog *catalog, GHashTable *holding, GError **error);
