/* SPDX-License-Identifier: Apache-2.0 */
/* What comes from outside is not trusted: manifests, sums, chunks */
#include "support/check.h"

#include "core/base/json_text.h"
#include "dump/invariants.h"
#include "dump/reader.h"
#include "dump/store.h"
#include "dump/writer.h"

#include <glib/gstdio.h>
#include <signal.h>
#include <string.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <unistd.h>

static HbManifest *make_manifest(void)
{
    HbManifest *manifest = check_make_manifest();
    HbDigest digest = {0};
    HbStoredRows *rows;
    HbChunk *chunk;

    manifest->database = g_strdup("vale \"\n木");
    manifest->catalog = check_read_catalog("table t\nrows t: table t\nindex i: table t, rows t");
    g_array_set_size(manifest->segments, 3);
    hb_catalog_add_row_set(manifest->catalog, "rows t", "t");
    rows = hb_manifest_add_rows(manifest, hb_catalog_get_row_sets(manifest->catalog)->pdata[0]);
    hb_digest_add_row(&digest, "1", 1);
    chunk = hb_chunk_new("rows/t/0001.rows.zst");
    chunk->digest = rows->digest = digest;
    chunk->bytes = rows->bytes = 2;
    chunk->stored = 15;
    g_ptr_array_add(rows->chunks, chunk);
    hb_catalog_add_omission(manifest->catalog, "cast", "not yet");
    hb_catalog_set_unread(manifest->catalog, HB_KIND_PASSWORD);
    hb_catalog_set_property(manifest->catalog, "encoding", "UTF8");
    return manifest;
}

static void what_was_written_is_read(void **state)
{
    g_autoptr(HbManifest) manifest = make_manifest(), read = NULL;
    g_autofree char *text = hb_manifest_write(manifest), *again = NULL;
    GError *error = NULL;

    (void)state;
    read = hb_manifest_read(text, strlen(text), &error);
    check_no_error(error);
    assert_string_equal(read->database, "vale \"\n木");
    assert_true(hb_catalog_is_unread(read->catalog, HB_KIND_PASSWORD));
    again = hb_manifest_write(read);
    assert_string_equal(again, text);
}

/* Whoever reads dumps with another program relies on it */
static void a_manifest_is_written_as_it_always_was(void **state)
{
    g_autoptr(HbManifest) manifest = make_manifest();
    HbObject *table = (HbObject *)hb_catalog_find(manifest->catalog, "table t");
    HbObject *index = (HbObject *)hb_catalog_find(manifest->catalog, "index i");
    g_autofree char *text = NULL, *golden = NULL;
    GError *error = NULL;

    (void)state;
    g_free(index->on);
    table->owner = g_strdup("ida");
    index->on = g_strdup("table t");
    index->cost = 7;
    index->after = HB_AFTER_ROWS;
    g_array_index(manifest->segments, HbSegment, 0) = (HbSegment){.at = 12, .bytes = 34, .owner_bytes = 5};
    text = hb_manifest_write(manifest);
    g_file_get_contents(HB_SOURCE_DIR "/tests/golden/manifest.json", &golden, NULL, &error);
    check_no_error(error);
    assert_string_equal(text, golden);
}

/* What is done to it is not done to the original */
static void a_copy_is_its_own(void **state)
{
    g_autoptr(HbManifest) manifest = make_manifest();
    g_autofree char *text = hb_manifest_write(manifest), *same = NULL, *after = NULL;
    g_autoptr(GHashTable) gone = g_hash_table_new(g_str_hash, g_str_equal);
    HbManifest *copy;
    HbObject *table;

    (void)state;
    copy = hb_manifest_copy(manifest);
    same = hb_manifest_write(copy);
    assert_string_equal(same, text);
    assert_ptr_equal(((HbStoredRows *)copy->rows->pdata[0])->original, manifest->rows->pdata[0]);
    table = hb_catalog_find(copy->catalog, "table t");
    g_free(table->owner);
    table->owner = g_strdup("somebody");
    g_hash_table_add(gone, (gpointer) "rows t");
    hb_catalog_remove(copy->catalog, gone);
    hb_manifest_drop_rows(copy);
    assert_int_equal(copy->rows->len, 0);
    hb_manifest_free(copy);
    after = hb_manifest_write(manifest);
    assert_string_equal(after, text);
}

/* Of the golden one: what it needs comes before it */
static void every_need_must_stand_before(void **state)
{
    static const struct {
        const char *lines;
        gboolean good;
    } cases[] = {
        {"table a\ntable b\nview v: table a, table b", TRUE},
        {"table a\nview v: table a, table b\ntable b", FALSE},
        {"table b\nview v: table a, table b\ntable a", FALSE},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(HbManifest) manifest = check_make_manifest();
        GError *error = NULL;
        manifest->catalog = check_read_catalog(cases[i].lines);
        g_array_set_size(manifest->segments, hb_catalog_count(manifest->catalog));
        assert_int_equal(hb_invariants_check(manifest, &error), cases[i].good);
        if (cases[i].good)
            check_no_error(error);
        else
            check_error(&error, HB_ERROR_DAMAGED, "view v");
    }
}

static void definitions_lie_within_their_file(void **state)
{
    static const struct {
        HbSegment segment;
        const char *definition; /* NULL: it is refused */
    } cases[] = {
        {{.at = 0, .bytes = 5}, "12345"},
        {{.at = 5, .bytes = 5}, "67890"},
        {{.at = 6, .bytes = 5}, NULL},
        {{.at = 9, .bytes = 1}, "0"},
        {{.at = 11, .bytes = 0}, NULL},
        {{.at = 0, .bytes = 10, .owner_bytes = 1}, NULL},
        {{.at = 0, .bytes = 8, .owner_bytes = 1}, "12345678"},
        {{.at = G_MAXUINT64 - 2, .bytes = 5}, NULL},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(HbManifest) manifest = check_make_manifest();
        GError *error = NULL;
        gboolean ok;
        manifest->catalog = check_read_catalog("table t");
        g_clear_pointer(&hb_catalog_get(manifest->catalog, 0)->definition, g_free);
        g_array_append_val(manifest->segments, cases[i].segment);
        ok = hb_reader_read_definitions(manifest, HB_STAGE_STRUCTURE, "1234567890", 10, &error);
        if (ok != (cases[i].definition != NULL))
            fail_msg("case %zu: %s", i, error != NULL ? error->message : "it was taken");
        if (ok) {
            const char *definition = hb_catalog_get(manifest->catalog, 0)->definition;
            check_no_error(error);
            assert_string_equal(definition != NULL ? definition : "", cases[i].definition);
            assert_string_equal(cases[i].segment.owner_bytes > 0 ? hb_catalog_get(manifest->catalog, 0)->owner_sql
                                                                 : "0",
                                "0"); /* behind the definition and its line end */
        } else {
            check_error(&error, HB_ERROR_DAMAGED, "table t");
        }
    }
}

typedef struct {
    const char *claim;
    const char *find; /* replaced once in a good manifest */
    const char *put;
    const char *message;
} Case;

static const Case cases[] = {
    {"no JSON", "{", "<", "no JSON document"},
    {"cut short", "\"unread\"", "\"unread", "no JSON document"},
    {"another program's file", "hornbeam dump", "shopping list", "format"},
    {"a newer version", "\"version\": 2,", "\"version\": 3,", "format version 3"},
    {"version nought", "\"version\": 2,", "\"version\": 0,", "version"},
    {"a field is missing", "\"engine\"", "\"motor\"", "“engine” is missing"},
    {"a field has another type", "\"server_version\": \"15.1\"", "\"server_version\": 15", "server_version"},
    {"an unknown part", "schema,data", "schema,date", "parts"},
    {"an unknown kind", "\"kind\": \"table\"", "\"kind\": \"tabel\"", "kind"},
    {"identity and kind disagree", "\"identity\": \"table t\"", "\"identity\": \"view t\"", "does not begin with"},
    {"a need that is not there", "\"table t\"\n   ]", "\"table u\"\n   ]", "needs"},
    {"twice the same object", "\"identity\": \"index i\"", "\"identity\": \"index i\", \"identity\": \"index j\"",
     "JSON"},
    {"an absurd size", "\"stored\": 15", "\"stored\": 150000000000000000", "out of all bounds"},
    {"a negative size", "\"stored\": 15", "\"stored\": -15", "out of all bounds"},
    {"a size that is no number", "\"stored\": 15", "\"stored\": \"15\"", "no whole number"},
    {"a path out of the dump", "rows/t/0001.rows.zst", "rows/../../etc/x.rows", "inside the dump"},
    {"an absolute path", "rows/t/0001.rows.zst", "/etc/passwd.rows", "inside the dump"},
    {"another file of the dump", "rows/t/0001.rows.zst", "rows/t/evil.sh", "inside the dump"},
    {"counts that do not add up", "\"bytes\": 2,\n   \"chunks\"", "\"bytes\": 3,\n   \"chunks\"", "add up"},
    {"a digest that is none", "\"digest\": \"", "\"digest\": \"z", "no digest"},
    {"a need that comes later", "\"needs\": []", "\"needs\": [\"index i\"]", "table t needs an object"},
    {"stages the other way round", "\"stage\": \"structure\"", "\"stage\": \"settings\"", "rows t stands behind"},
    {"on something that is no object", "\"needs\": []", "\"needs\": [], \"on\": \"tableofplots\"", "is on something"},
};

static char *replace_once(const char *text, const char *find, const char *put)
{
    const char *at = strstr(text, find);

    if (at == NULL)
        fail_msg("“%s” is not in the manifest: %s", find, text);
    return g_strdup_printf("%.*s%s%s", (int)(at - text), text, put, at + strlen(find));
}

static void bad_manifests_are_refused_with_the_field(void **state)
{
    g_autoptr(HbManifest) manifest = make_manifest();
    g_autofree char *good = hb_manifest_write(manifest);

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *bad = replace_once(good, cases[i].find, cases[i].put);
        GError *error = NULL;
        if (hb_manifest_read(bad, strlen(bad), &error) != NULL)
            fail_msg("%s: the manifest was taken", cases[i].claim);
        check_error(&error, HB_ERROR_DAMAGED, cases[i].message);
    }
}

static void a_manifest_cut_anywhere_is_refused(void **state)
{
    g_autoptr(HbManifest) manifest = make_manifest();
    g_autofree char *good = hb_manifest_write(manifest);

    (void)state;
    for (gsize length = 0; length < strlen(good); length += 7)
        assert_null(hb_manifest_read(good, length, NULL));
}

static void unsafe_names_are_known(void **state)
{
    static const struct {
        const char *name;
        gboolean safe;
    } names[] = {{"rows/garden.plot/0001.rows.zst", TRUE},
                 {"a", TRUE},
                 {"", FALSE},
                 {"/a", FALSE},
                 {"a/../b", FALSE},
                 {"./a", FALSE},
                 {"a//b", FALSE},
                 {"a\nb", FALSE},
                 {"rows/größe.木/1", TRUE},
                 {"..", FALSE},
                 {"a\\b", FALSE},
                 {"..a", TRUE}};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(names); i++)
        assert_int_equal(hb_file_is_safe_name(names[i].name), names[i].safe);
}

/* A name of any bytes comes back from a text that is UTF-8, and no two names have one such text */
static void names_of_any_bytes_come_back(void **state)
{
    static const char *const names[] = {"",
                                        "plot",
                                        "größe 木",
                                        "\xff",
                                        "a\xe4\xf6",
                                        "\xc3",
                                        "\xc3(",
                                        "\xed\xa0\x80",
                                        "\xf4\x8f\xba\x80",
                                        "\xf4\x8f\xb8\x80",
                                        "\x80\xf4\x8f\xbb\xbf",
                                        "\xf4\x8f\xbb"};
    g_autoptr(GHashTable) seen = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(names); i++) {
        char *json = hb_json_text_write(names[i]);
        g_autofree char *back = hb_json_text_read(json);
        assert_true(g_utf8_validate(json, -1, NULL));
        assert_string_equal(back, names[i]);
        assert_true(g_hash_table_add(seen, json));
    }
}

static void definitions_lie_side_by_side(void **state)
{
    static const struct {
        const char *claim;
        HbSegment table, index;
        guint64 structure, completion; /* lengths of the files */
        const char *message;           /* NULL: all is well */
    } segments[] = {
        {"one each", {0, 10, 5}, {3, 4, 0}, 16, 7, NULL},
        {"none", {0, 0, 0}, {3, 4, 0}, 16, 7, "table t has no definition"},
        {"beyond the end", {0, 10, 6}, {3, 4, 0}, 16, 7, "outside of its stage's file"},
        {"beyond the end by overflow", {G_MAXUINT64 - 2, 10, 0}, {3, 4, 0}, 16, 7, "outside of its stage's file"},
        {"behind the end", {17, 1, 0}, {3, 4, 0}, 16, 7, "outside of its stage's file"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(segments); i++) {
        g_autoptr(HbManifest) manifest = make_manifest();
        GError *error = NULL;
        gboolean ok;
        g_array_index(manifest->segments, HbSegment, 0) = segments[i].table;
        g_array_index(manifest->segments, HbSegment, 2) = segments[i].index;
        ok = hb_invariants_check_stage(manifest, HB_STAGE_STRUCTURE, segments[i].structure, &error) &&
             hb_invariants_check_stage(manifest, HB_STAGE_COMPLETION, segments[i].completion, &error);
        assert_int_equal(ok, segments[i].message == NULL);
        if (segments[i].message != NULL)
            check_error(&error, HB_ERROR_DAMAGED, segments[i].message);
    }
    g_autoptr(HbManifest) twice = make_manifest(); /* 21 MB must not become 6 GB */
    GError *error = NULL;
    hb_catalog_get(twice->catalog, 2)->stage = HB_STAGE_STRUCTURE;
    g_array_index(twice->segments, HbSegment, 0) = g_array_index(twice->segments, HbSegment, 2) = (HbSegment){0, 10, 0};
    assert_false(hb_invariants_check_stage(twice, HB_STAGE_STRUCTURE, 16, &error));
    check_error(&error, HB_ERROR_DAMAGED, "shares its definition");
}

static void a_file_is_listed_once(void **state)
{
    g_autofree char *line = g_strdup_printf("%064d  rows/t/0001.rows\n", 0), *twice = g_strconcat(line, line, NULL);
    GError *error = NULL;

    (void)state;
    g_autoptr(GHashTable) sums = hb_folder_read_sums(line, &error);
    assert_non_null(sums);
    assert_null(hb_folder_read_sums(twice, &error));
    check_error(&error, HB_ERROR_DAMAGED, "second time");
}

/* What lies in a dump's folder is read only if it is a file, and really there */
static void nothing_outside_of_a_folder_is_opened(void **state)
{
    char *parent = check_make_folder();
    g_autofree char *path = g_build_filename(parent, "d", NULL), *rows = g_build_filename(path, "rows", NULL);
    g_autofree char *outside = g_build_filename(parent, "outside", NULL), *file = g_build_filename(rows, "file", NULL);
    g_autofree char *link = g_build_filename(rows, "link", NULL), *circle = g_build_filename(rows, "circle", NULL);
    g_autofree char *pipe = g_build_filename(rows, "pipe", NULL), *out = g_build_filename(path, "out", NULL);
    static const struct {
        const char *name, *refusal;
    } files[] = {
        {"rows/file", NULL},         {"rows/link", "no regular file"},     {"rows/circle/file", "no regular file"},
        {"rows/pipe", "no regular"}, {"rows", "no regular file"},          {"out/file", "no regular file"},
        {"rows/none", "missing"},    {"rows/file/file", "no regular file"}};
    g_autoptr(GPtrArray) names = NULL;
    HbStore *store;

    (void)state;
    assert_int_equal(g_mkdir_with_parents(rows, 0700), 0);
    assert_int_equal(g_mkdir_with_parents(outside, 0700), 0);
    assert_true(g_file_set_contents(file, "x", 1, NULL));
    assert_int_equal(symlink("file", link) + symlink("..", circle) + symlink("../outside", out) + mkfifo(pipe, 0600),
                     0);
    store = hb_store_open(path, NULL);
    for (gsize i = 0; i < G_N_ELEMENTS(files); i++) {
        GError *error = NULL;
        HbStoreFile file_in_it;
        assert_int_equal(hb_store_open_file(store, files[i].name, &file_in_it, &error), files[i].refusal == NULL);
        if (files[i].refusal != NULL)
            check_error(&error, HB_ERROR_DAMAGED, files[i].refusal);
        hb_store_close_file(&file_in_it);
    }
    names = hb_store_list(store, NULL);
    assert_int_equal(names->len, 5); /* and comes to an end */
    hb_store_close(store);
    check_remove_folder(parent);
}

/* ---- Chunks ---- */

static char *pack(HbFolder *folder, const char *name, const char *text, int level)
{
    HbPacker *packer = hb_packer_new(folder, level);
    guint64 stored = 0;

    assert_true(hb_packer_open(packer, name, NULL));
    for (int i = 0; i < 3000; i++)
        assert_true(hb_packer_write(packer, text, strlen(text), NULL));
    assert_true(hb_packer_close(packer, &stored, NULL));
    assert_true(stored > 0);
    hb_packer_free(packer);
    return g_strdup(name);
}

static gboolean unpack(const char *folder, const char *name, guint64 *bytes, GError **error)
{
    HbStore *store = hb_store_open(folder, NULL);
    HbStoreFile file;
    HbUnpacker *unpacker =
        hb_store_open_file(store, name, &file, error) ? hb_unpacker_open(file.fd, file.offset, file.bytes, name) : NULL;
    const char *text;
    gsize length = 1;
    gboolean ok = unpacker != NULL;

    *bytes = 0;
    while (ok && length > 0) {
        ok = hb_unpacker_read(unpacker, &text, &length, error);
        *bytes += ok ? length : 0;
    }
    hb_unpacker_close(unpacker);
    hb_store_close(store);
    return ok;
}

static void chunks_survive_and_damage_is_found(void **state)
{
    char *parent = check_make_folder();
    g_autofree char *path = g_build_filename(parent, "d", NULL);
    HbFolder *folder = hb_folder_create(path, NULL);
    g_autofree char *packed = pack(folder, "rows/t/0001.rows.zst", "1\tsome tree\n", 1);
    g_autofree char *plain = pack(folder, "rows/t/0002.rows", "1\tsome tree\n", 0);
    g_autofree char *file = g_build_filename(path, packed, NULL);
    GError *error = NULL;
    guint64 bytes;

    (void)state;
    assert_true(hb_folder_commit(folder, &error));
    assert_true(unpack(path, packed, &bytes, NULL));
    assert_int_equal(bytes, 36000);
    assert_true(unpack(path, plain, &bytes, NULL));
    assert_int_equal(bytes, 36000);
    for (int less = 0; less < 2; less++) { /* a frame may not grow beyond what the manifest says */
        HbStore *store = hb_store_open(path, NULL);
        HbUnpacker *unpacker;
        HbStoreFile stored;
        const char *text;
        gsize length = 1;
        assert_true(hb_store_open_file(store, packed, &stored, NULL));
        unpacker = hb_unpacker_open(stored.fd, stored.offset, stored.bytes, packed);
        hb_unpacker_expect(unpacker, 36000 - (guint64)less);
        while (length > 0 && hb_unpacker_read(unpacker, &text, &length, &error))
            continue;
        if (less > 0)
            check_error(&error, HB_ERROR_DAMAGED, "more comes out");
        check_no_error(error);
        hb_unpacker_close(unpacker);
        hb_store_close(store);
    }
    check_flip_byte(file, 20);
    assert_false(unpack(path, packed, &bytes, &error));
    check_error(&error, HB_ERROR_DAMAGED, packed);
    check_flip_byte(file, 20);
    check_truncate(file, 40);
    assert_false(unpack(path, packed, &bytes, &error));
    check_error(&error, HB_ERROR_DAMAGED, packed);
    check_truncate(file, 0);
    assert_false(unpack(path, packed, &bytes, &error));
    check_error(&error, HB_ERROR_DAMAGED, "too early");
    assert_false(unpack(path, "rows/t/0003.rows", &bytes, &error));
    check_error(&error, HB_ERROR_DAMAGED, "missing");
    check_remove_folder(parent);
}

static void an_unfinished_folder_is_removed(void **state)
{
    char *parent = check_make_folder();
    g_autofree char *path = g_build_filename(parent, "d", NULL);
    HbFolder *folder = hb_folder_create(path, NULL);
    g_autofree char *name = pack(folder, "rows/t/0001.rows", "x\n", 0);
    GError *error = NULL;

    (void)state;
    assert_false(g_file_test(path, G_FILE_TEST_EXISTS));
    hb_folder_discard(folder);
    assert_int_equal(g_rmdir(parent), 0);
    assert_null(hb_folder_create("/nowhere/at/all/d", &error));
    check_error(&error, HB_ERROR_FILE, "/nowhere/at/all");
    g_free(parent);
}

/* Somebody else was quicker: his stays */
static void a_name_that_was_taken_meanwhile_is_not_overwritten(void **state)
{
    static const char *const names[] = {"d", "d.tar"};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(names); i++) {
        char *parent = check_make_folder();
        g_autofree char *path = g_build_filename(parent, names[i], NULL), *text = NULL;
        HbFolder *folder = hb_folder_create(path, NULL);
        g_autofree char *name = pack(folder, "rows/t/0001.rows", "x\n", 0);
        GError *error = NULL;
        assert_true(g_file_set_contents(path, "theirs", 6, NULL));
        assert_false(hb_folder_commit(folder, &error));
        check_error(&error, HB_ERROR_FILE, "exists by now");
        assert_true(g_file_get_contents(path, &text, NULL, NULL));
        assert_string_equal(text, "theirs");
        assert_int_equal(g_unlink(path), 0);
        assert_int_equal(g_rmdir(parent), 0); /* and nothing of ours is left */
        g_free(parent);
    }
}

static void chunks_sort_as_they_are_numbered(void **state)
{
    char *parent = check_make_folder();
    g_autofree char *path = g_build_filename(parent, "d", NULL), *previous = g_strdup("");
    g_autoptr(HbManifest) manifest = make_manifest();
    HbWriter *writer = hb_writer_open(path, NULL, manifest, "", NULL);

    (void)state;
    for (int i = 1; i <= 100100; i++) {
        char *name = hb_writer_name_chunk(writer, hb_catalog_get_row_sets(manifest->catalog)->pdata[0], ".rows");
        assert_true(strcmp(previous, name) < 0);
        g_free(previous);
        previous = name;
    }
    hb_writer_discard(writer);
    check_remove_folder(parent);
}

/* As much as the process may write into one file; what goes beyond it fails as on a full disk */
static void limit_files(rlim_t bytes)
{
    const struct rlimit limit = {bytes, RLIM_INFINITY};

    signal(SIGXFSZ, SIG_IGN);
    assert_int_equal(setrlimit(RLIMIT_FSIZE, &limit), 0);
}

static gboolean write_dump(const char *path, GError **error)
{
    g_autoptr(HbManifest) manifest = make_manifest();
    HbWriter *writer;

    for (guint i = 0; i < hb_catalog_count(manifest->catalog); i++) {
        HbObject *object = hb_catalog_get(manifest->catalog, i);
        g_free(object->definition);
        object->definition = g_strnfill(40, 'x');
    }
    g_ptr_array_set_size(((HbStoredRows *)manifest->rows->pdata[0])->chunks, 0);
    writer = hb_writer_open(path, NULL, manifest, "-- a preamble\n", error);
    return writer != NULL && hb_writer_finish(writer, error);
}

/* Wherever a dump meets the end of the disk: an error that says so, and nothing is left of it */
static void a_full_disk_leaves_nothing(void **state)
{
    static const char *const names[] = {"d.dump", "d.tar"};

    (void)state;
    for (gsize n = 0; n < G_N_ELEMENTS(names); n++) {
        guint failed = 0;
        for (rlim_t bytes = 0;; bytes += 53) {
            char *parent = check_make_folder();
            g_autofree char *path = g_build_filename(parent, names[n], NULL);
            g_autoptr(GDir) left = NULL;
            GError *error = NULL;
            gboolean ok;
            limit_files(bytes);
            ok = write_dump(path, &error);
            limit_files(RLIM_INFINITY);
            if (!ok) {
                check_error(&error, HB_ERROR_FILE, "");
                left = g_dir_open(parent, 0, NULL);
                assert_null(g_dir_read_name(left));
                failed++;
            }
            check_remove_folder(parent);
            if (ok)
                break;
        }
        assert_true(failed > 10);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_was_written_is_read),
        cmocka_unit_test(a_manifest_is_written_as_it_always_was),
        cmocka_unit_test(a_copy_is_its_own),
        cmocka_unit_test(every_need_must_stand_before),
        cmocka_unit_test(definitions_lie_within_their_file),
        cmocka_unit_test(bad_manifests_are_refused_with_the_field),
        cmocka_unit_test(a_manifest_cut_anywhere_is_refused),
        cmocka_unit_test(unsafe_names_are_known),
        cmocka_unit_test(chunks_survive_and_damage_is_found),
        cmocka_unit_test(an_unfinished_folder_is_removed),
        cmocka_unit_test(a_full_disk_leaves_nothing),
        cmocka_unit_test(names_of_any_bytes_come_back),
        cmocka_unit_test(definitions_lie_side_by_side),
        cmocka_unit_test(a_file_is_listed_once),
        cmocka_unit_test(nothing_outside_of_a_folder_is_opened),
        cmocka_unit_test(a_name_that_was_taken_meanwhile_is_not_overwritten),
        cmocka_unit_test(chunks_sort_as_they_are_numbered),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
