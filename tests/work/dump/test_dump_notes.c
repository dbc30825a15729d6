/* SPDX-License-Identifier: Apache-2.0 */
/* What hosts tell each other comes back as it was, and nothing else is believed */
#include "support/check.h"

#include "work/dump/dump_notes.h"

#include "version.h"

#include <string.h>

static HbManifest *make_manifest(const char *column)
{
    HbManifest *manifest = hb_manifest_new();

    manifest->catalog = hb_catalog_new();
    for (guint i = 0; i < 3; i++) {
        g_autofree char *identity = g_strdup_printf("rows t%u\xe9", i); /* no UTF-8 */
        HbRowSet *set = hb_catalog_add_row_set(manifest->catalog, identity, "t");
        g_ptr_array_add(set->columns, g_strdup(column));
        hb_manifest_add_rows(manifest, set);
    }
    return manifest;
}

static const HbRowSet *set_of(const HbManifest *manifest, guint i)
{
    return ((const HbStoredRows *)manifest->rows->pdata[i])->set;
}

static GArray *make_pieces(const HbManifest *manifest)
{
    const HbPiece made[] = {{set_of(manifest, 0), {0, G_MAXUINT64, 7, g_strdup("a < 'x\xff'")}, 0},
                            {set_of(manifest, 0), {G_MAXUINT64 - 1, G_MAXUINT64, 0, NULL}, 0},
                            {set_of(manifest, 2), {1, 2, 3, NULL}, 1}};
    GArray *pieces = hb_pieces_new();

    g_array_append_vals(pieces, made, G_N_ELEMENTS(made));
    return pieces;
}

static void a_moment_comes_back(void **state)
{
    HbSnapshot snapshot = {.token = g_strdup("=0A-1'\xe9"), .time = g_strdup("2026"), .lock_wait_ms = 4000000000u};
    g_autofree char *text = hb_note_write_moment("dump 1", &snapshot), *id = NULL;
    HbSnapshot read = {0};

    (void)state;
    assert_true(hb_note_read_moment(text, &id, &read, NULL));
    assert_string_equal(id, "dump 1");
    assert_string_equal(read.token, snapshot.token);
    assert_string_equal(read.time, snapshot.time);
    assert_null(read.position);
    assert_int_equal(read.lock_wait_ms, snapshot.lock_wait_ms);
    hb_snapshot_clear(&snapshot);
    hb_snapshot_clear(&read);
}

static void a_plan_comes_back_to_who_reads_the_same(void **state)
{
    g_autoptr(HbManifest) manifest = make_manifest("\"größe\""), other = make_manifest("size");
    g_autoptr(GArray) pieces = make_pieces(manifest), read = NULL;
    g_autofree char *text = hb_note_write_plan(manifest, pieces);
    GError *error = NULL;

    (void)state;
    read = hb_note_read_plan(text, manifest, &error);
    check_no_error(error);
    assert_int_equal(read->len, pieces->len);
    for (guint i = 0; i < pieces->len; i++) {
        const HbPiece *one = &g_array_index(pieces, HbPiece, i), *back = &g_array_index(read, HbPiece, i);
        assert_ptr_equal(back->set, one->set);
        assert_true(back->range.first == one->range.first && back->range.end == one->range.end &&
                    back->range.bytes == one->range.bytes && back->group == one->group);
        assert_int_equal(g_strcmp0(back->range.where, one->range.where), 0);
    }
    assert_null(hb_note_read_plan(text, other, &error));
    check_error(&error, HB_ERROR_BLOCKED, "reads other tables or columns");
}

static char *make_group(const HbManifest *manifest)
{
    g_autoptr(HbGroupNote) note = hb_group_note_new("n1:47");
    HbChunk *chunk = hb_chunk_new("rows/t0%E9/0001-3f9ac2.rows.zst");
    HbFileSum sum = {.name = chunk->file, .bytes = 12};

    memset(sum.sum, 'a', HB_SUM_TEXT_LENGTH);
    *chunk = (HbChunk){chunk->file, {.rows = 5, .low = 1, .high = G_MAXUINT64}, 100, 12};
    hb_group_note_add(note, set_of(manifest, 0), chunk, &sum);
    hb_chunk_free(chunk);
    return hb_note_write_group(note);
}

static void what_was_written_comes_back(void **state)
{
    g_autoptr(HbManifest) manifest = make_manifest("a");
    g_autofree char *text = make_group(manifest);
    g_autoptr(HbGroupNote) note = hb_note_read_group(text, NULL);
    const HbWrittenChunk *written;

    (void)state;
    assert_non_null(note);
    assert_string_equal(note->host, "n1:47");
    assert_int_equal(note->bytes, 100);
    assert_int_equal(note->chunks->len, 1);
    written = note->chunks->pdata[0];
    assert_string_equal(written->rows, set_of(manifest, 0)->identity);
    assert_true(written->chunk->digest.rows == 5 && written->chunk->digest.high == G_MAXUINT64);
    assert_string_equal(written->sum->name, written->chunk->file);
    assert_true(written->sum->bytes == 12 && written->sum->sum[HB_SUM_TEXT_LENGTH - 1] == 'a');
}

/* Each text is replaced once, wherever it stands first */
static void what_cannot_be_right_is_refused(void **state)
{
    static const struct {
        const char *what, *by;
        HbErrorCode code;
        const char *named;
    } cases[] = {
        {"\"hornbeam\":\"" HB_VERSION "\"", "\"hornbeam\":\"9.9\"", HB_ERROR_BLOCKED, "runs version 9.9"},
        {"{", "[", HB_ERROR_DAMAGED, "hornbeam"},
        {"\"host\":", "\"ghost\":", HB_ERROR_DAMAGED, "host"},
        {"\"chunks\":[", "\"chunk\":[", HB_ERROR_DAMAGED, "chunks"},
        {"rows/t0", "../t0", HB_ERROR_DAMAGED, "file"},
        {"rows/t0", "rows/../../t0", HB_ERROR_DAMAGED, "file"},
        {"rows/t0", "hosts/t0", HB_ERROR_DAMAGED, "file"},
        {"\"count\":\"5\"", "\"count\":\"-5\"", HB_ERROR_DAMAGED, "count"},
        {"\"count\":\"5\"", "\"count\":5", HB_ERROR_DAMAGED, "count"},
        {"\"bytes\":\"100\"", "\"bytes\":\"99999999999999999999999\"", HB_ERROR_DAMAGED, "bytes"},
        {"\"stored\":\"12\"", "\"stored\":\"\"", HB_ERROR_DAMAGED, "stored"},
        {"\"digest\":\"ffff", "\"digest\":\"FFFF", HB_ERROR_DAMAGED, "digest"},
        {"\"sum\":\"aa", "\"sum\":\"a", HB_ERROR_DAMAGED, "sum"},
        {"\"rows\":", "\"row\":", HB_ERROR_DAMAGED, "rows"},
    };
    g_autoptr(HbManifest) manifest = make_manifest("a");
    g_autofree char *text = make_group(manifest);

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(GString) tampered = g_string_new(text);
        GError *error = NULL;
        assert_int_equal(g_string_replace(tampered, cases[i].what, cases[i].by, 1), 1);
        assert_null(hb_note_read_group(tampered->str, &error));
        check_error(&error, cases[i].code, cases[i].named);
    }
}

/* Groups are numbered from 0 without gaps, and only the reader's own tables are read */
static void a_plan_that_cannot_be_right_is_refused(void **state)
{
    static const char *const cases[][3] = {{"\"group\":\"1\"", "\"group\":\"2\"", "group"},
                                           {"\"group\":\"0\"", "\"group\":\"1\"", "group"},
                                           {"\"rows\":\"rows t2", "\"rows\":\"rows t3", "rows"},
                                           {"\"end\":\"2\"", "\"end\":\"0x2\"", "end"},
                                           {"\"first\":\"1\"", "\"first\":\"\"", "first"}};
    g_autoptr(HbManifest) manifest = make_manifest("a");
    g_autoptr(GArray) pieces = make_pieces(manifest);
    g_autofree char *text = hb_note_write_plan(manifest, pieces);

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(GString) tampered = g_string_new(text);
        GError *error = NULL;
        assert_int_equal(g_string_replace(tampered, cases[i][0], cases[i][1], 1), 1);
        assert_null(hb_note_read_plan(tampered->str, manifest, &error));
        check_error(&error, HB_ERROR_DAMAGED, cases[i][2]);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_moment_comes_back),
        cmocka_unit_test(a_plan_comes_back_to_who_reads_the_same),
        cmocka_unit_test(what_was_written_comes_back),
        cmocka_unit_test(what_cannot_be_right_is_refused),
        cmocka_unit_test(a_plan_that_cannot_be_right_is_refused),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
