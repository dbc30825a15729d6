/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/reader.h"

#include "core/error.h"

#include <glib/gstdio.h>
#include <string.h>

/* A manifest or SQL file beyond this is not ours, or not for memory */
#define TEXT_FILE_LIMIT ((gsize)2 * 1024 * 1024 * 1024 - 1)

struct HbReader {
    char *path;
    GHashTable *sums; /* name to HbFileSum * */
    HbManifest *manifest;
};

static const char damaged_hint[] = "copy the dump again from where it is whole, or take a new one";

/* The whole file, if it is the one that the sums list */
static gboolean read_checked(const HbReader *reader, const char *name, char **text, gsize *length, GError **error)
{
    const HbFileSum *wanted = g_hash_table_lookup(reader->sums, name);
    g_autofree char *path = g_build_filename(reader->path, name, NULL);
    g_autofree char *sum = NULL;
    g_autoptr(GError) cause = NULL;
    GStatBuf info;

    if (wanted == NULL)
        return hb_error_set(error, HB_ERROR_DAMAGED, damaged_hint, "%s: not listed in " HB_SUMS_FILE, name);
    if (g_stat(path, &info) == 0 && (guint64)info.st_size > TEXT_FILE_LIMIT)
        return hb_error_set(error, HB_ERROR_DAMAGED, damaged_hint, "%s: too large to be a dump's", name);
    if (!g_file_get_contents(path, text, length, &cause))
        return hb_error_set(error,
                            g_error_matches(cause, G_FILE_ERROR, G_FILE_ERROR_NOENT) ? HB_ERROR_DAMAGED : HB_ERROR_FILE,
                            damaged_hint, "%s: %s", name, cause->message);
    sum = g_compute_checksum_for_data(G_CHECKSUM_SHA256, (const guchar *)*text, *length);
    if (strcmp(sum, wanted->sum) != 0)
        return hb_error_set(error, HB_ERROR_DAMAGED, damaged_hint,
                            "%s: the file is not the one that was written (its sum differs)", name);
    return TRUE;
}

static char *cut_segment(const char *text, gsize length, guint64 at, guint64 bytes)
{
    return at <= length && bytes <= length - at ? g_strndup(text + at, bytes) : NULL;
}

static gboolean read_definition(HbObject *object, const HbSegment *segment, const char *text, gsize length)
{
    if (segment->bytes == 0)
        return TRUE;
    object->definition = cut_segment(text, length, segment->at, segment->bytes);
    if (segment->owner_bytes > 0)
        object->owner_sql = cut_segment(text, length, segment->at + segment->bytes + 1, segment->owner_bytes);
    return object->definition != NULL && (segment->owner_bytes == 0 || object->owner_sql != NULL);
}

static gboolean read_stage(HbReader *reader, HbStage stage, GError **error)
{
    g_autofree char *file = g_strdup_printf("%s.sql", hb_stage_get_name(stage));
    g_autofree char *text = NULL;
    gsize length;

    if (!read_checked(reader, file, &text, &length, error))
        return FALSE;
    for (guint i = 0; i < hb_catalog_count(reader->manifest->catalog); i++) {
        HbObject *object = hb_catalog_get(reader->manifest->catalog, i);
        if (object->stage == stage &&
            !read_definition(object, &g_array_index(reader->manifest->segments, HbSegment, i), text, length))
            return hb_error_set(error, HB_ERROR_DAMAGED, damaged_hint,
                                "%s: the manifest places its definition outside of %s", object->identity, file);
    }
    return TRUE;
}

static gboolean check_chunk(const HbReader *reader, const HbChunk *chunk, GError **error)
{
    g_autofree char *path = g_build_filename(reader->path, chunk->file, NULL);
    GStatBuf info;

    if (!g_hash_table_contains(reader->sums, chunk->file))
        return hb_error_set(error, HB_ERROR_DAMAGED, damaged_hint, "%s: not listed in " HB_SUMS_FILE, chunk->file);
    if (g_stat(path, &info) != 0)
        return hb_error_set(error, HB_ERROR_DAMAGED, damaged_hint, "%s: the file is missing from the dump",
                            chunk->file);
    if ((guint64)info.st_size != chunk->stored)
        return hb_error_set(error, HB_ERROR_DAMAGED, damaged_hint,
                            "%s: the file has %" G_GINT64_FORMAT " bytes, but was written with %" G_GUINT64_FORMAT,
                            chunk->file, (gint64)info.st_size, chunk->stored);
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

static gboolean read_all(HbReader *reader, GError **error)
{
    g_autofree char *text = NULL;
    gsize length;

    reader->sums = hb_folder_read_sums(reader->path, error);
    if (reader->sums == NULL || !read_checked(reader, HB_MANIFEST_FILE, &text, &length, error))
        return FALSE;
    reader->manifest = hb_manifest_read(text, length, error);
    if (reader->manifest == NULL)
        return FALSE;
    for (int stage = 0; stage < HB_STAGE_COUNT; stage++) {
        if (stage != HB_STAGE_ROWS && !read_stage(reader, (HbStage)stage, error))
            return FALSE;
    }
    return check_chunks(reader, error);
}

static gboolean check_folder(const char *path, GError **error)
{
    g_autoptr(GError) cause = NULL;
    GDir *folder;

    if (!g_file_test(path, G_FILE_TEST_EXISTS))
        return hb_error_set(error, HB_ERROR_FILE, "see whether the path is right", "%s: there is no such dump", path);
    if (!g_file_test(path, G_FILE_TEST_IS_DIR))
        return hb_error_set(error, HB_ERROR_DAMAGED, "name the folder that `hornbeam dump` wrote", "%s is not a folder",
                            path);
    folder = g_dir_open(path, 0, &cause);
    if (folder == NULL)
        return hb_error_set(error, HB_ERROR_FILE, "have its rights changed, or become a user who may read it", "%s",
                            cause->message);
    g_dir_close(folder);
    return TRUE;
}

HbReader *hb_reader_open(const char *path, GError **error)
{
    HbReader *reader;

    if (!check_folder(path, error))
        return NULL;
    reader = g_new0(HbReader, 1);
    reader->path = g_strdup(path);
    if (!read_all(reader, error)) {
        g_prefix_error(error, "%s: ", path);
        hb_reader_close(reader);
        return NULL;
    }
    return reader;
}

void hb_reader_close(HbReader *reader)
{
    if (reader == NULL)
        return;
    g_free(reader->path);
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

HbUnpacker *hb_reader_open_chunk(const HbReader *reader, const HbChunk *chunk, GError **error)
{
    g_autofree char *path = g_build_filename(reader->path, chunk->file, NULL);

    return hb_unpacker_open(path, chunk->file, error);
}

GHashTable *hb_reader_get_sums(const HbReader *reader)
{
    return reader->sums;
}
