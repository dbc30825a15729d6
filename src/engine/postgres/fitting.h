/* SPDX-License-Identifier: Apache-2.0 */
/*
 * fitting - a catalog adapted to what a target has: its tablespaces, its extensions' versions, its settings.
 */
#pragma once

#include "engine/postgres/session.h"

/* The server's number for a version as people write it ("15", "15.4"); 0 if this engine does not know it */
guint hb_pg_read_version(const char *text);

gboolean hb_pg_fit_target(const HbAddress *address, gboolean exists, HbCatalog *catalog, GError **error);
