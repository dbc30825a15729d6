/* SPDX-License-Identifier: Apache-2.0 */
/*
 * ahead - what would go wrong if a catalog were restored on this server: a look at the server before anything is
 * written.
 */
#pragma once

#include "engine/postgres/session.h"

gboolean hb_pg_look_ahead(const HbAddress *address, const HbAhead *ahead, GPtrArray *findings, GError **error);
