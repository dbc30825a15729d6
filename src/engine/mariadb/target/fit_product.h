/* SPDX-License-Identifier: Apache-2.0 */
/*
 * fit_product - from MySQL to MariaDB, and back: what both can say is put into the other's words, the rest is left out
 * and named.
 *
 *     to MariaDB                                       to MySQL
 *     accounts that are roles       -> roles           roles                    -> locked accounts
 *     IDENTIFIED WITH ... AS        -> VIA ... USING   IDENTIFIED VIA           -> WITH ... AS
 *     SRID 4326                     -> REF_SYSTEM_ID   UUID, INET6, INET4       -> char, varchar
 *     INVISIBLE keys                -> IGNORED         IGNORED keys             -> INVISIBLE
 *     keys over expressions, checks not enforced,      sequences, packages, aggregate functions, histories, compressed
 *     histograms: left out                             columns: left out
 *
 * An account whose password the other product cannot check arrives with one that nothing fits; a restore with new
 * passwords gives it one.
 */
#pragma once

#include "engine/mariadb/session/session.h"

/* Does nothing between servers of one product. Identities of what is left out are added to gone, borrowed */
void hb_my_fit_product(HbSession *session, guint written_for, HbCatalog *catalog, GHashTable *gone);
