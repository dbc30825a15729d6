/* SPDX-License-Identifier: Apache-2.0 */
/*
 * names - identifiers as MariaDB and MySQL quote them.
 */
#pragma once

#include <glib.h>

/* `name`, backticks within doubled; the caller's */
char *hb_my_quote_any_name(const char *name);

/* Quoted only if it must be, by the rules of any server of the family; the caller's */
char *hb_my_quote_name(const char *name);

/* Text as a literal, quotes included; the caller's */
char *hb_my_quote_literal(const char *text);
