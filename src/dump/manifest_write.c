/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/json_writer.h"
#include "dump/manifest.h"

#include <stdlib.h>

/*
 * The manifest as JSON, field by field in the order that docs/dump-format.md has. Nothing is sorted here: objects come
 * in the catalog's order, rows in that of the manifest, so that equal databases give equal text. Names of any bytes go
 * through core/base/json_text. What is not known is left out rather than written as null, but for fields that readers
 * ask for.
 */

static json_t *write_wordings(const GPtrArray *wordings)
{
    json_t *list = json_array();

    for (guint i = 0; i < wordings->len; i++) {
        const HbWording *wording = wordings->pdata[i];
        json_t *json = json_object();
        json_object_set_new(json, "since", hb_json_number(wording->since));
        if (wording->definition != NULL)
            json_object_set_new(json, "definition", hb_json_text(wording->definition));
        if (wording->lost != NULL)
            json_object_set_new(json, "lost", hb_json_text(wording->lost));
        json_array_append_new(list, json);
    }
    return list;
}

static json_t *write_object(const HbObject *object, const HbSegment *segment)
{
    json_t *json = json_object();

    json_object_set_new(json, "identity", hb_json_text(object->identity));
    json_object_set_new(json, "kind", json_string(hb_kind_get_traits(object->kind)->name));
    json_object_set_new(json, "stage", json_string(hb_stage_get_name(object->stage)));
    if (object->on != NULL)
        json_object_set_new(json, "on", hb_json_text(object->on));
    if (object->owner != NULL)
        json_object_set_new(json, "owner", hb_json_text(object->owner));
    if (object->after != HB_AFTER_NEEDS)
        json_object_set_new(json, "after", json_string(hb_after_get_name(object->after)));
    if (object->cost > 0)
        json_object_set_new(json, "cost", hb_json_number(object->cost));
    json_object_set_new(json, "needs", hb_json_texts(object->needs));
    if (segment->bytes > 0) {
        json_object_set_new(json, "at", hb_json_number(segment->at));
        json_object_set_new(json, "bytes", hb_json_number(segment->bytes));
    }
    if (segment->owner_bytes > 0)
        json_object_set_new(json, "owner_bytes", hb_json_number(segment->owner_bytes));
    if (object->wordings != NULL)
        json_object_set_new(json, "variants", write_wordings(object->wordings));
    return json;
}

static json_t *write_digest(const HbDigest *digest)
{
    char text[HB_DIGEST_TEXT_LENGTH + 1];

    hb_digest_write(digest, text);
    return json_string(text);
}

static json_t *write_chunk(const HbChunk *chunk)
{
    json_t *json = json_object();

    json_object_set_new(json, "file", hb_json_text(chunk->file));
    json_object_set_new(json, "rows", hb_json_number(chunk->digest.rows));
    json_object_set_new(json, "digest", write_digest(&chunk->digest));
    json_object_set_new(json, "bytes", hb_json_number(chunk->bytes));
    json_object_set_new(json, "stored", hb_json_number(chunk->stored));
    return json;
}

static json_t *write_rows(const HbStoredRows *rows)
{
    json_t *json = json_object();
    json_t *chunks = json_array();

    for (guint i = 0; i < rows->chunks->len; i++)
        json_array_append_new(chunks, write_chunk(rows->chunks->pdata[i]));
    json_object_set_new(json, "identity", hb_json_text(rows->set->identity));
    json_object_set_new(json, "table", hb_json_text(rows->set->table));
    json_object_set_new(json, "columns", hb_json_texts(rows->set->columns));
    if (strspn(rows->set->hex_columns->str, "t") < rows->set->hex_columns->len)
        json_object_set_new(json, "coding", json_string(rows->set->hex_columns->str));
    json_object_set_new(json, "rows", hb_json_number(rows->digest.rows));
    json_object_set_new(json, "digest", write_digest(&rows->digest));
    json_object_set_new(json, "bytes", hb_json_number(rows->bytes));
    json_object_set_new(json, "chunks", chunks);
    if (rows->folder != NULL) {
        json_object_set_new(json, "folder", hb_json_text(rows->folder));
        json_object_set_new(json, "estimate", hb_json_number(rows->set->bytes));
    }
    return json;
}

static json_t *write_properties(GHashTable *properties)
{
    g_autoptr(GList) names = g_list_sort(g_hash_table_get_keys(properties), (GCompareFunc)strcmp);
    json_t *json = json_object();

    for (GList *at = names; at != NULL; at = at->next)
        json_object_set_new(json, at->data, hb_json_text(g_hash_table_lookup(properties, at->data)));
    return json;
}

static json_t *write_table(const HbResultTable *table)
{
    json_t *rows = json_array();

    for (guint r = 0; r < table->rows->len; r++) {
        json_t *row = json_object();
        for (guint c = 0; c < table->columns->len; c++) {
            const HbColumn *column = table->columns->pdata[c];
            const char *cell = hb_result_table_get(table, r, c);
            json_object_set_new(row, column->key, hb_json_text(cell));
        }
        json_array_append_new(rows, row);
    }
    return rows;
}

static json_t *write_source(const HbManifest *manifest)
{
    json_t *json =
        json_pack("{s:s, s:o, s:o, s:i, s:i, s:o, s:o, s:o, s:o, s:{s:s, s:o}}", "engine", manifest->engine, "product",
                  hb_json_text(manifest->product), "server_version", hb_json_text(manifest->server_version),
                  "version_number", (int)manifest->version_number, "written_for", (int)manifest->written_for, "address",
                  hb_json_text(manifest->address), "database", hb_json_text(manifest->database), "database_quoted",
                  hb_json_text(manifest->database_quoted), "properties",
                  write_properties(hb_catalog_get_properties(manifest->catalog)), "snapshot", "time",
                  manifest->snapshot_time, "position", hb_json_text(manifest->snapshot_position));

    if (manifest->source_id != NULL)
        json_object_set_new(json, "id", hb_json_text(manifest->source_id));
    if (manifest->kept_log != NULL)
        json_object_set_new(json_object_get(json, "snapshot"), "kept_log", hb_json_text(manifest->kept_log));
    return json;
}

static json_t *write_unread(const HbCatalog *catalog)
{
    json_t *list = json_array();

    for (int kind = 0; kind < HB_KIND_COUNT; kind++) {
        if (hb_catalog_is_unread(catalog, (HbKind)kind))
            json_array_append_new(list, json_string(hb_kind_get_traits((HbKind)kind)->name));
    }
    return list;
}

static json_t *write_members(const GPtrArray *members)
{
    json_t *list = json_array();

    for (guint i = 0; i < members->len; i++) {
        const HbMember *member = members->pdata[i];
        json_array_append_new(list, json_pack("{s:o, s:o, s:o}", "name", hb_json_text(member->name), "folder",
                                              hb_json_text(member->folder), "bytes", hb_json_number(member->bytes)));
    }
    return list;
}

/*
 * A list can have hundreds of thousands of entries: as one value of the library it would be many times as large as its
 * text. So each entry becomes text by itself, set in as deep as it stands.
 */
static void append_value(GString *text, const char *before, const char *set_in, json_t *value)
{
    char *made = json_dumps(value, JSON_INDENT(1) | JSON_ENSURE_ASCII | JSON_ENCODE_ANY);

    g_string_append(text, before);
    for (const char *at = made, *end; at != NULL; at = end) {
        end = strchr(at, '\n');
        end = end != NULL ? end + 1 : NULL;
        g_string_append_len(text, at, end != NULL ? end - at : -1);
        if (end != NULL)
            g_string_append(text, set_in);
    }
    free(made);
    json_decref(value);
}

static void append_field(GString *text, const char *name, json_t *value)
{
    g_autofree char *before = g_strdup_printf(",\n \"%s\": ", name);

    append_value(text, before, " ", value);
}

static json_t *write_object_at(const HbManifest *manifest, guint i)
{
    return write_object(hb_catalog_get(manifest->catalog, i), &g_array_index(manifest->segments, HbSegment, i));
}

static json_t *write_rows_at(const HbManifest *manifest, guint i)
{
    return write_rows(manifest->rows->pdata[i]);
}

static json_t *write_omission_at(const HbManifest *manifest, guint i)
{
    const HbOmission *omission = hb_catalog_get_omissions(manifest->catalog)->pdata[i];

    return json_pack("{s:o, s:o}", "what", hb_json_text(omission->what), "why", hb_json_text(omission->why));
}

static void append_list(GString *text, const char *name, const HbManifest *manifest, guint count,
                        json_t *(*write_at)(const HbManifest *, guint))
{
    g_string_append_printf(text, ",\n \"%s\": [", name);
    for (guint i = 0; i < count; i++)
        append_value(text, i > 0 ? ",\n  " : "\n  ", "  ", write_at(manifest, i));
    g_string_append(text, count > 0 ? "\n ]" : "]");
}

static json_t *write_survey(const HbManifest *manifest)
{
    json_t *survey = json_object();

    for (guint i = 0; i < manifest->survey->len; i++) {
        const HbResultTable *table = manifest->survey->pdata[i];
        json_object_set_new(survey, table->key, write_table(table));
    }
    return survey;
}

static void append_lists(GString *text, const HbManifest *manifest)
{
    append_list(text, "objects", manifest, hb_catalog_count(manifest->catalog), write_object_at);
    append_list(text, "rows", manifest, manifest->rows->len, write_rows_at);
    append_list(text, "left_out", manifest, hb_catalog_get_omissions(manifest->catalog)->len, write_omission_at);
    append_field(text, "unread", write_unread(manifest->catalog));
    append_field(text, "survey", write_survey(manifest));
    if (manifest->members != NULL)
        append_field(text, "databases", write_members(manifest->members));
}

static json_t *write_head(const HbManifest *manifest)
{
    g_autofree char *parts = hb_parts_write(manifest->parts);
    json_t *root = json_pack("{s:s, s:i, s:s, s:s, s:s, s:s, s:s}", "format", "hornbeam dump", "version",
                             HB_MANIFEST_VERSION, "id", manifest->id, "created", manifest->created, "tool",
                             manifest->tool, "parts", parts, "encoding", "UTF-8");

    json_object_set_new(root, "source", write_source(manifest));
    return root;
}

/* Takes the root, which is not empty. Its end is left open for more fields */
static GString *begin_text(json_t *root)
{
    GString *text = g_string_new(NULL);

    append_value(text, "", "", root);
    g_string_truncate(text, text->len - strlen("\n}"));
    return text;
}

static char *end_text(GString *text)
{
    g_string_append(text, "\n}");
    return g_string_free(text, FALSE);
}

char *hb_manifest_write(const HbManifest *manifest)
{
    json_t *root = write_head(manifest);
    GString *text;

    if (manifest->rows_follow)
        json_object_set_new(root, "rows_follow", json_true());
    if (manifest->selection != NULL)
        json_object_set_new(root, "chosen", hb_json_selection(manifest->selection));
    text = begin_text(root);
    append_lists(text, manifest);
    return end_text(text);
}

char *hb_manifest_write_label(const HbManifest *manifest)
{
    static const char *const lists[] = {"objects", "rows", "left_out", "unread"};
    json_t *root = write_head(manifest);

    json_object_set_new(json_object_get(root, "source"), "properties", json_object());
    for (gsize i = 0; i < G_N_ELEMENTS(lists); i++)
        json_object_set_new(root, lists[i], json_array());
    if (manifest->members != NULL)
        json_object_set_new(root, "databases", write_members(manifest->members));
    return end_text(begin_text(root));
}
