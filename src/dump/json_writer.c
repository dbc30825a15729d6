/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/json_writer.h"

#include "core/base/json_text.h"

json_t *hb_json_number(guint64 value)
{
    return json_integer((json_int_t)value);
}

json_t *hb_json_text(const char *text)
{
    g_autofree char *json = text != NULL ? hb_json_text_write(text) : NULL;

    return json != NULL ? json_string(json) : json_null();
}

json_t *hb_json_readable(const char *text)
{
    g_autofree char *valid = text != NULL ? g_utf8_make_valid(text, -1) : NULL;

    return valid != NULL ? json_string(valid) : json_null();
}

json_t *hb_json_texts(const GPtrArray *texts)
{
    json_t *list = json_array();

    for (guint i = 0; i < texts->len; i++)
        json_array_append_new(list, hb_json_text(texts->pdata[i]));
    return list;
}

static json_t *write_patterns(const GPtrArray *patterns)
{
    json_t *list = json_array();

    for (guint i = 0; i < patterns->len; i++)
        json_array_append_new(list, hb_json_text(((const HbPattern *)patterns->pdata[i])->text));
    return list;
}

json_t *hb_json_selection(const HbSelection *selection)
{
    return json_pack("{s:o, s:o, s:b}", "take", write_patterns(selection->take), "skip",
                     write_patterns(selection->skip), "alone", selection->without_needs);
}
