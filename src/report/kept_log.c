/* SPDX-License-Identifier: Apache-2.0 */
#include "report/kept_log.h"

#include "dump/json_writer.h"
#include "report/json.h"
#include "report/pieces.h"
#include "report/text.h"

#include <jansson.h>

char *hb_kept_logs_page(const GArray *kept, gboolean is_gone, gboolean color)
{
    GString *out = g_string_new(NULL);

    hb_piece_append_heading(out, color, is_gone ? "Released" : "Kept for copies");
    for (guint i = 0; i < kept->len; i++) {
        const HbKeptLog *one = &g_array_index(kept, HbKeptLog, i);
        g_autofree char *name = hb_text_visible(one->name), *bytes = hb_text_bytes(one->bytes);
        if (one->complaint != NULL)
            g_string_append_printf(out, "  %s: lost, %s\n", name, one->complaint);
        else if (is_gone)
            g_string_append_printf(out, "  %s: %s of log, since %s\n", name, bytes, one->position);
        else
            g_string_append_printf(out, "  %s: %s of log since %s, %s; %s\n", name, bytes, one->position,
                                   one->is_read ? "a session reads it" : "nobody reads it now", one->limit);
    }
    g_string_append_c(out, '\n');
    return g_string_free(out, FALSE);
}

char *hb_kept_logs_json(const GArray *kept)
{
    json_t *root = hb_json_begin("kept logs"), *list = json_array();

    for (guint i = 0; i < kept->len; i++) {
        const HbKeptLog *one = &g_array_index(kept, HbKeptLog, i);
        json_array_append_new(list,
                              json_pack("{s:o, s:o, s:o, s:b, s:o}", "name", hb_json_readable(one->name), "position",
                                        hb_json_readable(one->position), "bytes", hb_json_number(one->bytes), "read",
                                        (int)one->is_read, "complaint", hb_json_readable(one->complaint)));
    }
    json_object_set_new(root, "kept", list);
    return hb_json_end(root);
}
