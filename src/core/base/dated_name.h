/* SPDX-License-Identifier: Apache-2.0 */
/*
 * dated_name - names with a date in them: "vale-%Y-%m-%d.dump" stands for a name of each day.
 *
 * Conversions are those of strftime() that are digits only, so that each has its width and names can be read back:
 * %Y %m %d %H %M %S, %j (day of the year), %G %V %u (year, week and day by ISO 8601), and %% for a percent sign.
 */
#pragma once

#include <glib.h>

/* Has the text a percent sign, so that it may be a pattern? */
gboolean hb_dated_name_is_pattern(const char *text);

/* The name for this moment; NULL with HB_ERROR_USAGE, which names a conversion that is none. The caller's */
char *hb_dated_name_expand(const char *pattern, GDateTime *when, GError **error);

/* Is it a name that the pattern stands for? */
gboolean hb_dated_name_fits(const char *pattern, const char *name);
