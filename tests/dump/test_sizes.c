/* SPDX-License-Identifier: Apache-2.0 */
/*
 * Sizes at and beside every power of two up to 32 MiB, through everything that writes and reads in blocks: what goes in
 * comes out, whatever the size, whatever the pieces.
 */
#include "support/check.h"

#include "core/rows/row_counter.h"
#include "dump/chunk.h"
#include "dump/store.h"
#include "dump/tar.h"
#include "engine/mariadb/rows/encoding.h"

#include <fcntl.h>
#include <glib/gstdio.h>
#include <string.h>
#include <unistd.h>

#define SIZE_MAX_BITS 25

static char *even_bytes, *odd_bytes; /* 32 MiB and a little: one kind packs to almost nothing, the other not at all */

static gsize longest(void)
{
    return ((gsize)1 << SIZE_MAX_BITS) + 1;
}

static int make_bytes(void **state)
{
    g_autoptr(GRand) random = g_rand_new_with_seed(20261128);

    (void)state;
    even_bytes = g_malloc(longest());
    odd_bytes = g_malloc(longest());
    for (gsize i = 0; i < longest(); i++) {
        even_bytes[i] = i % 64 == 63 ? '\n' : 'x';
        odd_bytes[i] = (char)g_rand_int(random);
    }
    return 0;
}

static int free_bytes(void **state)
{
    (void)state;
    g_free(even_bytes);
    g_free(odd_bytes);
    return 0;
}

/* ---- Chunks and members ---- */

typedef struct {
    const char *name; /* of the dump: its form */
    const char *suffix;
    int level;
} Form;

static const Form forms[] = {
    {"folder", ".rows.zst", 1}, {"folder", ".rows", 0}, {"dump.tar", ".rows.zst", 1}, {"dump.tar", ".rows", 0}};

/* In pieces of this size; 0: at once */
static void pack(HbPacker *packer, const char *file, const char *bytes, gsize length, gsize piece)
{
    guint64 stored;

    assert_true(hb_packer_open(packer, file, NULL));
    for (gsize at = 0; at < length || at == 0;) {
        gsize part = piece == 0 ? length : MIN(piece, length - at);
        assert_true(hb_packer_write(packer, bytes + at, part, NULL));
        at += MAX(part, 1);
    }
    assert_true(hb_packer_close(packer, &stored, NULL));
}

static void expect_bytes(HbUnpacker *unpacker, const char *bytes, gsize length, const char *what)
{
    GError *error = NULL;
    const char *got;
    gsize count = 1, at = 0;

    while (count > 0) {
        if (!hb_unpacker_read(unpacker, &got, &count, &error))
            fail_msg("%s, %zu bytes: %s", what, length, error->message);
        if (count > length - at || memcmp(got, bytes + at, count) != 0)
            fail_msg("%s, %zu bytes: other bytes came back at %zu", what, length, at);
        at += count;
    }
    if (at != length)
        fail_msg("%s: %zu bytes went in, %zu came out", what, length, at);
    hb_unpacker_close(unpacker);
}

static void expect_from_store(const HbStore *store, const char *file, const char *bytes, gsize length)
{
    HbStoreFile opened;
    char *raw;
    gsize raw_length;

    assert_true(hb_store_open_file(store, file, &opened, NULL));
    expect_bytes(hb_unpacker_open(opened.fd, opened.offset, opened.bytes, file), bytes, length, file);
    assert_true(hb_store_read(store, file, G_MAXUINT32, &raw, &raw_length, NULL));
    assert_int_equal(raw_length, opened.bytes);
    g_autoptr(GBytes) held = g_bytes_new_take(raw, raw_length);
    expect_bytes(hb_unpacker_open_bytes(held, file), bytes, length, file);
}

static void sweep_form(const char *parent, const Form *form, const char *bytes, gsize piece)
{
    g_autofree char *path = g_build_filename(parent, form->name, NULL);
    HbStore *store;

    for (int bits = 0; bits <= SIZE_MAX_BITS; bits++) {
        HbFolder *folder = hb_folder_create(path, NULL);
        HbPacker *packer = hb_packer_new(folder, form->level);
        for (int beside = -1; beside <= 1; beside++) {
            g_autofree char *file = g_strdup_printf("rows/t/%d%s", beside + 1, form->suffix);
            pack(packer, file, bytes, ((gsize)1 << bits) + (gsize)beside, piece);
        }
        hb_packer_free(packer);
        assert_true(hb_folder_commit(folder, NULL));
        store = hb_store_open(path, NULL);
        for (int beside = -1; beside <= 1; beside++) {
            g_autofree char *file = g_strdup_printf("rows/t/%d%s", beside + 1, form->suffix);
            expect_from_store(store, file, bytes, ((gsize)1 << bits) + (gsize)beside);
        }
        hb_store_close(store);
        check_remove_folder(g_steal_pointer(&path));
        path = g_build_filename(parent, form->name, NULL);
    }
}

static void a_chunk_of_any_size_comes_back(void **state)
{
    static const gsize pieces[] = {0, 65536};
    char *parent = check_make_folder();

    (void)state;
    for (gsize f = 0; f < G_N_ELEMENTS(forms); f++) {
        for (gsize p = 0; p < G_N_ELEMENTS(pieces); p++)
            sweep_form(parent, &forms[f], even_bytes, pieces[p]);
        sweep_form(parent, &forms[f], odd_bytes, 0);
    }
    check_remove_folder(parent);
}

/* A frame may be followed by another, and by an empty one: the text is what they hold together */
static void frames_one_after_the_other_are_one_text(void **state)
{
    char *parent = check_make_folder();
    g_autofree char *path = g_build_filename(parent, "folder", NULL), *raw = NULL, *twice = NULL;
    HbFolder *folder = hb_folder_create(path, NULL);
    HbPacker *packer = hb_packer_new(folder, 1);
    const gsize length = 256 * 1024;
    gsize raw_length, cut;
    HbStore *store;

    (void)state;
    pack(packer, "rows/t/1.rows.zst", even_bytes, length, 0);
    hb_packer_free(packer);
    assert_true(hb_folder_commit(folder, NULL));
    store = hb_store_open(path, NULL);
    assert_true(hb_store_read(store, "rows/t/1.rows.zst", G_MAXUINT32, &raw, &raw_length, NULL));
    twice = g_malloc(2 * raw_length);
    memcpy(twice, raw, raw_length);
    memcpy(twice + raw_length, raw, raw_length);
    g_autoptr(GBytes) held = g_bytes_new(twice, 2 * raw_length);
    expect_bytes(hb_unpacker_open_bytes(held, "1.zst"), even_bytes, 2 * length, "two frames");
    for (cut = 1; cut < raw_length; cut++) { /* but half a second frame is none */
        g_autoptr(GBytes) part = g_bytes_new(twice, raw_length + cut);
        HbUnpacker *unpacker = hb_unpacker_open_bytes(part, "1.zst");
        GError *error = NULL;
        const char *text;
        gsize count = 1;
        while (count > 0 && hb_unpacker_read(unpacker, &text, &count, &error))
            continue;
        check_error(&error, HB_ERROR_DAMAGED, "too early");
        hb_unpacker_close(unpacker);
    }
    hb_store_close(store);
    check_remove_folder(parent);
}

/* ---- Rows ---- */

static gboolean append(gpointer data, const char *piece, gsize length, GError **error)
{
    (void)error;
    g_string_append_len(data, piece, (gssize)length);
    return TRUE;
}

typedef struct {
    GString *value;
    guint fields, rows;
} Decoded;

static gboolean add_bytes(gpointer data, const char *bytes, gsize length, GError **error)
{
    return append(((Decoded *)data)->value, bytes, length, error);
}

static gboolean end_field(gpointer data, gboolean is_null, GError **error)
{
    (void)error;
    ((Decoded *)data)->fields++;
    return !is_null;
}

static gboolean end_row(gpointer data, GError **error)
{
    (void)error;
    ((Decoded *)data)->rows++;
    return TRUE;
}

/* One row of one value: encoded, counted in pieces, decoded in pieces */
static void pass_row(const char *value, gsize length, const char *hex_columns, gsize piece)
{
    static const HbDecoderEvents events = {.add_bytes = add_bytes, .end_field = end_field, .end_row = end_row};
    g_autoptr(GString) row = g_string_new(NULL), back = g_string_new(NULL);
    char *values[] = {(char *)value};
    const unsigned long lengths[] = {length};
    Decoded decoded = {.value = back};
    HbRowCounter whole, pieces;
    HbEncoder encoder;
    HbDecoder decoder;

    hb_encoder_init(&encoder, hex_columns, 1, append, row);
    assert_true(hb_encoder_write_row(&encoder, values, lengths, NULL));
    hb_encoder_clear(&encoder);
    hb_row_counter_init(&whole, 1);
    hb_row_counter_init(&pieces, 1);
    hb_row_counter_add(&whole, row->str, row->len);
    hb_decoder_init(&decoder, hex_columns, 1, &events, &decoded);
    for (gsize at = 0; at < row->len; at += piece) {
        hb_row_counter_add(&pieces, row->str + at, MIN(piece, row->len - at));
        assert_true(hb_decoder_add(&decoder, row->str + at, MIN(piece, row->len - at), NULL));
    }
    if (back->len != length || memcmp(back->str, value, length) != 0 || decoded.fields != 1 || decoded.rows != 1)
        fail_msg("a value of %zu bytes (%s, pieces of %zu) comes back otherwise", length, hex_columns, piece);
    if (!hb_digest_is_equal(&whole.sum.digest, &pieces.sum.digest) || pieces.wrong_row != 0 ||
        !hb_row_counter_is_whole(&pieces) || whole.sum.digest.rows != 1)
        fail_msg("a row of %zu bytes is counted otherwise in pieces of %zu", length, piece);
    hb_row_counter_clear(&whole);
    hb_row_counter_clear(&pieces);
}

static void a_value_of_any_size_comes_back(void **state)
{
    (void)state;
    for (int bits = 1; bits <= SIZE_MAX_BITS - 2; bits++) {
        for (int beside = -1; beside <= 1; beside++) {
            gsize length = ((gsize)1 << bits) + (gsize)beside;
            pass_row(odd_bytes, length, "t", 65536);
            pass_row(even_bytes, length, "t", 65535);
            pass_row(odd_bytes, length, "x", 262144);
        }
    }
    pass_row(odd_bytes, longest(), "x", 65537);
    for (gsize piece = 1; piece < 70; piece++) { /* whatever stands at a cut: escapes, digits */
        pass_row(odd_bytes, 512, "t", piece);
        pass_row(odd_bytes, 512, "x", piece);
    }
}

/* ---- A tar's members ---- */

static void a_member_of_any_size_comes_back(void **state)
{
    char *parent = check_make_folder();
    g_autofree char *path = g_build_filename(parent, "members.tar", NULL);

    (void)state;
    for (int bits = 0; bits <= SIZE_MAX_BITS; bits++) {
        int fd = open(path, O_RDWR | O_CREAT | O_TRUNC | O_CLOEXEC, 0600);
        HbTarWriter *writer = hb_tar_writer_new(fd);
        HbTarReader *reader;
        HbTarMember member = {0};
        for (int beside = -1; beside <= 1; beside++)
            assert_true(hb_tar_writer_add(writer, "m", odd_bytes, ((gsize)1 << bits) + (gsize)beside, NULL));
        assert_true(hb_tar_writer_close(writer, NULL));
        hb_tar_writer_free(writer);
        lseek(fd, 0, SEEK_SET);
        reader = hb_tar_reader_new(fd, -1, NULL);
        for (int beside = -1; beside <= 1; beside++) {
            gsize length = ((gsize)1 << bits) + (gsize)beside;
            assert_true(hb_tar_reader_next(reader, &member, NULL));
            assert_int_equal(member.bytes, length);
            if (length > 0)
                assert_null(hb_tar_reader_read(reader, &member, length - 1, NULL));
            g_autoptr(GBytes) bytes = hb_tar_reader_read(reader, &member, length, NULL);
            assert_non_null(bytes);
            assert_memory_equal(g_bytes_get_data(bytes, NULL), odd_bytes, length);
        }
        assert_true(hb_tar_reader_next(reader, &member, NULL));
        assert_null(member.name);
        hb_tar_reader_free(reader);
        close(fd);
    }
    check_remove_folder(parent);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_chunk_of_any_size_comes_back),
        cmocka_unit_test(frames_one_after_the_other_are_one_text),
        cmocka_unit_test(a_value_of_any_size_comes_back),
        cmocka_unit_test(a_member_of_any_size_comes_back),
    };
    return cmocka_run_group_tests(tests, make_bytes, free_bytes);
}
