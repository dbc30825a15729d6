/* SPDX-License-Identifier: Apache-2.0 */
/*
 * translate - from MySQL to MariaDB, and back: what both can say is put into the other's words, the rest is left out
 * and named.
 *
 *     to MariaDB                                       to MySQL
 *     accounts that are roles       -> roles           roles                    -> accounts at '%'
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

#include "core/model/catalog.h"

/* How the definition of an account ends that is locked only until it is given a password; one that was locked before
 * ends otherwise */
#define HB_MY_LOCKED_FOR_NOW " PASSWORD EXPIRE DEFAULT ACCOUNT LOCK"

/* MySQL writes the operator REGEXP as a function, which MariaDB does not know: regexp_like(a,'b') as (a regexp 'b').
 * The caller's */
char *hb_my_write_as_operators(const char *sql);

/* An arranged catalog that is written for one version, for another. Does nothing between versions of one product; what
 * is left out, or arrives otherwise, becomes an omission */
void hb_my_translate(HbCatalog *catalog, guint from, guint to);
