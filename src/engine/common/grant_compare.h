/* SPDX-License-Identifier: Apache-2.0 */
/*
 * grant_compare - what a list of GRANT statements comes to. In which order and how many statements it is said, and what
 * is said twice, makes no difference: servers print their own order, and where two users became one, both were given
 * theirs.
 */
#pragma once

#include <glib.h>

/* One statement a line, as the catalog's definitions have them */
gboolean hb_grant_compare_is_same(const char *one, const char *other);

/*
 * Is it what a fresh table, sequence or schema has without any statement: everything for its owner, nothing for
 * everybody? What was granted and taken back leaves that behind
 */
gboolean hb_grant_compare_is_initial(const char *definition);

/* The same of a database's */
gboolean hb_grant_compare_is_initial_of_database(const char *definition);
