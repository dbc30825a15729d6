/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/stream.h"

#include "core/base/error.h"
#include "dump/folder.h"
#include "dump/limits.h"
#include "dump/reader.h"
#include "dump/tar.h"

#include <string.h>

struct HbStream {
    HbTarReader *tar;
    HbTarMember pending; /* was looked at, and is the next; name NULL: nothing was */
    char *below;         /* what its members' names begin with, as it is within another's tar; NULL: it is its own */
    GHashTable *seen;    /* name to its sum (text): of all members that came, the last of each name */
    GHashTable *texts;   /* name to GBytes *: of the members that are no chunks */
    GHashTable *rows;    /* folder below rows/ to HbStoredRows * of the early manifest */
    HbManifest *early;
    HbManifest *last;
    const HbSealKey *key; /* NULL: none was given */
    HbUnsealer *unsealer; /* NULL: it is not sealed, or its recipients have not come yet */
};

static const char hint[] = "send it again; what was restored is not complete, and must not be used";

static gboolean damaged(GError **error, const char *name, const char *how)
{
    return hb_error_set(error, HB_ERROR_DAMAGED, hint, "the stream is damaged: %s %s", name, how);
}

/* ---- Members ---- */

static gboolean is_chunk(const char *name)
{
    return g_str_has_prefix(name, "rows/");
}

/* By the name that it has within its own dump */
static gboolean next_member(HbStream *stream, HbTarMember *member, GError **error)
{
    hb_tar_member_clear(member);
    if (stream->pending.name != NULL) {
        *member = stream->pending;
        stream->pending = (HbTarMember){0};
    } else if (!hb_tar_reader_next(stream->tar, member, error)) {
        return FALSE;
    }
    if (stream->below == NULL || member->name == NULL)
        return TRUE;
    if (!g_str_has_prefix(member->name, stream->below))
        return damaged(error, stream->below, "breaks off before its end");
    memmove(member->name, member->name + strlen(stream->below), strlen(member->name) - strlen(stream->below) + 1);
    return TRUE;
}

static gboolean is_clear(const char *name)
{
    return strcmp(name, HB_SUMS_FILE) == 0 || strcmp(name, HB_RECIPIENTS_FILE) == 0 || strcmp(name, HB_LABEL_FILE) == 0;
}

/* Takes what came, and gives what it is; the member gets its plain name */
static GBytes *unseal(HbStream *stream, HbTarMember *member, GBytes *came, GError **error)
{
    GBytes *content = NULL;
    gsize length;
    const char *bytes = g_bytes_get_data(came, &length);

    if (strcmp(member->name, HB_RECIPIENTS_FILE) == 0 && stream->unsealer == NULL &&
        (stream->unsealer = hb_unsealer_new(stream->key, bytes, length, error)) == NULL) {
        g_bytes_unref(came);
        return NULL;
    }
    if (stream->unsealer == NULL || is_clear(member->name))
        return came;
    if (g_str_has_suffix(member->name, HB_SEALED_SUFFIX))
        content = hb_unsealer_open(stream->unsealer, bytes, length, member->name, error);
    else
        damaged(error, member->name, "is not sealed, as the others are");
    g_bytes_unref(came);
    if (content != NULL)
        member->name[strlen(member->name) - strlen(HB_SEALED_SUFFIX)] = '\0';
    return content;
}

/* The next member, summed as it came; NULL with member->name NULL at the end */
static GBytes *read_member(HbStream *stream, HbTarMember *member, GError **error)
{
    GBytes *bytes;

    if (!next_member(stream, member, error) || member->name == NULL)
        return NULL;
    bytes = hb_tar_reader_read(stream->tar, member, is_chunk(member->name) ? HB_LIMIT_CHUNK : HB_LIMIT_TEXT, error);
    if (bytes == NULL)
        return NULL;
    g_hash_table_replace(stream->seen, g_strdup(member->name), g_compute_checksum_for_bytes(G_CHECKSUM_SHA256, bytes));
    bytes = unseal(stream, member, bytes, error);
    if (bytes == NULL)
        return NULL;
    if (!is_chunk(member->name))
        g_hash_table_replace(stream->texts, g_strdup(member->name), g_bytes_ref(bytes));
    return bytes;
}

static gboolean broke_off(GError **error)
{
    return hb_error_set(error, HB_ERROR_DAMAGED, hint, "the stream broke off: its end never came");
}

/* It has ended, and nothing of a dump was in it */
static gboolean refuse(const HbStream *stream, GError **error)
{
    if (g_hash_table_size(stream->seen) == 0)
        return hb_error_set(error, HB_ERROR_DAMAGED, "see what the program said that was to send it", "nothing came");
    return hb_error_set(error, HB_ERROR_DAMAGED, "send what `hornbeam dump FROM -` writes",
                        "this is a tar, and no dump");
}

/* Everything up to the next SHA256SUMS, which must be there */
static gboolean read_until_sums(HbStream *stream, GError **error)
{
    HbTarMember member = {0};
    gboolean done = FALSE;

    while (!done) {
        g_autoptr(GError) cause = NULL;
        GBytes *bytes = read_member(stream, &member, &cause);
        if (bytes == NULL) {
            hb_tar_member_clear(&member);
            if (cause == NULL && g_hash_table_contains(stream->texts, HB_MANIFEST_FILE))
                return broke_off(error);
            if (cause == NULL)
                return refuse(stream, error);
            g_propagate_error(error, g_steal_pointer(&cause));
            return FALSE;
        }
        g_bytes_unref(bytes);
        done = strcmp(member.name, HB_SUMS_FILE) == 0;
        if (is_chunk(member.name)) {
            hb_tar_member_clear(&member);
            return damaged(error, "the order of its members", "is not that of a dump");
        }
    }
    hb_tar_member_clear(&member);
    return TRUE;
}

static const char *get_text(const HbStream *stream, const char *name, gsize *length)
{
    GBytes *bytes = g_hash_table_lookup(stream->texts, name);

    return bytes != NULL ? g_bytes_get_data(bytes, length) : NULL;
}

/* Whatever the sums list must have come, as it was written */
static gboolean check_sums(const HbStream *stream, GError **error)
{
    gsize length;
    const char *text = get_text(stream, HB_SUMS_FILE, &length);
    g_autoptr(GHashTable) sums = hb_folder_read_sums(text, error);
    GHashTableIter iter;
    gpointer name, sum;

    if (sums == NULL)
        return FALSE;
    g_hash_table_iter_init(&iter, sums);
    while (g_hash_table_iter_next(&iter, &name, &sum)) {
        const char *seen = g_hash_table_lookup(stream->seen, name);
        if (seen == NULL || strcmp(seen, ((const HbFileSum *)sum)->sum) != 0)
            return damaged(error, name, seen == NULL ? "did not come" : "is not what was written (its sum differs)");
    }
    return TRUE;
}

static HbManifest *read_manifest(const HbStream *stream, GError **error)
{
    gsize length;
    const char *text = get_text(stream, HB_MANIFEST_FILE, &length);

    if (text == NULL) {
        damaged(error, HB_MANIFEST_FILE, "did not come");
        return NULL;
    }
    return check_sums(stream, error) ? hb_manifest_read(text, length, error) : NULL;
}

/* ---- The beginning ---- */

static gboolean read_definitions(HbStream *stream, GError **error)
{
    for (int stage = 0; stage < HB_STAGE_COUNT; stage++) {
        g_autofree char *file = g_strdup_printf("%s.sql", hb_stage_get_name((HbStage)stage));
        gsize length;
        const char *text = get_text(stream, file, &length);
        if (stage == HB_STAGE_ROWS)
            continue;
        if (text == NULL)
            return damaged(error, file, "did not come");
        if (!hb_reader_read_definitions(stream->early, (HbStage)stage, text, length, error))
            return FALSE;
    }
    return TRUE;
}

static void index_folders(HbStream *stream)
{
    for (guint i = 0; i < stream->early->rows->len; i++) {
        HbStoredRows *rows = stream->early->rows->pdata[i];
        if (rows->folder != NULL)
            g_hash_table_insert(stream->rows, rows->folder, rows);
    }
}

static gboolean begin(HbStream *stream, GError **error)
{
    if (!read_until_sums(stream, error) || (stream->early = read_manifest(stream, error)) == NULL)
        return FALSE;
    if (stream->unsealer == NULL && !hb_seal_key_check_unused(stream->key, error))
        return FALSE;
    if (!stream->early->rows_follow)
        return damaged(error, HB_MANIFEST_FILE, "is not that of a stream");
    if (!read_definitions(stream, error))
        return FALSE;
    index_folders(stream);
    return TRUE;
}

static HbStream *stream_new(void)
{
    HbStream *stream = g_new0(HbStream, 1);

    stream->seen = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    stream->texts = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, (GDestroyNotify)g_bytes_unref);
    stream->rows = g_hash_table_new(g_str_hash, g_str_equal);
    return stream;
}

HbStream *hb_stream_open(int fd, int stop_fd, const HbSealKey *key, GError **error)
{
    HbStream *stream = stream_new();

    stream->key = key;
    stream->tar = hb_tar_reader_new(fd, stop_fd, error);
    if (stream->tar == NULL || !begin(stream, error)) {
        g_prefix_error(error, "standard input: ");
        g_clear_pointer(&stream, hb_stream_close);
    }
    return stream;
}

void hb_stream_close(HbStream *stream)
{
    if (stream == NULL)
        return;
    if (stream->below == NULL)
        hb_tar_reader_free(stream->tar);
    hb_tar_member_clear(&stream->pending);
    g_free(stream->below);
    hb_unsealer_free(stream->unsealer);
    g_hash_table_unref(stream->seen);
    g_hash_table_unref(stream->texts);
    g_hash_table_unref(stream->rows);
    hb_manifest_free(stream->early);
    hb_manifest_free(stream->last);
    g_free(stream);
}

const HbManifest *hb_stream_get_manifest(const HbStream *stream)
{
    return stream->early;
}

/* ---- Rows, and the end ---- */

void hb_stream_chunk_clear(HbStreamChunk *chunk)
{
    g_free(chunk->file);
    g_clear_pointer(&chunk->bytes, g_bytes_unref);
    *chunk = (HbStreamChunk){0};
}

/* "rows/garden.plot/0001.rows.zst" */
static const HbStoredRows *find_rows(const HbStream *stream, const char *file)
{
    g_auto(GStrv) words = g_strsplit(file, "/", -1);

    return g_strv_length(words) == 3 ? g_hash_table_lookup(stream->rows, words[1]) : NULL;
}

static gboolean finish(HbStream *stream, GError **error)
{
    if (!read_until_sums(stream, error) || (stream->last = read_manifest(stream, error)) == NULL)
        return FALSE;
    return (!stream->last->rows_follow && strcmp(stream->last->id, stream->early->id) == 0) ||
           damaged(error, HB_MANIFEST_FILE, "is not that of this dump");
}

gboolean hb_stream_next(HbStream *stream, HbStreamChunk *chunk, GError **error)
{
    HbTarMember member = {0};
    g_autoptr(GError) cause = NULL;

    hb_stream_chunk_clear(chunk);
    chunk->bytes = read_member(stream, &member, &cause);
    if (chunk->bytes == NULL && cause == NULL)
        return broke_off(error);
    if (chunk->bytes == NULL) {
        hb_tar_member_clear(&member);
        g_propagate_error(error, g_steal_pointer(&cause));
        return FALSE;
    }
    chunk->file = g_steal_pointer(&member.name);
    if (!is_chunk(chunk->file)) {
        hb_stream_chunk_clear(chunk); /* the manifest, by its order */
        return finish(stream, error);
    }
    chunk->rows = find_rows(stream, chunk->file);
    return chunk->rows != NULL || damaged(error, chunk->file, "belongs to no table of the dump");
}

gboolean hb_stream_skip(HbStream *stream, GError **error)
{
    HbStreamChunk chunk = {0};
    gboolean ok;

    do
        ok = hb_stream_next(stream, &chunk, error);
    while (ok && chunk.file != NULL);
    hb_stream_chunk_clear(&chunk);
    return ok;
}

/* ---- Of a whole server ---- */

/* "databases/garden/" of "databases/garden/users.sql"; NULL of what is the server's own. The caller's */
static char *find_below(const char *name)
{
    const char *slash =
        g_str_has_prefix(name, HB_MEMBERS_FOLDER "/") ? strchr(name + strlen(HB_MEMBERS_FOLDER "/"), '/') : NULL;

    return slash != NULL ? g_strndup(name, (gsize)(slash - name) + 1) : NULL;
}

gboolean hb_stream_open_next(HbStream *outer, HbStream **inner, GError **error)
{
    HbStream *stream;
    char *below;

    *inner = NULL;
    if (!hb_tar_reader_next(outer->tar, &outer->pending, error))
        return FALSE;
    if (outer->pending.name == NULL)
        return broke_off(error);
    below = find_below(outer->pending.name);
    if (below == NULL)
        return finish(outer, error);
    stream = stream_new();
    stream->tar = outer->tar;
    stream->key = outer->key;
    stream->below = below;
    stream->pending = outer->pending;
    outer->pending = (HbTarMember){0};
    if (begin(stream, error)) {
        *inner = stream;
        return TRUE;
    }
    g_prefix_error(error, "%s: ", below);
    hb_stream_close(stream);
    return FALSE;
}

const HbManifest *hb_stream_get_last_manifest(const HbStream *stream)
{
    return stream->last;
}
