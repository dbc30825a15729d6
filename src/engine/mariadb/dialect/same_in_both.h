/* SPDX-License-Identifier: Apache-2.0 */
/*
 * same_in_both - definitions of MariaDB and of MySQL held against each other: each product prints the same table, view
 * or trigger in its own way.
 *
 * Both texts are brought into one form that either product can say: without parentheses (each places its own), quotes
 * around names, character sets before texts, widths of displays, collations that are the usual ones; a check of a
 * column stands among those of the table. So a change that consists of parentheses alone is not seen; where both
 * servers are of one product, same_definition sees it.
 */
#pragma once

#include <glib.h>

/* Of any kind but roles and grants on everything */
gboolean hb_my_is_same_in_both(const char *one, const char *other);

/* Two grants on everything: the privileges that both products know are the same; the others are each one's own */
gboolean hb_my_is_same_grant_in_both(const char *one, const char *other);

/* Two CREATE USER or CREATE ROLE: accounts that cannot log in are the same, whatever else is said of them */
gboolean hb_my_is_same_account_in_both(const char *one, const char *other);
