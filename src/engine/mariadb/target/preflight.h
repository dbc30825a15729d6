/* SPDX-License-Identifier: Apache-2.0 */
/*
 * preflight - what would go wrong if a catalog were restored on this server: a look at the server before anything is
 * written.
 */
#pragma once

#include "engine/mariadb/catalog/catalog_builder.h"

gboolean hb_my_preflight(const HbAddress *address, const HbRestorePreview *preview, GPtrArray *findings,
                         GError **error);
