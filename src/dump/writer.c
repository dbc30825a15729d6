/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/writer.h"

#include "dump/shared_folder.h"

#include <string.h>

/* Folder names are cut to this, so that any file system takes them */
#define FOLDER_NAME_LIMIT 120

struct HbWriter {
    HbManifest *manifest; /* borrowed */
    char *preamble;
    HbFolder *folder;
    gboolean is_stream;
    GMutex lock;                    /* guards the two tables */
    GHashTable *folders;            /* HbRowSet * to its folder's name */
    GHashTable *taken;              /* folder names in use */
    GHashTable *numbers;            /* HbRowSet * to the number of its last chunk */
    char *tag;                      /* "-3f9ac2", behind a chunk's number; NULL: no other host writes */
    const HbRecipients *recipients; /* NULL: it is not sealed */
};

/* ---- Names of chunks ---- */

/* Letters, digits and a few signs stay; any other byte becomes %XX, so that different names stay different */
static char *folder_name(const char *table)
{
    const gboolean is_text = g_utf8_validate(table, -1, NULL);
    GString *name = g_string_new(NULL);

    for (const char *at = table; *at != '\0'; at++) {
        if (g_ascii_isalnum(*at) || strchr("_-.", *at) != NULL || (is_text && (*at & 0x80) != 0))
            g_string_append_c(name, *at);
        else
            g_string_append_printf(name, "%%%02X", (unsigned char)*at);
    }
    if (name->str[0] == '.')
        g_string_prepend(name, "%");
    if (name->len > FOLDER_NAME_LIMIT) {
        g_autofree char *whole = g_strdup(name->str);
        const char *end = name->str + FOLDER_NAME_LIMIT;
        while ((*end & 0xC0) == 0x80)
            end--;
        g_string_truncate(name, (gsize)(end - name->str));
        g_string_append_printf(name, "~%08x", g_str_hash(whole));
    }
    return g_string_free(name, FALSE);
}

static const char *find_folder(HbWriter *writer, const HbRowSet *set)
{
    char *name = g_hash_table_lookup(writer->folders, set);

    if (name != NULL)
        return name;
    name = folder_name(set->table);
    while (g_hash_table_contains(writer->taken, name)) {
        char *longer = g_strconcat(name, "~", NULL);
        g_free(name);
        name = longer;
    }
    g_hash_table_insert(writer->folders, (gpointer)set, name);
    g_hash_table_add(writer->taken, name);
    return name;
}

/* So that names sort as numbers: 9999 before a10000 before b100000 */
static const char *rank_of(guint number)
{
    static const char *const ranks[] = {"", "a", "b", "c", "d", "e", "f"};
    gsize rank = 0;

    for (; number > 9999; number /= 10)
        rank++;
    return ranks[MIN(rank, G_N_ELEMENTS(ranks) - 1)];
}

char *hb_writer_name_chunk(HbWriter *writer, const HbRowSet *set, const char *suffix)
{
    char *name;
    guint number;

    g_mutex_lock(&writer->lock);
    number = GPOINTER_TO_UINT(g_hash_table_lookup(writer->numbers, set)) + 1;
    g_hash_table_insert(writer->numbers, (gpointer)set, GUINT_TO_POINTER(number));
    name = g_strdup_printf("rows/%s/%s%04u%s%s", find_folder(writer, set), rank_of(number), number,
                           writer->tag != NULL ? writer->tag : "", suffix);
    g_mutex_unlock(&writer->lock);
    return name;
}

void hb_writer_remove_chunk(HbWriter *writer, const HbChunk *chunk)
{
    hb_folder_remove_file(writer->folder, chunk->file);
}

/* ---- Life ---- */

static HbWriter *writer_new(HbFolder *folder, gboolean is_stream, HbManifest *manifest, const char *preamble)
{
    HbWriter *writer = g_new0(HbWriter, 1);

    writer->manifest = manifest;
    writer->preamble = g_strdup(preamble);
    writer->folder = folder;
    writer->is_stream = is_stream;
    writer->folders = g_hash_table_new_full(NULL, NULL, NULL, g_free);
    writer->taken = g_hash_table_new(g_str_hash, g_str_equal);
    writer->numbers = g_hash_table_new(NULL, NULL);
    g_mutex_init(&writer->lock);
    return writer;
}

/* Takes the folder (NULL: there is none), and the writer seals for the same recipients */
static HbWriter *open_folder(HbFolder *folder, gboolean is_stream, const HbRecipients *recipients, HbManifest *manifest,
                             const char *preamble, GError **error)
{
    HbWriter *writer;

    if (folder == NULL)
        return NULL;
    if (recipients != NULL && !hb_folder_seal_for(folder, recipients, error)) {
        hb_folder_discard(folder);
        return NULL;
    }
    writer = writer_new(folder, is_stream, manifest, preamble);
    writer->recipients = recipients;
    return writer;
}

HbWriter *hb_writer_open(const char *path, const HbRecipients *recipients, HbManifest *manifest, const char *preamble,
                         GError **error)
{
    return open_folder(hb_folder_create(path, error), hb_folder_is_stream(path), recipients, manifest, preamble, error);
}

static void writer_free(HbWriter *writer)
{
    g_hash_table_unref(writer->taken);
    g_hash_table_unref(writer->folders);
    g_hash_table_unref(writer->numbers);
    g_mutex_clear(&writer->lock);
    g_free(writer->preamble);
    g_free(writer->tag);
    g_free(writer);
}

void hb_writer_discard(HbWriter *writer)
{
    if (writer == NULL)
        return;
    hb_folder_discard(writer->folder);
    writer_free(writer);
}

HbPacker *hb_writer_new_packer(HbWriter *writer, int level)
{
    return hb_packer_new(writer->folder, level);
}

/* ---- The SQL files ---- */

/* A comment ends with its line: a name with a line end in it must not end it early */
static void append_comment(GString *sql, const char *text)
{
    g_string_append(sql, "-- ");
    for (; *text != '\0'; text++) {
        if (g_ascii_iscntrl(*text))
            g_string_append_printf(sql, "\\x%02X", (unsigned char)*text);
        else
            g_string_append_c(sql, *text);
    }
    g_string_append_c(sql, '\n');
}

static void append_object(GString *sql, const HbObject *object, HbSegment *segment)
{
    append_comment(sql, object->identity);
    segment->at = sql->len;
    segment->bytes = strlen(object->definition);
    g_string_append(sql, object->definition);
    g_string_append_c(sql, '\n');
    if (object->owner_sql != NULL) {
        segment->owner_bytes = strlen(object->owner_sql);
        g_string_append(sql, object->owner_sql);
        g_string_append_c(sql, '\n');
    }
    g_string_append_c(sql, '\n');
}

static void append_server_settings(GString *sql, const GPtrArray *survey)
{
    for (guint i = 0; i < survey->len; i++) {
        const HbResultTable *table = survey->pdata[i];
        if (strcmp(table->key, "settings") != 0)
            continue;
        append_comment(sql, "The server's own settings that differed from their defaults, for information:");
        for (guint r = 0; r < table->rows->len; r++) {
            g_autofree char *line =
                g_strdup_printf("  %s = %s", hb_result_table_get(table, r, 0), hb_result_table_get(table, r, 1));
            append_comment(sql, line);
        }
        g_string_append_c(sql, '\n');
    }
}

static gboolean write_stage(HbWriter *writer, HbStage stage, GError **error)
{
    HbManifest *manifest = writer->manifest;
    g_autofree char *file = g_strdup_printf("%s.sql", hb_stage_get_name(stage));
    g_autofree char *title = manifest->members != NULL
                                 ? g_strdup_printf("Hornbeam dump of a whole server: %s", hb_stage_get_name(stage))
                                 : g_strdup_printf("Hornbeam dump of database %s at %s: %s", manifest->database,
                                                   manifest->snapshot_time, hb_stage_get_name(stage));
    g_autoptr(GString) sql = g_string_new(NULL);

    append_comment(sql, title);
    g_string_append_printf(sql, "%s\n", writer->preamble);
    if (stage == HB_STAGE_SETTINGS)
        append_server_settings(sql, manifest->survey);
    for (guint i = 0; i < hb_catalog_count(manifest->catalog); i++) {
        const HbObject *object = hb_catalog_get(manifest->catalog, i);
        if (object->stage == stage && object->definition != NULL)
            append_object(sql, object, &g_array_index(manifest->segments, HbSegment, i));
    }
    return hb_folder_write_file(writer->folder, file, sql->str, sql->len, error);
}

static gboolean write_stages(HbWriter *writer, GError **error)
{
    g_array_set_size(writer->manifest->segments, hb_catalog_count(writer->manifest->catalog));
    for (int stage = 0; stage < HB_STAGE_COUNT; stage++) {
        if (stage != HB_STAGE_ROWS && !write_stage(writer, (HbStage)stage, error))
            return FALSE;
    }
    return TRUE;
}

static char *member_folder(const char *database)
{
    g_autofree char *name = folder_name(database);

    return g_strdup_printf(HB_MEMBERS_FOLDER "/%s", name);
}

HbWriter *hb_writer_open_member(HbWriter *outer, const char *database, HbManifest *manifest, const char *preamble,
                                GError **error)
{
    g_autofree char *name = member_folder(database);

    if (outer->is_stream)
        return open_folder(hb_folder_create_below(outer->folder, name), TRUE, outer->recipients, manifest, preamble,
                           error);
    if (!hb_folder_make_below(outer->folder, HB_MEMBERS_FOLDER, error))
        return NULL;
    return open_folder(hb_folder_create_inside(outer->folder, name, error), FALSE, outer->recipients, manifest,
                       preamble, error);
}

void hb_writer_add_member(HbWriter *writer, const char *database, guint64 bytes)
{
    hb_manifest_add_member(writer->manifest, g_strdup(database), member_folder(database), bytes);
}

static gboolean write_manifest(HbWriter *writer, GError **error)
{
    g_autofree char *text = hb_manifest_write(writer->manifest);

    return hb_folder_write_file(writer->folder, HB_MANIFEST_FILE, text, strlen(text), error);
}

/* So that older dumps can be told apart where nobody has a key */
static gboolean write_label(HbWriter *writer, GError **error)
{
    g_autofree char *text = writer->recipients != NULL ? hb_manifest_write_label(writer->manifest) : NULL;

    return text == NULL || hb_folder_write_file(writer->folder, HB_LABEL_FILE, text, strlen(text), error);
}

/* Chunks say by their folder which rows they hold */
static void name_folders(HbWriter *writer)
{
    for (guint i = 0; i < writer->manifest->rows->len; i++) {
        HbStoredRows *rows = writer->manifest->rows->pdata[i];
        rows->folder = g_strdup(find_folder(writer, rows->set));
    }
}

/* ---- Several hosts ---- */

HbWriter *hb_writer_join(const char *path, const char *place, HbManifest *manifest, GError **error)
{
    return open_folder(hb_shared_folder_join(path, place, error), FALSE, NULL, manifest, NULL, error);
}

/* Two tables may have folders of similar names: who comes first must not depend on which host is faster */
void hb_writer_share(HbWriter *writer, const char *tag)
{
    writer->tag = g_strdup_printf("-%s", tag);
    for (guint i = 0; i < writer->manifest->rows->len; i++)
        find_folder(writer, ((const HbStoredRows *)writer->manifest->rows->pdata[i])->set);
}

HbFolder *hb_writer_get_folder(const HbWriter *writer)
{
    return writer->folder;
}

void hb_writer_leave(HbWriter *writer)
{
    if (writer == NULL)
        return;
    hb_shared_folder_leave(writer->folder);
    writer_free(writer);
}

/* ---- The end ---- */

static gboolean write_early_sums(HbWriter *writer, GError **error)
{
    g_autofree char *text = hb_folder_make_sums(writer->folder);

    return hb_folder_write_file(writer->folder, HB_SUMS_FILE, text, strlen(text), error);
}

gboolean hb_writer_begin_rows(HbWriter *writer, GError **error)
{
    gboolean ok;

    if (!writer->is_stream)
        return TRUE;
    name_folders(writer);
    writer->manifest->rows_follow = TRUE;
    ok = write_stages(writer, error) && write_manifest(writer, error) && write_early_sums(writer, error);
    writer->manifest->rows_follow = FALSE;
    return ok;
}

gboolean hb_writer_finish(HbWriter *writer, GError **error)
{
    gboolean ok = (writer->is_stream || write_stages(writer, error)) && write_label(writer, error) &&
                  write_manifest(writer, error);

    if (ok)
        ok = hb_folder_commit(writer->folder, error);
    else
        hb_folder_discard(writer->folder);
    writer_free(writer);
    return ok;
}
