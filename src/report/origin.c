/* SPDX-License-Identifier: Apache-2.0 */
#include "report/origin.h"

#include "dump/json_writer.h"
#include "report/text.h"

char *hb_origin_describe(const HbOrigin *origin)
{
    g_autofree char *database = hb_text_visible(origin->database), *source = hb_text_visible(origin->source),
                    *moment = origin->moment != NULL ? hb_text_visible(origin->moment) : NULL,
                    *coming = origin->coming != NULL ? hb_text_visible(origin->coming) : NULL;
    GString *out = g_string_new(NULL);

    g_string_append_printf(out, "a copy of database %s at %s", database, source);
    if (moment != NULL)
        g_string_append_printf(out, ", as it was at %s", moment);
    if (coming != NULL && moment != NULL)
        g_string_append_printf(out, "; between passes: parts of it are as at %s", coming);
    else if (coming != NULL)
        g_string_append_printf(out, ", not whole yet: what was there at %s is being brought", coming);
    if (origin->log_name != NULL) {
        g_autofree char *position = hb_text_visible(origin->log_position);
        g_string_append_printf(out, "; its log is kept for it, and is in up to %s", position);
    }
    return g_string_free(out, FALSE);
}

json_t *hb_origin_json(const HbOrigin *origin)
{
    if (origin == NULL)
        return json_null();
    return json_pack("{s:o, s:o, s:o, s:o, s:o, s:o, s:o, s:o}", "kept_log", hb_json_readable(origin->log_name),
                     "log_position", hb_json_readable(origin->log_position), "address",
                     hb_json_readable(origin->source), "database", hb_json_readable(origin->database), "id",
                     hb_json_readable(origin->source_id), "dump", hb_json_readable(origin->dump_id), "moment",
                     hb_json_readable(origin->moment), "between_passes", hb_json_readable(origin->coming));
}
