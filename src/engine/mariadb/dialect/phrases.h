/* SPDX-License-Identifier: Apache-2.0 */
/*
 * phrases - what stands in the texts of views and programs that not all servers of the family read.
 *
 * Sources: the vendors' manuals ("SQL Statements" of both; MariaDB's "Incompatibilities and Feature Differences").
 */
#pragma once

#include <glib.h>

/* The first phrase of a text that servers of this version do not read, as a person writes it; NULL: there is none that
 * is known. Borrowed for ever */
const char *hb_my_find_foreign_phrase(const char *sql, guint version);
