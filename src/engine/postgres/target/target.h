/* SPDX-License-Identifier: Apache-2.0 */
/*
 * target - what a restore does to a server besides loading rows and noting its steps: the database, roles, rights.
 */
#pragma once

#include "engine/postgres/session/session.h"

/* A session in a database that any server has */
HbSession *hb_pg_open_maintenance(const HbAddress *address, GError **error);

gboolean hb_pg_find_target(const HbAddress *address, HbServerInfo *info, gboolean *exists, GError **error);
gboolean hb_pg_create_database(const HbAddress *address, GHashTable *properties, gboolean *created, GError **error);
gboolean hb_pg_find_content(HbSession *session, char **example, GError **error);
gboolean hb_pg_find_role(HbSession *session, const char *name, gboolean *found, GError **error);
char *hb_pg_make_joining(HbSession *session, const char *owner, char **leaving);
gboolean hb_pg_read_privileges(HbSession *session, HbRestorePrivileges *privileges, GError **error);
char *hb_pg_make_password_sql(HbSession *session, const HbObject *role, const char *password, GError **error);
gboolean hb_pg_find_rows(HbSession *session, const HbCatalog *catalog, GHashTable *holding, GError **error);
