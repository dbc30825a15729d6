/* SPDX-License-Identifier: Apache-2.0 */
/*
 * logged_statements - what a statement that stands in the binary log does to a database. Pure.
 */
#pragma once

#include <glib.h>

typedef enum {
    HB_MY_STATEMENT_IS_NOTHING, /* to rows or structure */
    HB_MY_STATEMENT_COMMITS,
    HB_MY_STATEMENT_UNDOES,       /* a transaction, or a part of it */
    HB_MY_STATEMENT_PREPARES,     /* a transaction of which a later statement decides (XA), or decides of one */
    HB_MY_STATEMENT_CHANGES_ROWS, /* and was logged in place of the rows */
    HB_MY_STATEMENT_EMPTIES,      /* a table */
    HB_MY_STATEMENT_DEFINES       /* anything else */
} HbMyStatement;

HbMyStatement hb_my_judge_statement(const char *text);

/* The table of TRUNCATE [TABLE] [database.]table, unquoted, if it is one of this database, in which the statement runs
 * or does not. NULL: it is not. The caller's */
char *hb_my_find_truncated(const char *text, gboolean runs_in_it, const char *database);
