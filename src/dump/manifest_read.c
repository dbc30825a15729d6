/* SPDX-License-Identifier: Apache-2.0 */
/*
 * Reading a manifest trusts nothing: each field's presence, type and range is checked, and every name that will become
 * a path. A field that cannot be right ends the reading with its name.
 */
#include "dump/manifest.h"

#include "core/base/error.h"
#include "core/base/json_text.h"
#include "dump/invariants.h"
#include "dump/limits.h"

#include <jansson.h>

/*
 * JSON from outside becomes a manifest, or an error that names the field: each value's type, range and meaning is
 * checked where it is read, sizes against dump/limits.h before anything is allocated for them. What several fields
 * must fulfil together is checked afterwards, in dump/invariants.
 */

typedef struct {
    GError **error;
    const char *where; /* the list that is being read, for messages */
    gsize index;
} Place;

static const char damaged_hint[] = "copy the dump again from where it is whole, or take a new one";

static gboolean wrong(const Place *place, const char *field, const char *how)
{
    if (place->where == NULL)
        return hb_error_set(place->error, HB_ERROR_DAMAGED, damaged_hint, HB_MANIFEST_FILE ": “%s” %s", field, how);
    return hb_error_set(place->error, HB_ERROR_DAMAGED, damaged_hint,
                        HB_MANIFEST_FILE ": “%s” of entry %" G_GSIZE_FORMAT " in “%s” %s", field, place->index + 1,
                        place->where, how);
}

/* ---- Fields ---- */

static gboolean get_text(const Place *place, const json_t *json, const char *field, char **text)
{
    const json_t *value = json_object_get(json, field);

    if (!json_is_string(value))
        return wrong(place, field, "is missing, or no text");
    *text = hb_json_text_read(json_string_value(value));
    return TRUE;
}

static gboolean get_optional_text(const Place *place, const json_t *json, const char *field, char **text)
{
    const json_t *value = json_object_get(json, field);

    return value == NULL || json_is_null(value) || get_text(place, json, field, text);
}

static gboolean get_number(const Place *place, const json_t *json, const char *field, json_int_t limit, guint64 *number)
{
    const json_t *value = json_object_get(json, field);

    if (!json_is_integer(value))
        return wrong(place, field, "is missing, or no whole number");
    if (json_integer_value(value) < 0 || json_integer_value(value) > limit)
        return wrong(place, field, "is out of all bounds");
    *number = (guint64)json_integer_value(value);
    return TRUE;
}

static gboolean get_optional_number(const Place *place, const json_t *json, const char *field, json_int_t limit,
                                    guint64 *number)
{
    return json_object_get(json, field) == NULL || get_number(place, json, field, limit, number);
}

static gboolean check_list(const Place *place, const json_t *list, const char *field)
{
    if (!json_is_array(list))
        return wrong(place, field, "is missing, or no list");
    return json_array_size(list) <= HB_LIMIT_ENTRIES || wrong(place, field, "is out of all bounds");
}

static gboolean get_list(const Place *place, const json_t *json, const char *field, const json_t **list)
{
    *list = json_object_get(json, field);
    return check_list(place, *list, field);
}

static gboolean get_texts(const Place *place, const json_t *json, const char *field, GPtrArray *texts)
{
    const json_t *list;

    if (!get_list(place, json, field, &list))
        return FALSE;
    for (gsize i = 0; i < json_array_size(list); i++) {
        const json_t *value = json_array_get(list, i);
        if (!json_is_string(value))
            return wrong(place, field, "holds something that is no text");
        g_ptr_array_add(texts, hb_json_text_read(json_string_value(value)));
    }
    return TRUE;
}

static gboolean get_digest(const Place *place, const json_t *json, HbDigest *digest)
{
    g_autofree char *text = NULL;

    if (!get_number(place, json, "rows", HB_LIMIT_BYTES, &digest->rows) || !get_text(place, json, "digest", &text))
        return FALSE;
    return hb_digest_read(digest, text) || wrong(place, "digest", "is no digest");
}

/* ---- Objects ---- */

static HbObject *read_identity(const Place *place, const json_t *json)
{
    g_autofree char *identity = NULL, *kind_name = NULL, *prefix = NULL;
    HbKind kind;

    if (!get_text(place, json, "identity", &identity) || !get_text(place, json, "kind", &kind_name))
        return NULL;
    if (!hb_kind_find(kind_name, &kind)) {
        wrong(place, "kind", "is no kind that this version knows");
        return NULL;
    }
    prefix = g_strconcat(kind_name, " ", NULL);
    if (!g_str_has_prefix(identity, prefix)) {
        wrong(place, "identity", "does not begin with the kind");
        return NULL;
    }
    return hb_object_new(kind, identity + strlen(prefix));
}

static gboolean read_stage(const Place *place, const json_t *json, HbObject *object)
{
    g_autofree char *stage = NULL, *after = NULL;

    if (!get_text(place, json, "stage", &stage) || !get_optional_text(place, json, "after", &after))
        return FALSE;
    if (after != NULL && !hb_after_find(after, &object->after))
        return wrong(place, "after", "is no such moment");
    for (int s = 0; s < HB_STAGE_COUNT; s++) {
        if (strcmp(stage, hb_stage_get_name((HbStage)s)) == 0) {
            object->stage = (HbStage)s;
            return TRUE;
        }
    }
    return wrong(place, "stage", "is no stage");
}

static gboolean read_variant(const Place *place, const json_t *json, GPtrArray *wordings)
{
    g_autofree char *definition = NULL, *lost = NULL;
    guint64 since = 0;

    if (!get_number(place, json, "since", G_MAXINT32, &since) ||
        !get_optional_text(place, json, "definition", &definition) || !get_optional_text(place, json, "lost", &lost))
        return FALSE;
    if ((wordings->len == 0) != (since == 0))
        return wrong(place, "since", "is not 0 for the first of the variants, or again for another");
    g_ptr_array_add(wordings, hb_wording_new((guint)since, definition, lost));
    return TRUE;
}

static gboolean read_variants(const Place *place, const json_t *json, HbObject *object)
{
    const json_t *list = json_object_get(json, "variants");

    if (list == NULL)
        return TRUE;
    if (!get_list(place, json, "variants", &list))
        return FALSE;
    if (json_array_size(list) == 0)
        return wrong(place, "variants", "is empty");
    object->wordings = g_ptr_array_new_with_free_func((GDestroyNotify)hb_wording_free);
    for (gsize i = 0; i < json_array_size(list); i++) {
        if (!read_variant(place, json_array_get(list, i), object->wordings))
            return FALSE;
    }
    return TRUE;
}

static gboolean read_fields(const Place *place, const json_t *json, HbObject *object, HbSegment *segment)
{
    return read_stage(place, json, object) && get_optional_text(place, json, "on", &object->on) &&
           get_optional_text(place, json, "owner", &object->owner) &&
           get_optional_number(place, json, "cost", HB_LIMIT_BYTES, &object->cost) &&
           get_texts(place, json, "needs", object->needs) && read_variants(place, json, object) &&
           get_optional_number(place, json, "at", HB_LIMIT_BYTES, &segment->at) &&
           get_optional_number(place, json, "bytes", HB_LIMIT_DEFINITION, &segment->bytes) &&
           get_optional_number(place, json, "owner_bytes", HB_LIMIT_DEFINITION, &segment->owner_bytes);
}

static gboolean read_object(HbManifest *manifest, const Place *place, const json_t *json)
{
    HbObject *object = read_identity(place, json);
    HbSegment segment = {0};

    if (object == NULL)
        return FALSE;
    if (!read_fields(place, json, object, &segment)) {
        hb_object_free(object);
        return FALSE;
    }
    g_array_append_val(manifest->segments, segment);
    if (!hb_catalog_add(manifest->catalog, object, NULL))
        return wrong(place, "identity", "stands there twice");
    return TRUE;
}

/* ---- Rows ---- */

/* Version 1 called them .tsv */
static gboolean is_chunk_name(const char *name)
{
    static const char *const endings[] = {".rows.zst", ".rows", ".tsv.zst", ".tsv"};
    gboolean ends_well = FALSE;

    for (gsize i = 0; i < G_N_ELEMENTS(endings); i++)
        ends_well = ends_well || g_str_has_suffix(name, endings[i]);
    return ends_well && hb_file_is_safe_name(name) && g_str_has_prefix(name, "rows/");
}

static gboolean read_chunk(const Place *place, const json_t *json, HbStoredRows *rows, HbDigest *sum, guint64 *bytes)
{
    g_autofree char *file = NULL;
    HbChunk *chunk;

    if (!get_text(place, json, "file", &file))
        return FALSE;
    if (!is_chunk_name(file))
        return wrong(place, "file", "does not name a chunk inside the dump");
    chunk = hb_chunk_new(file);
    g_ptr_array_add(rows->chunks, chunk);
    if (!get_digest(place, json, &chunk->digest) || !get_number(place, json, "bytes", HB_LIMIT_BYTES, &chunk->bytes) ||
        !get_number(place, json, "stored", HB_LIMIT_BYTES, &chunk->stored))
        return FALSE;
    hb_digest_add(sum, &chunk->digest);
    *bytes += chunk->bytes;
    return TRUE;
}

static gboolean read_chunks(const Place *place, const json_t *json, HbStoredRows *rows)
{
    HbDigest sum = {0};
    guint64 bytes = 0;
    const json_t *list;

    if (!get_list(place, json, "chunks", &list))
        return FALSE;
    for (gsize i = 0; i < json_array_size(list); i++) {
        if (!read_chunk(place, json_array_get(list, i), rows, &sum, &bytes))
            return FALSE;
    }
    return (hb_digest_is_equal(&sum, &rows->digest) && bytes == rows->bytes) ||
           wrong(place, "chunks", "do not add up to the row set's own count, digest and bytes");
}

/* A letter for each column, if any of them is not plain text */
static gboolean read_coding(const Place *place, const json_t *json, HbRowSet *set)
{
    g_autofree char *hex_columns = NULL;

    if (json_object_get(json, "coding") == NULL)
        return TRUE;
    if (!get_text(place, json, "coding", &hex_columns))
        return FALSE;
    if (strlen(hex_columns) != set->columns->len || strspn(hex_columns, "txd") != strlen(hex_columns))
        return wrong(place, "coding", "does not say t, x or d for each column");
    g_string_assign(set->hex_columns, hex_columns);
    return TRUE;
}

static gboolean read_rows(HbManifest *manifest, const Place *place, const json_t *json)
{
    g_autofree char *identity = NULL, *table = NULL;
    const HbObject *object;
    HbRowSet *set;
    HbStoredRows *rows;

    if (!get_text(place, json, "identity", &identity) || !get_text(place, json, "table", &table))
        return FALSE;
    object = hb_catalog_find(manifest->catalog, identity);
    if (object == NULL || object->kind != HB_KIND_ROWS || strcmp(hb_object_get_name(object), table) != 0)
        return wrong(place, "identity", "is not that of a row set among the objects");
    set = hb_catalog_add_row_set(manifest->catalog, identity, table);
    rows = hb_manifest_add_rows(manifest, set);
    if (!get_texts(place, json, "columns", set->columns) || !read_coding(place, json, set) ||
        !get_digest(place, json, &rows->digest) || !get_number(place, json, "bytes", HB_LIMIT_BYTES, &rows->bytes) ||
        !get_optional_text(place, json, "folder", &rows->folder) || !read_chunks(place, json, rows))
        return FALSE;
    set->bytes = rows->bytes;
    if (rows->chunks->len == 0 && !get_optional_number(place, json, "estimate", HB_LIMIT_BYTES, &set->bytes))
        return FALSE;
    return TRUE;
}

static gboolean read_omission(HbManifest *manifest, const Place *place, const json_t *json)
{
    g_autofree char *what = NULL, *why = NULL;

    if (!get_text(place, json, "what", &what) || !get_text(place, json, "why", &why))
        return FALSE;
    hb_catalog_add_omission(manifest->catalog, what, why);
    return TRUE;
}

static gboolean read_member(HbManifest *manifest, const Place *place, const json_t *json)
{
    g_autofree char *name = NULL, *folder = NULL;
    guint64 bytes = 0;

    if (!get_text(place, json, "name", &name) || !get_text(place, json, "folder", &folder) ||
        !get_number(place, json, "bytes", HB_LIMIT_BYTES, &bytes))
        return FALSE;
    if (!hb_file_is_safe_name(folder) || !g_str_has_prefix(folder, HB_MEMBERS_FOLDER "/"))
        return wrong(place, "folder", "does not name a folder inside the dump");
    hb_manifest_add_member(manifest, g_steal_pointer(&name), g_steal_pointer(&folder), bytes);
    return TRUE;
}

static gboolean read_unread(HbManifest *manifest, const Place *place, const json_t *json)
{
    HbKind kind;

    if (!json_is_string(json) || !hb_kind_find(json_string_value(json), &kind))
        return wrong(place, "kind", "is no kind that this version knows");
    hb_catalog_set_unread(manifest->catalog, kind);
    return TRUE;
}

/* Each entry goes when it has been read: a list as the library holds it is many times as large as its text */
static gboolean read_list(HbManifest *manifest, json_t *root, const char *field,
                          gboolean (*read)(HbManifest *, const Place *, const json_t *), GError **error)
{
    json_t *list = json_object_get(root, field);
    Place place = {error, NULL, 0};

    if (!check_list(&place, list, field))
        return FALSE;
    place.where = field;
    for (place.index = 0; place.index < json_array_size(list); place.index++) {
        if (!read(manifest, &place, json_array_get(list, place.index)))
            return FALSE;
        json_array_set_new(list, place.index, json_null());
    }
    return TRUE;
}

/* A whole server may have none, and its stream does not know them at its beginning */
static gboolean read_members(HbManifest *manifest, json_t *root, GError **error)
{
    hb_manifest_hold_members(manifest);
    return read_list(manifest, root, "databases", read_member, error);
}

/* ---- The head ---- */

static gboolean read_properties(const Place *place, const json_t *source, HbCatalog *catalog)
{
    json_t *properties = json_object_get(source, "properties"), *value;
    const char *name;

    if (!json_is_object(properties))
        return wrong(place, "properties", "is missing, or no list of names and values");
    json_object_foreach(properties, name, value)
    {
        if (!json_is_string(value))
            return wrong(place, name, "is no text");
        g_autofree char *text = hb_json_text_read(json_string_value(value));
        hb_catalog_set_property(catalog, name, text);
    }
    return TRUE;
}

static gboolean read_source(HbManifest *manifest, const Place *place, const json_t *source)
{
    const json_t *snapshot = json_object_get(source, "snapshot");
    guint64 version = 0, written_for = 0;

    if (!get_text(place, source, "engine", &manifest->engine) ||
        !get_text(place, source, "product", &manifest->product) ||
        !get_text(place, source, "server_version", &manifest->server_version) ||
        !get_number(place, source, "version_number", G_MAXINT32, &version) ||
        !get_number(place, source, "written_for", G_MAXINT32, &written_for) ||
        !get_optional_text(place, source, "id", &manifest->source_id) ||
        !get_text(place, source, "address", &manifest->address) ||
        !get_text(place, source, "database", &manifest->database) ||
        !get_text(place, source, "database_quoted", &manifest->database_quoted) ||
        !get_text(place, snapshot, "time", &manifest->snapshot_time) ||
        !get_optional_text(place, snapshot, "position", &manifest->snapshot_position) ||
        !get_optional_text(place, snapshot, "kept_log", &manifest->kept_log))
        return FALSE;
    manifest->version_number = (guint)version;
    manifest->written_for = (guint)written_for;
    return read_properties(place, source, manifest->catalog);
}

static gboolean check_format(const json_t *root, const Place *place)
{
    g_autofree char *format = NULL;
    guint64 version = 0;

    if (!get_text(place, root, "format", &format) || !get_number(place, root, "version", G_MAXINT32, &version))
        return FALSE;
    if (strcmp(format, "hornbeam dump") != 0)
        return wrong(place, "format", "does not say that this is a Hornbeam dump");
    if (version > HB_MANIFEST_VERSION)
        return hb_error_set(place->error, HB_ERROR_DAMAGED, "use the version of Hornbeam that wrote it, or a newer one",
                            "the dump has format version %d; this program reads versions up to %d", (int)version,
                            HB_MANIFEST_VERSION);
    return version > 0 || wrong(place, "version", "is no format version");
}

static gboolean read_head(HbManifest *manifest, const json_t *root, GError **error)
{
    Place place = {error, NULL, 0};
    g_autofree char *parts = NULL;

    if (!check_format(root, &place) || !get_text(&place, root, "id", &manifest->id) ||
        !get_text(&place, root, "created", &manifest->created) || !get_text(&place, root, "tool", &manifest->tool) ||
        !get_text(&place, root, "parts", &parts))
        return FALSE;
    if (!hb_parts_read(parts, &manifest->parts, NULL))
        return wrong(&place, "parts", "names something that is no part");
    manifest->rows_follow = json_is_true(json_object_get(root, "rows_follow"));
    return read_source(manifest, &place, json_object_get(root, "source"));
}

static gboolean read_patterns(HbSelection *selection, const Place *place, const json_t *json, const char *option)
{
    const json_t *list = json_object_get(json, option);
    gsize index;
    const json_t *text;

    if (!json_is_array(list))
        return wrong(place, option, "is missing, or no list");
    json_array_foreach(list, index, text)
    {
        g_autofree char *pattern = json_is_string(text) ? hb_json_text_read(json_string_value(text)) : NULL;
        if (pattern == NULL || !hb_selection_add(selection, option, pattern, NULL))
            return wrong(place, option, "holds what chooses nothing");
    }
    return TRUE;
}

static gboolean read_choice(HbManifest *manifest, const json_t *root, GError **error)
{
    const json_t *json = json_object_get(root, "chosen");
    Place place = {error, NULL, 0};

    if (json == NULL)
        return TRUE;
    manifest->selection = hb_selection_new();
    manifest->selection->without_needs = json_is_true(json_object_get(json, "alone"));
    return read_patterns(manifest->selection, &place, json, "take") &&
           read_patterns(manifest->selection, &place, json, "skip");
}

static gboolean read_all(HbManifest *manifest, json_t *root, GError **error)
{
    manifest->catalog = hb_catalog_new();
    json_object_del(root, "survey"); /* it is for people */
    return read_head(manifest, root, error) && read_choice(manifest, root, error) &&
           read_list(manifest, root, "objects", read_object, error) && hb_invariants_check(manifest, error) &&
           read_list(manifest, root, "rows", read_rows, error) &&
           read_list(manifest, root, "left_out", read_omission, error) &&
           read_list(manifest, root, "unread", read_unread, error) &&
           (json_object_get(root, "databases") == NULL || read_members(manifest, root, error));
}

HbManifest *hb_manifest_read(const char *text, gsize length, GError **error)
{
    g_autoptr(HbManifest) manifest = hb_manifest_new();
    json_error_t problem;
    json_t *root = json_loadb(text, length, JSON_REJECT_DUPLICATES, &problem);
    gboolean ok;

    if (!json_is_object(root)) {
        hb_error_set(error, HB_ERROR_DAMAGED, damaged_hint, HB_MANIFEST_FILE " is no JSON document: line %d: %s",
                     problem.line, root == NULL ? problem.text : "not an object");
        json_decref(root);
        return NULL;
    }
    ok = read_all(manifest, root, error);
    json_decref(root);
    manifest->seal = g_compute_checksum_for_data(G_CHECKSUM_SHA256, (const guchar *)text, length);
    return ok ? g_steal_pointer(&manifest) : NULL;
}
