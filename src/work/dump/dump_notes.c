/* SPDX-License-Identifier: Apache-2.0 */
#include "work/dump/dump_notes.h"

#include "core/base/json_text.h"
#include "dump/json_writer.h"
#include "dump/limits.h"

#include "version.h"

#include <stdlib.h>
#include <string.h>

/* ---- Fields ---- */

static char *take_text(json_t *root)
{
    char *plain = json_dumps(root, JSON_COMPACT | JSON_ENSURE_ASCII), *text = g_strdup(plain);

    free(plain);
    json_decref(root);
    return text;
}

static gboolean wrong(const char *field, GError **error)
{
    return hb_error_set(error, HB_ERROR_DAMAGED, "see who else writes to the folder of the dump",
                        "a note of another host cannot be right: “%s”", field);
}

static gboolean get_text(const json_t *json, const char *field, char **text, GError **error)
{
    const char *value = json_string_value(json_object_get(json, field));

    *text = value != NULL ? hb_json_text_read(value) : NULL;
    return *text != NULL || wrong(field, error);
}

static gboolean get_optional_text(const json_t *json, const char *field, char **text, GError **error)
{
    *text = NULL;
    return json_is_null(json_object_get(json, field)) || get_text(json, field, text, error);
}

/* All 64 bits */
static json_t *write_number(guint64 number)
{
    g_autofree char *text = g_strdup_printf("%" G_GUINT64_FORMAT, number);

    return json_string(text);
}

static gboolean get_number(const json_t *json, const char *field, guint64 limit, guint64 *number, GError **error)
{
    const char *text = json_string_value(json_object_get(json, field));

    return (text != NULL && g_ascii_string_to_unsigned(text, 10, 0, limit, number, NULL)) || wrong(field, error);
}

/* One of another version is not for us */
static json_t *read_note(const char *text, GError **error)
{
    json_t *root = json_loads(text, JSON_REJECT_DUPLICATES, NULL);
    const char *version = json_string_value(json_object_get(root, "hornbeam"));

    if (g_strcmp0(version, HB_VERSION) == 0)
        return root;
    if (version != NULL)
        hb_error_set(error, HB_ERROR_BLOCKED, "give all hosts the same version",
                     "another host on this dump runs version %s, and this is " HB_VERSION, version);
    else
        wrong("hornbeam", error);
    json_decref(root);
    return NULL;
}

/* ---- The moment ---- */

char *hb_note_write_moment(const char *dump_id, const HbSnapshot *snapshot)
{
    return take_text(json_pack("{s:s, s:o, s:o, s:o, s:o, s:o}", "hornbeam", HB_VERSION, "dump", hb_json_text(dump_id),
                               "token", hb_json_text(snapshot->token), "time", hb_json_text(snapshot->time), "position",
                               hb_json_text(snapshot->position), "lock_wait_ms", write_number(snapshot->lock_wait_ms)));
}

gboolean hb_note_read_moment(const char *text, char **dump_id, HbSnapshot *snapshot, GError **error)
{
    json_t *root = read_note(text, error);
    guint64 lock_wait_ms = 0;
    gboolean ok;

    ok = root != NULL && get_text(root, "dump", dump_id, error) && get_text(root, "token", &snapshot->token, error) &&
         get_text(root, "time", &snapshot->time, error) &&
         get_optional_text(root, "position", &snapshot->position, error) &&
         get_number(root, "lock_wait_ms", G_MAXUINT, &lock_wait_ms, error);
    snapshot->lock_wait_ms = (guint)lock_wait_ms;
    json_decref(root);
    return ok;
}

/* ---- The plan ---- */

static void sum_text(GChecksum *sum, const char *text)
{
    g_checksum_update(sum, (const guchar *)(text != NULL ? text : ""), text != NULL ? (gssize)strlen(text) + 1 : 1);
}

static void sum_texts(GChecksum *sum, const GPtrArray *texts)
{
    for (guint i = 0; texts != NULL && i < texts->len; i++)
        sum_text(sum, texts->pdata[i]);
    sum_text(sum, NULL);
}

/* Of all that says what is read: hosts with other options, or another view of the catalog, would read otherwise */
static char *sum_up_sets(const HbManifest *manifest)
{
    g_autoptr(GChecksum) sum = g_checksum_new(G_CHECKSUM_SHA256);

    for (guint i = 0; i < manifest->rows->len; i++) {
        const HbRowSet *set = ((const HbStoredRows *)manifest->rows->pdata[i])->set;
        sum_text(sum, set->identity);
        sum_text(sum, set->table);
        sum_texts(sum, set->columns);
        sum_text(sum, set->hex_columns != NULL ? set->hex_columns->str : NULL);
        sum_texts(sum, set->select_expressions);
        sum_text(sum, set->condition);
    }
    return g_strdup(g_checksum_get_string(sum));
}

char *hb_note_write_plan(const HbManifest *manifest, const GArray *pieces)
{
    g_autofree char *sum = sum_up_sets(manifest);
    json_t *list = json_array();

    for (guint i = 0; i < pieces->len; i++) {
        const HbPiece *piece = &g_array_index(pieces, HbPiece, i);
        json_array_append_new(list, json_pack("{s:o, s:o, s:o, s:o, s:o, s:o}", "rows",
                                              hb_json_text(piece->set->identity), "first",
                                              write_number(piece->range.first), "end", write_number(piece->range.end),
                                              "bytes", write_number(piece->range.bytes), "where",
                                              hb_json_text(piece->range.where), "group", write_number(piece->group)));
    }
    return take_text(json_pack("{s:s, s:s, s:o}", "hornbeam", HB_VERSION, "tables", sum, "pieces", list));
}

/* Groups are numbered without gaps */
static gboolean read_piece(const json_t *json, GHashTable *by_identity, guint groups, HbPiece *piece, GError **error)
{
    g_autofree char *identity = NULL;
    const HbStoredRows *rows;
    guint64 group;

    if (!get_text(json, "rows", &identity, error) ||
        !get_number(json, "first", G_MAXUINT64, &piece->range.first, error) ||
        !get_number(json, "end", G_MAXUINT64, &piece->range.end, error) ||
        !get_number(json, "bytes", HB_LIMIT_BYTES, &piece->range.bytes, error) ||
        !get_optional_text(json, "where", &piece->range.where, error) ||
        !get_number(json, "group", groups, &group, error))
        return FALSE;
    rows = g_hash_table_lookup(by_identity, identity);
    if (rows == NULL || group + 1 < groups)
        return wrong(rows == NULL ? "rows" : "group", error);
    piece->set = rows->set;
    piece->group = (guint)group;
    return TRUE;
}

static GArray *read_pieces(const json_t *list, const HbManifest *manifest, GError **error)
{
    g_autoptr(GHashTable) by_identity = hb_manifest_index_rows(manifest);
    g_autoptr(GArray) pieces = hb_pieces_new();
    guint groups = 0;

    for (gsize i = 0; i < json_array_size(list); i++) {
        HbPiece piece = {0};
        const gboolean ok = read_piece(json_array_get(list, i), by_identity, groups, &piece, error);
        g_array_append_val(pieces, piece); /* which frees what it has */
        if (!ok)
            return NULL;
        groups = piece.group + 1;
    }
    return g_steal_pointer(&pieces);
}

GArray *hb_note_read_plan(const char *text, const HbManifest *manifest, GError **error)
{
    g_autofree char *own = sum_up_sets(manifest), *sum = NULL;
    json_t *root = read_note(text, error);
    GArray *pieces = NULL;

    if (root != NULL && get_text(root, "tables", &sum, error)) {
        if (strcmp(sum, own) == 0)
            pieces = read_pieces(json_object_get(root, "pieces"), manifest, error);
        else
            hb_error_set(error, HB_ERROR_BLOCKED,
                         "give all hosts the same options, and a role that sees the same tables",
                         "the host that began this dump reads other tables or columns than this one");
    }
    json_decref(root);
    return pieces;
}

/* ---- What was written of a group ---- */

static void written_chunk_free(gpointer data)
{
    HbWrittenChunk *written = data;

    hb_chunk_free(written->chunk);
    hb_file_sum_free(written->sum);
    g_free(written->rows);
    g_free(written);
}

HbGroupNote *hb_group_note_new(const char *host)
{
    HbGroupNote *note = g_new0(HbGroupNote, 1);

    note->host = g_strdup(host);
    note->chunks = g_ptr_array_new_with_free_func(written_chunk_free);
    return note;
}

void hb_group_note_free(HbGroupNote *note)
{
    if (note == NULL)
        return;
    g_ptr_array_unref(note->chunks);
    g_free(note->host);
    g_free(note);
}

void hb_group_note_add(HbGroupNote *note, const HbRowSet *set, const HbChunk *chunk, const HbFileSum *sum)
{
    HbWrittenChunk *written = g_new0(HbWrittenChunk, 1);

    written->rows = g_strdup(set->identity);
    written->chunk = hb_chunk_copy(chunk);
    written->sum = hb_file_sum_copy(sum);
    g_ptr_array_add(note->chunks, written);
    note->bytes += chunk->bytes;
}

char *hb_note_write_group(const HbGroupNote *note)
{
    json_t *list = json_array();

    for (guint i = 0; i < note->chunks->len; i++) {
        const HbWrittenChunk *written = note->chunks->pdata[i];
        char digest[HB_DIGEST_TEXT_LENGTH + 1];
        hb_digest_write(&written->chunk->digest, digest);
        json_array_append_new(list, json_pack("{s:o, s:o, s:o, s:s, s:o, s:o, s:s}", "rows",
                                              hb_json_text(written->rows), "file", hb_json_text(written->chunk->file),
                                              "count", write_number(written->chunk->digest.rows), "digest", digest,
                                              "bytes", write_number(written->chunk->bytes), "stored",
                                              write_number(written->chunk->stored), "sum", written->sum->sum));
    }
    return take_text(
        json_pack("{s:s, s:o, s:o}", "hornbeam", HB_VERSION, "host", hb_json_text(note->host), "chunks", list));
}

static gboolean read_sum(const json_t *json, HbWrittenChunk *written, GError **error)
{
    const char *sum = json_string_value(json_object_get(json, "sum"));

    if (sum == NULL || strlen(sum) != HB_SUM_TEXT_LENGTH || strspn(sum, "0123456789abcdef") != HB_SUM_TEXT_LENGTH)
        return wrong("sum", error);
    written->sum = g_new0(HbFileSum, 1);
    written->sum->name = g_strdup(written->chunk->file);
    written->sum->bytes = written->chunk->stored;
    memcpy(written->sum->sum, sum, HB_SUM_TEXT_LENGTH);
    return TRUE;
}

static gboolean read_chunk(const json_t *json, HbWrittenChunk *written, GError **error)
{
    g_autofree char *file = NULL;
    const char *digest = json_string_value(json_object_get(json, "digest"));

    if (!get_text(json, "rows", &written->rows, error) || !get_text(json, "file", &file, error))
        return FALSE;
    if (!hb_file_is_safe_name(file) || !g_str_has_prefix(file, "rows/"))
        return wrong("file", error);
    written->chunk = hb_chunk_new(file);
    if (digest == NULL || !hb_digest_read(&written->chunk->digest, digest))
        return wrong("digest", error);
    return get_number(json, "count", HB_LIMIT_BYTES, &written->chunk->digest.rows, error) &&
           get_number(json, "bytes", HB_LIMIT_BYTES, &written->chunk->bytes, error) &&
           get_number(json, "stored", HB_LIMIT_BYTES, &written->chunk->stored, error) && read_sum(json, written, error);
}

HbGroupNote *hb_note_read_group(const char *text, GError **error)
{
    json_t *root = read_note(text, error);
    const json_t *list = json_object_get(root, "chunks");
    g_autoptr(HbGroupNote) note = hb_group_note_new(NULL);
    gboolean ok =
        root != NULL && get_text(root, "host", &note->host, error) && (json_is_array(list) || wrong("chunks", error));

    for (gsize i = 0; ok && i < json_array_size(list); i++) {
        HbWrittenChunk *written = g_new0(HbWrittenChunk, 1);
        g_ptr_array_add(note->chunks, written);
        ok = read_chunk(json_array_get(list, i), written, error);
        note->bytes += ok ? written->chunk->bytes : 0;
    }
    json_decref(root);
    return ok ? g_steal_pointer(&note) : NULL;
}
