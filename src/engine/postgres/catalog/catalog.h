/* SPDX-License-Identifier: Apache-2.0 */
/*
 * catalog - reads a PostgreSQL database into objects, each kind with one query for the whole database.
 */
#pragma once

#include "engine/postgres/session/session.h"

/* sessions: HbSession *, one at least, all in one snapshot */
HbCatalog *hb_pg_read_catalog(GPtrArray *sessions, guint parts, GError **error);
