/* SPDX-License-Identifier: Apache-2.0 */
/*
 * foreign_options - options of tables that stand for rows elsewhere, and say how to log in there. Pure text functions.
 *
 * What is known to hold no secret passes; everything else stays behind: an option that is not known, a key of a list
 * that is not known, a text that cannot be read.
 */
#pragma once

#include <glib.h>

/* May the options of this storage engine hold what belongs to another server? NULL: the server's default engine */
gboolean hb_my_is_foreign_storage(const char *engine);

/* A copy of a table's options and partitions, as SHOW CREATE TABLE prints them, without what is not known; NULL if all
 * of it is. The caller's */
char *hb_my_filter_options(const char *options);
