/* SPDX-License-Identifier: Apache-2.0 */
#include "core/base/glob.h"

#include "core/base/json_text.h"

gboolean hb_glob_fits(const char *glob, const char *text)
{
    g_autofree char *wanted = hb_json_text_write(glob),
                    *there = hb_json_text_write(text); /* GLib's is for UTF-8 only */

    return g_pattern_match_simple(wanted, there);
}
