/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/manifest.h"

#include "core/base/json_text.h"

#include <jansson.h>

/* ---- Life ---- */

static void stored_rows_free(gpointer data)
{
    HbStoredRows *rows = data;

    g_ptr_array_unref(rows->chunks);
    g_free(rows->folder);
    g_free(rows);
}

static void member_free(gpointer data)
{
    HbMember *member = data;

    g_free(member->name);
    g_free(member->folder);
    g_free(member);
}

void hb_manifest_hold_members(HbManifest *manifest)
{
    if (manifest->members == NULL)
        manifest->members = g_ptr_array_new_with_free_func(member_free);
}

void hb_manifest_add_member(HbManifest *manifest, char *name, char *folder, guint64 bytes)
{
    HbMember *member = g_new0(HbMember, 1);

    member->name = name;
    member->folder = folder;
    member->bytes = bytes;
    hb_manifest_hold_members(manifest);
    g_ptr_array_add(manifest->members, member);
}

HbManifest *hb_manifest_new(void)
{
    HbManifest *manifest = g_new0(HbManifest, 1);

    manifest->segments = g_array_new(FALSE, TRUE, sizeof(HbSegment));
    manifest->rows = g_ptr_array_new_with_free_func(stored_rows_free);
    manifest->dropped = g_ptr_array_new_with_free_func(stored_rows_free);
    manifest->survey = g_ptr_array_new_with_free_func((GDestroyNotify)hb_result_table_free);
    return manifest;
}

void hb_manifest_free(HbManifest *manifest)
{
    if (manifest == NULL)
        return;
    g_free(manifest->id);
    g_free(manifest->seal);
    g_free(manifest->created);
    g_free(manifest->tool);
    g_free(manifest->engine);
    g_free(manifest->product);
    g_free(manifest->server_version);
    g_free(manifest->address);
    g_free(manifest->database);
    g_free(manifest->database_quoted);
    g_free(manifest->snapshot_time);
    g_free(manifest->snapshot_position);
    hb_selection_free(manifest->selection);
    hb_catalog_free(manifest->catalog);
    g_array_unref(manifest->segments);
    g_ptr_array_unref(manifest->rows);
    g_ptr_array_unref(manifest->dropped);
    g_ptr_array_unref(manifest->survey);
    g_clear_pointer(&manifest->members, g_ptr_array_unref);
    g_free(manifest);
}

HbStoredRows *hb_manifest_add_rows(HbManifest *manifest, const HbRowSet *set)
{
    HbStoredRows *rows = g_new0(HbStoredRows, 1);

    rows->set = set;
    rows->chunks = g_ptr_array_new_with_free_func((GDestroyNotify)hb_chunk_free);
    g_ptr_array_add(manifest->rows, rows);
    return rows;
}

/* ---- Sums ---- */

GHashTable *hb_manifest_index_rows(const HbManifest *manifest)
{
    GHashTable *stored = g_hash_table_new(g_str_hash, g_str_equal);

    for (guint i = 0; i < manifest->rows->len; i++) {
        HbStoredRows *rows = manifest->rows->pdata[i];
        g_hash_table_insert(stored, rows->set->identity, rows);
    }
    return stored;
}

void hb_manifest_drop_rows(const HbManifest *manifest)
{
    for (guint i = manifest->rows->len; i-- > 0;) {
        const HbStoredRows *rows = manifest->rows->pdata[i];
        if (hb_catalog_find(manifest->catalog, rows->set->identity) == NULL)
            g_ptr_array_add(manifest->dropped, g_ptr_array_steal_index(manifest->rows, i));
    }
}

guint64 hb_manifest_count_rows(const HbManifest *manifest)
{
    guint64 count = 0;

    for (guint i = 0; i < manifest->rows->len; i++)
        count += ((HbStoredRows *)manifest->rows->pdata[i])->digest.rows;
    return count;
}

guint64 hb_manifest_count_bytes(const HbManifest *manifest)
{
    guint64 count = 0;

    for (guint i = 0; i < manifest->rows->len; i++)
        count += ((HbStoredRows *)manifest->rows->pdata[i])->bytes;
    return count;
}

guint64 hb_manifest_count_stored(const HbManifest *manifest)
{
    guint64 count = 0;

    for (guint i = 0; i < manifest->rows->len; i++) {
        const HbStoredRows *rows = manifest->rows->pdata[i];
        for (guint c = 0; c < rows->chunks->len; c++)
            count += ((HbChunk *)rows->chunks->pdata[c])->stored;
    }
    return count;
}

guint hb_manifest_count_chunks(const HbManifest *manifest)
{
    guint count = 0;

    for (guint i = 0; i < manifest->rows->len; i++)
        count += ((HbStoredRows *)manifest->rows->pdata[i])->chunks->len;
    return count;
}

/* ---- Writing ---- */

static json_t *text_or_null(const char *text)
{
    g_autofree char *json = text != NULL ? hb_json_text_write(text) : NULL;

    return json != NULL ? json_string(json) : json_null();
}

static json_t *number(guint64 value)
{
    return json_integer((json_int_t)value);
}

static json_t *texts(const GPtrArray *array)
{
    json_t *list = json_array();

    for (guint i = 0; i < array->len; i++)
        json_array_append_new(list, text_or_null(array->pdata[i]));
    return list;
}

static json_t *write_variants(const GPtrArray *variants)
{
    json_t *list = json_array();

    for (guint i = 0; i < variants->len; i++) {
        const HbWording *variant = variants->pdata[i];
        json_t *json = json_object();
        json_object_set_new(json, "since", number(variant->since));
        if (variant->definition != NULL)
            json_object_set_new(json, "definition", text_or_null(variant->definition));
        if (variant->lost != NULL)
            json_object_set_new(json, "lost", text_or_null(variant->lost));
        json_array_append_new(list, json);
    }
    return list;
}

static json_t *write_object(const HbObject *object, const HbSegment *segment)
{
    json_t *json = json_object();

    json_object_set_new(json, "identity", text_or_null(object->identity));
    json_object_set_new(json, "kind", json_string(hb_kind_get_traits(object->kind)->name));
    json_object_set_new(json, "stage", json_string(hb_stage_get_name(object->stage)));
    if (object->on != NULL)
        json_object_set_new(json, "on", text_or_null(object->on));
    if (object->owner != NULL)
        json_object_set_new(json, "owner", text_or_null(object->owner));
    if (object->after != HB_AFTER_NEEDS)
        json_object_set_new(json, "after", json_string(hb_after_get_name(object->after)));
    if (object->cost > 0)
        json_object_set_new(json, "cost", number(object->cost));
    json_object_set_new(json, "needs", texts(object->needs));
    if (segment->bytes > 0) {
        json_object_set_new(json, "at", number(segment->at));
        json_object_set_new(json, "bytes", number(segment->bytes));
    }
    if (segment->owner_bytes > 0)
        json_object_set_new(json, "owner_bytes", number(segment->owner_bytes));
    if (object->variants != NULL)
        json_object_set_new(json, "variants", write_variants(object->variants));
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

    json_object_set_new(json, "file", text_or_null(chunk->file));
    json_object_set_new(json, "rows", number(chunk->digest.rows));
    json_object_set_new(json, "digest", write_digest(&chunk->digest));
    json_object_set_new(json, "bytes", number(chunk->bytes));
    json_object_set_new(json, "stored", number(chunk->stored));
    return json;
}

static json_t *write_rows(const HbStoredRows *rows)
{
    json_t *json = json_object();
    json_t *chunks = json_array();

    for (guint i = 0; i < rows->chunks->len; i++)
        json_array_append_new(chunks, write_chunk(rows->chunks->pdata[i]));
    json_object_set_new(json, "identity", text_or_null(rows->set->identity));
    json_object_set_new(json, "table", text_or_null(rows->set->table));
    json_object_set_new(json, "columns", texts(rows->set->columns));
    if (strspn(rows->set->hex_columns->str, "t") < rows->set->hex_columns->len)
        json_object_set_new(json, "coding", json_string(rows->set->hex_columns->str));
    json_object_set_new(json, "rows", number(rows->digest.rows));
    json_object_set_new(json, "digest", write_digest(&rows->digest));
    json_object_set_new(json, "bytes", number(rows->bytes));
    json_object_set_new(json, "chunks", chunks);
    if (rows->folder != NULL) {
        json_object_set_new(json, "folder", text_or_null(rows->folder));
        json_object_set_new(json, "estimate", number(rows->set->bytes));
    }
    return json;
}

static json_t *write_properties(GHashTable *properties)
{
    g_autoptr(GList) names = g_list_sort(g_hash_table_get_keys(properties), (GCompareFunc)strcmp);
    json_t *json = json_object();

    for (GList *at = names; at != NULL; at = at->next)
        json_object_set_new(json, at->data, text_or_null(g_hash_table_lookup(properties, at->data)));
    return json;
}

static json_t *write_sheet(const HbResultTable *sheet)
{
    json_t *rows = json_array();

    for (guint r = 0; r < sheet->rows->len; r++) {
        json_t *row = json_object();
        for (guint c = 0; c < sheet->columns->len; c++) {
            const HbColumn *column = sheet->columns->pdata[c];
            const char *cell = hb_result_table_get(sheet, r, c);
            json_object_set_new(row, column->key, text_or_null(cell));
        }
        json_array_append_new(rows, row);
    }
    return rows;
}

static json_t *write_source(const HbManifest *manifest)
{
    return json_pack("{s:s, s:o, s:o, s:i, s:i, s:o, s:o, s:o, s:o, s:{s:s, s:o}}", "engine", manifest->engine,
                     "product", text_or_null(manifest->product), "server_version",
                     text_or_null(manifest->server_version), "version_number", (int)manifest->version_number,
                     "written_for", (int)manifest->written_for, "address", text_or_null(manifest->address), "database",
                     text_or_null(manifest->database), "database_quoted", text_or_null(manifest->database_quoted),
                     "properties", write_properties(hb_catalog_get_properties(manifest->catalog)), "snapshot", "time",
                     manifest->snapshot_time, "position", text_or_null(manifest->snapshot_position));
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
        json_array_append_new(list, json_pack("{s:o, s:o, s:o}", "name", text_or_null(member->name), "folder",
                                              text_or_null(member->folder), "bytes", number(member->bytes)));
    }
    return list;
}

static json_t *write_patterns(const GPtrArray *patterns)
{
    json_t *list = json_array();

    for (guint i = 0; i < patterns->len; i++)
        json_array_append_new(list, text_or_null(((const HbPattern *)patterns->pdata[i])->text));
    return list;
}

static json_t *write_choice(const HbSelection *selection)
{
    return json_pack("{s:o, s:o, s:b}", "take", write_patterns(selection->take), "skip",
                     write_patterns(selection->skip), "alone", selection->without_needs);
}

static json_t *write_lists(const HbManifest *manifest, json_t *root)
{
    const GPtrArray *omissions = hb_catalog_get_omissions(manifest->catalog);
    json_t *objects = json_array(), *rows = json_array(), *omitted = json_array(), *survey = json_object();

    for (guint i = 0; i < hb_catalog_count(manifest->catalog); i++)
        json_array_append_new(objects, write_object(hb_catalog_get(manifest->catalog, i),
                                                    &g_array_index(manifest->segments, HbSegment, i)));
    for (guint i = 0; i < manifest->rows->len; i++)
        json_array_append_new(rows, write_rows(manifest->rows->pdata[i]));
    for (guint i = 0; i < omissions->len; i++) {
        const HbOmission *omission = omissions->pdata[i];
        json_array_append_new(
            omitted, json_pack("{s:o, s:o}", "what", text_or_null(omission->what), "why", text_or_null(omission->why)));
    }
    for (guint i = 0; i < manifest->survey->len; i++) {
        const HbResultTable *sheet = manifest->survey->pdata[i];
        json_object_set_new(survey, sheet->key, write_sheet(sheet));
    }
    json_object_set_new(root, "objects", objects);
    json_object_set_new(root, "rows", rows);
    json_object_set_new(root, "left_out", omitted);
    json_object_set_new(root, "unread", write_unread(manifest->catalog));
    json_object_set_new(root, "survey", survey);
    if (manifest->members != NULL)
        json_object_set_new(root, "databases", write_members(manifest->members));
    return root;
}

char *hb_manifest_write(const HbManifest *manifest)
{
    g_autofree char *parts = hb_parts_write(manifest->parts);
    json_t *root = json_pack("{s:s, s:i, s:s, s:s, s:s, s:s, s:s}", "format", "hornbeam dump", "version",
                             HB_MANIFEST_VERSION, "id", manifest->id, "created", manifest->created, "tool",
                             manifest->tool, "parts", parts, "encoding", "UTF-8");
    char *made, *text;

    json_object_set_new(root, "source", write_source(manifest));
    if (manifest->rows_follow)
        json_object_set_new(root, "rows_follow", json_true());
    if (manifest->selection != NULL)
        json_object_set_new(root, "chosen", write_choice(manifest->selection));
    write_lists(manifest, root);
    made = json_dumps(root, JSON_INDENT(1) | JSON_ENSURE_ASCII);
    text = g_strdup(made);
    free(made);
    json_decref(root);
    return text;
}
