/* SPDX-License-Identifier: Apache-2.0 */
#include "support/tamper.h"

#include "support/check.h"
#include "support/servers.h"

#include "dump/tar.h"

#include <fcntl.h>
#include <jansson.h>
#include <string.h>
#include <unistd.h>
#include <zstd.h>

G_GNUC_NO_INLINE static char *read_file(const char *dump, const char *file, gsize *length)
{
    g_autofree char *path = g_build_filename(dump, file, NULL);
    char *text = NULL;
    GError *error = NULL;

    g_file_get_contents(path, &text, length, &error);
    check_no_error(error);
    return text;
}

static void write_file(const char *dump, const char *file, const char *text, gsize length)
{
    g_autofree char *path = g_build_filename(dump, file, NULL);
    GError *error = NULL;

    g_file_set_contents(path, text, (gssize)length, &error);
    check_no_error(error);
}

char *tamper_copy(const char *dump)
{
    static int copies;
    char *copy = g_strdup_printf("%s.tampered%d", dump, ++copies);
    g_autofree char *line = g_strdup_printf("cp -a '%s' '%s'", dump, copy);

    servers_run_shell(line);
    return copy;
}

void tamper_sum_up(const char *dump)
{
    gsize length;
    g_autofree char *sums = read_file(dump, "SHA256SUMS", &length);
    g_auto(GStrv) lines = g_strsplit(sums, "\n", -1);
    g_autoptr(GString) text = g_string_new(NULL);

    for (char **line = lines; *line != NULL && **line != '\0'; line++) {
        const char *file = *line + 66;
        g_autofree char *bytes = read_file(dump, file, &length);
        g_autofree char *sum = g_compute_checksum_for_data(G_CHECKSUM_SHA256, (const guchar *)bytes, length);
        g_string_append_printf(text, "%s  %s\n", sum, file);
    }
    write_file(dump, "SHA256SUMS", text->str, text->len);
}

void tamper_file(const char *dump, const char *file, const char *find, const char *put)
{
    gsize length;
    g_autofree char *text = read_file(dump, file, &length);
    g_autoptr(GString) other = g_string_new(text);

    if (g_string_replace(other, find, put, 1) == 0)
        fail_msg("“%s” is not in %s/%s", find, dump, file);
    write_file(dump, file, other->str, other->len);
    tamper_sum_up(dump);
}

static void move_segment(json_t *object, json_int_t place, json_int_t longer)
{
    json_int_t at = json_integer_value(json_object_get(object, "at"));
    json_int_t bytes = json_integer_value(json_object_get(object, "bytes"));

    if (at > place)
        json_object_set_new(object, "at", json_integer(at + longer));
    else if (place < at + bytes)
        json_object_set_new(object, "bytes", json_integer(bytes + longer));
}

static void move_segments(const char *dump, const char *stage, json_int_t place, json_int_t longer)
{
    gsize length, i;
    g_autofree char *text = read_file(dump, "manifest.json", &length);
    json_t *manifest = json_loadb(text, length, 0, NULL), *object;
    char *written;

    json_array_foreach(json_object_get(manifest, "objects"), i, object)
    {
        if (strcmp(json_string_value(json_object_get(object, "stage")), stage) == 0 &&
            json_object_get(object, "at") != NULL)
            move_segment(object, place, longer);
    }
    written = json_dumps(manifest, JSON_INDENT(1));
    write_file(dump, "manifest.json", written, strlen(written));
    free(written);
    json_decref(manifest);
}

static gboolean tamper_stage(const char *dump, const char *stage, const char *find, const char *put)
{
    gsize length;
    char *file = g_strconcat(stage, ".sql", NULL), *text = read_file(dump, file, &length);
    const char *at = strstr(text, find);

    if (at != NULL) {
        move_segments(dump, stage, at - text, (json_int_t)strlen(put) - (json_int_t)strlen(find));
        tamper_file(dump, file, find, put);
    }
    g_free(file);
    g_free(text);
    return at != NULL;
}

void tamper_definitions(const char *dump, const char *find, const char *put)
{
    if (!tamper_stage(dump, "users", find, put) && !tamper_stage(dump, "structure", find, put) &&
        !tamper_stage(dump, "completion", find, put) && !tamper_stage(dump, "settings", find, put))
        fail_msg("“%s” is in none of the definitions of %s", find, dump);
}

static void resize_chunk(json_t *rows, const char *file, json_int_t bytes, json_int_t stored)
{
    json_int_t sum = 0;
    json_t *chunk;
    gsize i;

    json_array_foreach(json_object_get(rows, "chunks"), i, chunk)
    {
        if (strcmp(json_string_value(json_object_get(chunk, "file")), file) == 0) {
            json_object_set_new(chunk, "bytes", json_integer(bytes));
            json_object_set_new(chunk, "stored", json_integer(stored));
        }
        sum += json_integer_value(json_object_get(chunk, "bytes"));
    }
    json_object_set_new(rows, "bytes", json_integer(sum));
}

void tamper_rows(const char *dump, const char *file, const char *text, gsize length)
{
    gsize bound = ZSTD_compressBound(length), manifest_length, i;
    g_autofree char *packed = g_malloc(bound), *manifest_text = read_file(dump, "manifest.json", &manifest_length);
    gsize stored = ZSTD_compress(packed, bound, text, length, 1);
    json_t *manifest = json_loadb(manifest_text, manifest_length, 0, NULL), *rows;
    char *written;

    assert_false(ZSTD_isError(stored));
    write_file(dump, file, packed, stored);
    json_array_foreach(json_object_get(manifest, "rows"), i, rows)
        resize_chunk(rows, file, (json_int_t)length, (json_int_t)stored);
    written = json_dumps(manifest, JSON_INDENT(1));
    write_file(dump, "manifest.json", written, strlen(written));
    free(written);
    json_decref(manifest);
    tamper_sum_up(dump);
}

/* ---- Streams ---- */

static gint compare_texts(gconstpointer one, gconstpointer other)
{
    return strcmp(one, other);
}

/* "sum  name" for each member, as their last ones of each name are */
static char *write_sums(GHashTable *sums)
{
    g_autoptr(GList) names = g_list_sort(g_hash_table_get_keys(sums), compare_texts);
    GString *text = g_string_new(NULL);

    for (GList *at = names; at != NULL; at = at->next)
        g_string_append_printf(text, "%s  %s\n", (char *)g_hash_table_lookup(sums, at->data), (char *)at->data);
    return g_string_free(text, FALSE);
}

static void pass_member(HbTarWriter *writer, GHashTable *sums, GHashTable *seen, const char *name, GBytes *bytes,
                        TamperEdit edit)
{
    int nth = GPOINTER_TO_INT(g_hash_table_lookup(seen, name));
    gsize length = g_bytes_get_size(bytes);
    g_autofree char *text = write_sums(sums), *old = g_strndup(g_bytes_get_data(bytes, NULL), length);
    g_autofree char *edited = edit(name, nth, old, length, text, &length);

    g_hash_table_insert(seen, g_strdup(name), GINT_TO_POINTER(nth + 1));
    assert_true(hb_tar_writer_add(writer, name, edited != NULL ? edited : g_bytes_get_data(bytes, NULL), length, NULL));
    if (strcmp(name, "SHA256SUMS") != 0)
        g_hash_table_insert(
            sums, g_strdup(name),
            g_compute_checksum_for_data(G_CHECKSUM_SHA256,
                                        edited != NULL ? (guchar *)edited : g_bytes_get_data(bytes, NULL), length));
}

void tamper_stream(const char *from, const char *to, TamperEdit edit)
{
    g_autoptr(GHashTable) sums = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    g_autoptr(GHashTable) seen = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    int in = open(from, O_RDONLY | O_CLOEXEC), out = open(to, O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0600);
    HbTarReader *reader = hb_tar_reader_new(in, -1, NULL);
    HbTarWriter *writer = hb_tar_writer_new(out);
    HbTarMember member = {0};

    while (hb_tar_reader_next(reader, &member, NULL) && member.name != NULL) {
        g_autoptr(GBytes) bytes = hb_tar_reader_read(reader, &member, G_MAXUINT32, NULL);
        pass_member(writer, sums, seen, member.name, bytes, edit);
    }
    assert_true(hb_tar_writer_close(writer, NULL));
    hb_tar_writer_free(writer);
    hb_tar_reader_free(reader);
    close(in);
    close(out);
}
