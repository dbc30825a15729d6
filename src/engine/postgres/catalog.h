/* SPDX-License-Identifier: Apache-2.0 */
/*
 * catalog - reads a PostgreSQL database into objects, each kind with one query for the whole database.
 *
 * The server knows its objects by address (catalog, oid). Each query gives the address beside the name, so that the
 * server's own dependency records can be turned into needs. Some objects of ours are none of the server's; their
 * addresses use small numbers in place of the catalog: 1 the rows of a table, 2 its row security, 3 the refresh of a
 * materialized view, 0 none (nothing refers to it).
 */
#pragma once

#include "engine/postgres/session.h"

HbCatalog *hb_pg_read_catalog(HbSession *session, guint parts, GError **error);

HbCatalog *hb_pg_read_server(HbSession *session, guint parts, GError **error);
GPtrArray *hb_pg_list_databases(HbSession *session, const HbAddress *address, GError **error);
