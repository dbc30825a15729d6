/* SPDX-License-Identifier: Apache-2.0 */
/*
 * fit_privileges - grants as a target of another version, or of the other product, takes them: what it does not know is
 * left out and named, and the rest of the grant arrives.
 */
#pragma once

#include "engine/mariadb/session/session.h"

/*
 * Rewrites the grants of an arranged catalog that is written for servers of this version. Identities of those of which
 * nothing is left are added to gone, borrowed
 */
gboolean hb_my_fit_privileges(HbSession *session, guint written_for, HbCatalog *catalog, GHashTable *gone,
                              GError **error);
