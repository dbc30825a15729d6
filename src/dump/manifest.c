/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/manifest.h"

#include "core/base/json_text.h"

#include <jansson.h>

/*
 * The life of a manifest: made empty and filled by a dump, or read; copied by whoever adapts it. A copy owns all that
 * may be changed, and shares the survey and the list of members, which nobody changes; its rows know those that they
 * were copied from.
 */

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
    manifest->survey = g_ptr_array_new_with_free_func((GDestroyNotify)hb_result_table_free);
    return manifest;
}

HbStoredRows *hb_manifest_add_rows(HbManifest *manifest, const HbRowSet *set)
{
    HbStoredRows *rows = g_new0(HbStoredRows, 1);

    rows->set = set;
    rows->chunks = g_ptr_array_new_with_free_func((GDestroyNotify)hb_chunk_free);
    g_ptr_array_add(manifest->rows, rows);
    return rows;
}

static void copy_rows(HbManifest *copy, const HbManifest *manifest)
{
    const GPtrArray *sets = hb_catalog_get_row_sets(copy->catalog);

    g_assert(manifest->rows->len == 0 || manifest->rows->len == sets->len);
    for (guint i = 0; i < manifest->rows->len; i++) {
        const HbStoredRows *original = manifest->rows->pdata[i];
        HbStoredRows *rows = hb_manifest_add_rows(copy, sets->pdata[i]);
        rows->digest = original->digest;
        rows->bytes = original->bytes;
        rows->folder = g_strdup(original->folder);
        rows->original = original;
        for (guint c = 0; c < original->chunks->len; c++)
            g_ptr_array_add(rows->chunks, hb_chunk_copy(original->chunks->pdata[c]));
    }
}

/* What nobody changes is shared */
HbManifest *hb_manifest_copy(const HbManifest *manifest)
{
    HbManifest *copy = g_memdup2(manifest, sizeof *manifest);

    copy->id = g_strdup(manifest->id);
    copy->seal = g_strdup(manifest->seal);
    copy->created = g_strdup(manifest->created);
    copy->tool = g_strdup(manifest->tool);
    copy->engine = g_strdup(manifest->engine);
    copy->product = g_strdup(manifest->product);
    copy->server_version = g_strdup(manifest->server_version);
    copy->source_id = g_strdup(manifest->source_id);
    copy->address = g_strdup(manifest->address);
    copy->database = g_strdup(manifest->database);
    copy->database_quoted = g_strdup(manifest->database_quoted);
    copy->snapshot_time = g_strdup(manifest->snapshot_time);
    copy->snapshot_position = g_strdup(manifest->snapshot_position);
    copy->kept_log = g_strdup(manifest->kept_log);
    copy->selection = manifest->selection != NULL ? hb_selection_copy(manifest->selection) : NULL;
    copy->catalog = hb_catalog_copy(manifest->catalog);
    copy->segments = g_array_copy(manifest->segments);
    copy->rows = g_ptr_array_new_with_free_func(stored_rows_free);
    copy->survey = g_ptr_array_ref(manifest->survey);
    copy->members = manifest->members != NULL ? g_ptr_array_ref(manifest->members) : NULL;
    copy_rows(copy, manifest);
    return copy;
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
    g_free(manifest->source_id);
    g_free(manifest->address);
    g_free(manifest->database);
    g_free(manifest->database_quoted);
    g_free(manifest->snapshot_time);
    g_free(manifest->snapshot_position);
    g_free(manifest->kept_log);
    hb_selection_free(manifest->selection);
    hb_catalog_free(manifest->catalog);
    g_array_unref(manifest->segments);
    g_ptr_array_unref(manifest->rows);
    g_ptr_array_unref(manifest->survey);
    g_clear_pointer(&manifest->members, g_ptr_array_unref);
    g_free(manifest);
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

void hb_manifest_drop_rows(HbManifest *manifest)
{
    for (guint i = manifest->rows->len; i-- > 0;) {
        const HbStoredRows *rows = manifest->rows->pdata[i];
        if (hb_catalog_find(manifest->catalog, rows->set->identity) == NULL)
            g_ptr_array_remove_index(manifest->rows, i);
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
