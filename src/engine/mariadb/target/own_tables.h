/* SPDX-License-Identifier: Apache-2.0 */
/*
 * own_tables - what this program leaves in a database: the tables of a journal, and that of an origin.
 *
 * A user with the privilege to create can make a view that is called like one of them, and a reader would run that
 * user's functions: the server's own lists say what it is before anything is read.
 */
#pragma once

#include "engine/mariadb/session/session.h"

/*
 * names: a list for IN (). *tables: "2 2 0": how many there are, how many of them are ordinary tables with
 * transactions, and triggers on them. *columns: "table column type, ...", NULL if there are none. Both the caller's
 */
gboolean hb_my_describe_tables(HbSession *session, const char *names, char **tables, char **columns, GError **error);
