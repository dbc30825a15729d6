/* SPDX-License-Identifier: Apache-2.0 */
/*
 * settings - the server's settings that change what SQL means.
 */
#pragma once

#include "engine/mariadb/session/session.h"

/* The query for the server's settings that change what SQL means, by their names in small letters; borrowed */
const char *hb_my_get_settings_query(const HbSession *session);

/* The first two columns of a query's rows, as name to value (NULL: ""); NULL on error. The caller's */
GHashTable *hb_my_read_pairs(HbSession *session, const char *sql, GError **error);

/* They become properties of the catalog */
gboolean hb_my_read_semantic_settings(HbSession *session, HbCatalog *catalog, GError **error);
