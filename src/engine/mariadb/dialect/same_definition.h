/* SPDX-License-Identifier: Apache-2.0 */
/*
 * same_definition - versions and products print one definition in different words: read word by word, two texts come to
 * the same where one of them only says what the other leaves out.
 *
 *     int(11) and int            `text` DEFAULT NULL and `text`      current_timestamp() and CURRENT_TIMESTAMP
 *     utf8 and utf8mb3           NOT NULL INVISIBLE DEFAULT 1 and NOT NULL DEFAULT 1 INVISIBLE
 *     '5' and 5 as a default     _utf8mb4'x' and 'x'                 ((a > 0)) and (a > 0)
 *
 * What both say must be alike: int(5) is not int(11).
 */
#pragma once

#include <glib.h>

gboolean hb_my_is_same_definition(const char *one, const char *other);
