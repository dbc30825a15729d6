/* SPDX-License-Identifier: Apache-2.0 */
/*
 * split_statements - definitions of several statements, as a stock shell takes them.
 *
 * A statement ends with ';', but between two lines "DELIMITER x" and "DELIMITER ;" with x: so bodies can hold ';'. What
 * stands between such lines is not read as SQL, because the sql_mode in force there may change what a quote means.
 */
#pragma once

#include <glib.h>

/* The statements without their ends: char *; the caller's */
GPtrArray *hb_my_split_statements(const char *sql);

/* One statement that may hold anything, between lines that say how it ends; the caller's */
char *hb_my_delimit(const char *statement);
