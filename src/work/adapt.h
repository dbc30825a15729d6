/* SPDX-License-Identifier: Apache-2.0 */
/*
 * adapt - what becomes of a catalog on the way to a target: its version, what the target has, what the user wants kept.
 */
#pragma once

#include "engine/engine.h"

/* What the user wants of owners and grants */
typedef struct {
    gboolean ownership_mine; /* everything belongs to who restores */
    gboolean grants_drop;
} HbRights;

/* Takes the owners, the grants, or both out of an arranged catalog */
void hb_adapt_rights(HbCatalog *catalog, const HbRights *rights);

/*
 * Rewrites a dump's arranged catalog, written for servers of version `written_for`, for this target. What is changed or
 * left out becomes an omission.
 */
gboolean hb_adapt_to_target(HbCatalog *catalog, guint written_for, const HbEngine *engine, const HbAddress *address,
                            const HbServerInfo *target, gboolean exists, GError **error);
