/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/reader.h"

#include "core/base/error.h"
#include "dump/invariants.h"
#include "dump/limits.h"

#include <string.h>

/*
 * A dump is opened in an order that trusts nothing: the sums first, the manifest against its sum, then the SQL files
 * against theirs, from which each object gets the text that the manifest says where to find. Only then are the
 * invariants checked that concern both. Chunks are not looked at before they are asked for.
 */

struct HbReader {
    char *path;
    HbStore *store;
    GHashTable *sums; /* name to HbFileSum * */
    HbManifest *manifest;
    const HbSealKey *key; /* NULL: none was given */
    gboolean is_outside;  /* of a sealed dump only the label is read */
    HbUnsealer *unsealer; /* NULL: the dump is not sealed, or was not opened */
};

static const char damaged_hint[] = "copy the dump again from where it is whole, or take a new one";

char *hb_reader_name_stored(const HbReader *reader, const char *name)
{
    return g_strconcat(name, reader->unsealer != NULL ? HB_SEALED_SUFFIX : NULL, NULL);
}

/* The whole file as it lies there, if it is the one that the sums list */
static gboolean read_stored(const HbReader *reader, const char *name, char **text, gsize *length, GError **error)
{
    const HbFileSum *wanted = g_hash_table_lookup(reader->sums, name);
    g_autofree char *sum = NULL;

    if (wanted == NULL)
        return hb_error_set(error, HB_ERROR_DAMAGED, damaged_hint, "%s: not listed in " HB_SUMS_FILE, name);
    if (!hb_store_read(reader->store, name, HB_LIMIT_TEXT, text, length, error))
        return FALSE;
    sum = g_compute_checksum_for_data(G_CHECKSUM_SHA256, (const guchar *)*text, *length);
    if (strcmp(sum, wanted->sum) != 0)
        return hb_error_set(error, HB_ERROR_DAMAGED, damaged_hint,
                            "%s: the file is not the one that was written (its sum differs)", name);
    return TRUE;
}

static gboolean read_checked(const HbReader *reader, const char *name, char **text, gsize *length, GError **error)
{
    g_autofree char *stored = hb_reader_name_stored(reader, name), *sealed = NULL;
    g_autoptr(GBytes) content = NULL;

    if (reader->unsealer == NULL)
        return read_stored(reader, stored, text, length, error);
    if (!read_stored(reader, stored, &sealed, length, error))
        return FALSE;
    content = hb_unsealer_open(reader->unsealer, sealed, *length, stored, error);
    if (content == NULL)
        return FALSE;
    *length = g_bytes_get_size(content);
    *text = g_strndup(g_bytes_get_data(content, NULL), *length);
    return TRUE;
}

/* Only a file that the sums list makes it a sealed one */
static gboolean prepare_unsealing(HbReader *reader, GError **error)
{
    g_autofree char *text = NULL;
    gsize length;

    if (!g_hash_table_contains(reader->sums, HB_RECIPIENTS_FILE))
        return hb_seal_key_check_unused(reader->key, error);
    if (!read_stored(reader, HB_RECIPIENTS_FILE, &text, &length, error))
        return FALSE;
    reader->unsealer = hb_unsealer_new(reader->key, text, length, error);
    return reader->unsealer != NULL;
}

static void read_definition(HbObject *object, const HbSegment *segment, const char *text)
{
    if (segment->bytes == 0)
        return;
    object->definition = g_strndup(text + segment->at, segment->bytes);
    if (segment->owner_bytes > 0)
        object->owner_sql = g_strndup(text + segment->at + segment->bytes + 1, segment->owner_bytes);
}

gboolean hb_reader_read_definitions(const HbManifest *manifest, HbStage stage, const char *text, gsize length,
                                    GError **error)
{
    if (!hb_invariants_check_stage(manifest, stage, length, error))
        return FALSE;
    for (guint i = 0; i < hb_catalog_count(manifest->catalog); i++) {
        HbObject *object = hb_catalog_get(manifest->catalog, i);
        if (object->stage == stage && object->kind != HB_KIND_ROWS)
            read_definition(object, &g_array_index(manifest->segments, HbSegment, i), text);
    }
    return TRUE;
}

static gboolean read_stage(HbReader *reader, HbStage stage, GError **error)
{
    g_autofree char *file = g_strdup_printf("%s.sql", hb_stage_get_name(stage));
    g_autofree char *text = NULL;
    gsize length;

    return read_checked(reader, file, &text, &length, error) &&
           hb_reader_read_definitions(reader->manifest, stage, text, length, error);
}

static gboolean check_chunk(const HbReader *reader, const HbChunk *chunk, GError **error)
{
    g_autofree char *stored = hb_reader_name_stored(reader, chunk->file);
    guint64 bytes;

    if (!g_hash_table_contains(reader->sums, stored))
        return hb_error_set(error, HB_ERROR_DAMAGED, damaged_hint, "%s: not listed in " HB_SUMS_FILE, stored);
    if (!hb_store_find_size(reader->store, stored, &bytes))
        return hb_error_set(error, HB_ERROR_DAMAGED, damaged_hint, "%s: the file is missing from the dump", stored);
    if (bytes != chunk->stored)
        return hb_error_set(error, HB_ERROR_DAMAGED, damaged_hint,
                            "%s: the file has %" G_GUINT64_FORMAT " bytes, but was written with %" G_GUINT64_FORMAT,
                            stored, bytes, chunk->stored);
    return TRUE;
}

static gboolean check_chunks(const HbReader *reader, GError **error)
{
    for (guint i = 0; i < reader->manifest->rows->len; i++) {
        const HbStoredRows *rows = reader->manifest->rows->pdata[i];
        for (guint c = 0; c < rows->chunks->len; c++) {
            if (!check_chunk(reader, rows->chunks->pdata[c], error))
                return FALSE;
        }
    }
    return TRUE;
}

static gboolean read_sums(HbReader *reader, GError **error)
{
    g_autofree char *text = NULL;
    gsize length;

    if (!hb_store_read(reader->store, HB_SUMS_FILE, HB_LIMIT_SUMS, &text, &length, NULL))
        return hb_error_set(error, HB_ERROR_DAMAGED, "only what `hornbeam dump` finished is a dump",
                            "there is no readable " HB_SUMS_FILE);
    reader->sums = hb_folder_read_sums(text, error);
    return reader->sums != NULL;
}

static gboolean read_label(HbReader *reader, GError **error)
{
    g_autofree char *text = NULL;
    GHashTableIter iter;
    gpointer name;
    gsize length;
    guint64 bytes;

    if (!read_stored(reader, HB_LABEL_FILE, &text, &length, error))
        return FALSE;
    g_hash_table_iter_init(&iter, reader->sums);
    while (g_hash_table_iter_next(&iter, &name, NULL)) {
        if (!hb_store_find_size(reader->store, name, &bytes))
            return hb_file_set_missing(name, error);
    }
    reader->manifest = hb_manifest_read(text, length, error);
    return reader->manifest != NULL;
}

static gboolean read_all(HbReader *reader, GError **error)
{
    g_autofree char *text = NULL;
    gsize length;

    if (!read_sums(reader, error))
        return FALSE;
    if (reader->is_outside && g_hash_table_contains(reader->sums, HB_RECIPIENTS_FILE))
        return read_label(reader, error);
    if (!prepare_unsealing(reader, error) || !read_checked(reader, HB_MANIFEST_FILE, &text, &length, error))
        return FALSE;
    reader->manifest = hb_manifest_read(text, length, error);
    if (reader->manifest == NULL)
        return FALSE;
    if (reader->manifest->rows_follow)
        return hb_error_set(error, HB_ERROR_DAMAGED, damaged_hint, "the dump broke off before its rows were complete");
    for (int stage = 0; stage < HB_STAGE_COUNT; stage++) {
        if (stage != HB_STAGE_ROWS && !read_stage(reader, (HbStage)stage, error))
            return FALSE;
    }
    return check_chunks(reader, error);
}

/* Takes the store (NULL: there is none) */
static HbReader *open_store(HbStore *store, const char *path, const HbSealKey *key, gboolean is_outside, GError **error)
{
    HbReader *reader;

    if (store == NULL)
        return NULL;
    reader = g_new0(HbReader, 1);
    reader->path = g_strdup(path);
    reader->store = store;
    reader->key = key;
    reader->is_outside = is_outside;
    if (!read_all(reader, error)) {
        g_prefix_error(error, "%s: ", path);
        g_clear_pointer(&reader, hb_reader_close);
    }
    return reader;
}

HbReader *hb_reader_open(const char *path, const HbSealKey *key, GError **error)
{
    return open_store(hb_store_open(path, error), path, key, FALSE, error);
}

HbReader *hb_reader_open_outside(const char *path, GError **error)
{
    return open_store(hb_store_open(path, error), path, NULL, TRUE, error);
}

HbReader *hb_reader_open_member(const HbReader *outer, const HbMember *member, GError **error)
{
    g_autofree char *path = g_build_filename(outer->path, member->folder, NULL);

    return open_store(hb_store_open_below(outer->store, member->folder, error), path, outer->key, outer->is_outside,
                      error);
}

void hb_reader_close(HbReader *reader)
{
    if (reader == NULL)
        return;
    g_free(reader->path);
    hb_store_close(reader->store);
    hb_unsealer_free(reader->unsealer);
    g_clear_pointer(&reader->sums, g_hash_table_unref);
    hb_manifest_free(reader->manifest);
    g_free(reader);
}

const HbManifest *hb_reader_get_manifest(const HbReader *reader)
{
    return reader->manifest;
}

const char *hb_reader_get_path(const HbReader *reader)
{
    return reader->path;
}

/* What was sealed is opened as a whole: nothing of it is believed before its end */
static HbUnpacker *unseal_chunk(const HbReader *reader, const HbChunk *chunk, const HbStoreFile *file, GError **error)
{
    g_autofree char *stored = hb_reader_name_stored(reader, chunk->file), *sealed = NULL;
    g_autoptr(GBytes) content = NULL;
    gsize length;

    if (!hb_store_read_file(file, stored, HB_LIMIT_TEXT, &sealed, &length, error))
        return NULL;
    content = hb_unsealer_open(reader->unsealer, sealed, length, stored, error);
    return content != NULL ? hb_unpacker_open_bytes(content, chunk->file) : NULL;
}

HbUnpacker *hb_reader_open_chunk_in(const HbReader *reader, const HbChunk *chunk, HbStoreFile *file, GError **error)
{
    HbUnpacker *unpacker;

    if (reader->unsealer != NULL) {
        unpacker = unseal_chunk(reader, chunk, file, error);
        hb_store_close_file(file);
    } else {
        unpacker = hb_unpacker_open(file->fd, file->offset, file->bytes, chunk->file);
        file->fd = -1;
    }
    if (unpacker != NULL)
        hb_unpacker_expect(unpacker, chunk->bytes);
    return unpacker;
}

HbUnpacker *hb_reader_open_chunk(const HbReader *reader, const HbChunk *chunk, GError **error)
{
    g_autofree char *stored = hb_reader_name_stored(reader, chunk->file);
    HbStoreFile file;

    return hb_store_open_file(reader->store, stored, &file, error)
               ? hb_reader_open_chunk_in(reader, chunk, &file, error)
               : NULL;
}

const HbStore *hb_reader_get_store(const HbReader *reader)
{
    return reader->store;
}

GHashTable *hb_reader_get_sums(const HbReader *reader)
{
    return reader->sums;
}
