/* SPDX-License-Identifier: Apache-2.0 */
/*
 * json_values - JSON as MySQL keeps it, as the text that a SELECT prints. Pure; see "JSON binary format" in the
 * server's own description (json_binary.h).
 *
 *     value: its type, then, of objects and arrays, how many there are and how many bytes, where each key is, the type
 * of each value with its place or, if it is small, the value itself; keys and values
 */
#pragma once

#include <glib.h>

/* FALSE: it cannot be read */
gboolean hb_my_read_json(const guint8 *bytes, gsize length, GString *text);
