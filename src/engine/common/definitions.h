/* SPDX-License-Identifier: Apache-2.0 */
/*
 * definitions - what the servers' definitions say in the same words, for dialects.
 */
#pragma once

#include <glib.h>

/* Does the definition of a table, key or index make a primary or unique key? NULL makes none */
gboolean hb_definition_makes_key(const char *definition);

/* Must a row give a value to a column of this line of a table's definition? NULL: no */
gboolean hb_definition_demands_value(const char *column);
