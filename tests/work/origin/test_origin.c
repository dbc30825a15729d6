/* SPDX-License-Identifier: Apache-2.0 */
#include "support/check.h"

#include "core/select/rename.h"
#include "work/origin/origin.h"

#include <string.h>

static HbManifest *make_manifest(void)
{
    HbManifest *manifest = hb_manifest_new();

    manifest->id = g_strdup("0a1b");
    manifest->engine = g_strdup("postgresql");
    manifest->source_id = g_strdup("0123456789abcdef");
    manifest->address = g_strdup("keeper@old");
    manifest->database = g_strdup("caf\xe9"); /* no UTF-8 */
    manifest->snapshot_time = g_strdup("2026-11-29T01:02:03Z");
    return manifest;
}

static HbOrigin *reread(const HbOrigin *origin)
{
    g_autofree char *text = hb_origin_write(origin);
    GError *error = NULL;
    HbOrigin *read = hb_origin_read(text, &error);

    check_no_error(error);
    return read;
}

static void what_is_remembered_comes_back(void **state)
{
    g_autoptr(HbManifest) manifest = make_manifest();
    g_autoptr(HbSelection) selection = hb_selection_new();
    g_autoptr(GPtrArray) renames = g_ptr_array_new_with_free_func((GDestroyNotify)hb_rename_free);
    const HbWishes wishes = {.grants_drop = TRUE, .renames = renames}, none = {0};
    GError *error = NULL;

    (void)state;
    hb_selection_add(selection, "take", "table:garden.*", &error);
    hb_selection_add(selection, "skip", "rows:photo=graph", &error);
    g_ptr_array_add(renames, hb_rename_read("schema:garden=pa=rk", &error));
    check_no_error(error);
    g_autoptr(HbOrigin) whole = hb_origin_new(manifest, HB_PART_ALL, selection, &wishes, NULL, TRUE);
    g_autoptr(HbOrigin) read = reread(whole), plain = hb_origin_new(manifest, HB_PART_ALL, NULL, &none, NULL, TRUE);
    assert_string_equal(read->database, manifest->database);
    assert_string_equal(read->moment, manifest->snapshot_time);
    assert_null(read->coming);
    assert_true(read->wishes.grants_drop && !read->wishes.ownership_mine);
    assert_string_equal(((HbRename *)read->wishes.renames->pdata[0])->new_name, "pa=rk");
    assert_true(hb_origin_is_same_choice(whole, read));
    assert_false(hb_origin_is_same_choice(read, plain));
    assert_true(hb_origin_is_same_choice(NULL, plain));

    /* a pass begins: the moment that was whole is still known */
    g_free(manifest->snapshot_time);
    manifest->snapshot_time = g_strdup("2026-11-30T01:02:03Z");
    g_autoptr(HbOrigin) between = hb_origin_new(manifest, HB_PART_ALL, selection, &wishes, read, FALSE);
    g_autoptr(HbOrigin) read_between = reread(between);
    assert_string_equal(read_between->moment, "2026-11-29T01:02:03Z");
    assert_string_equal(read_between->coming, "2026-11-30T01:02:03Z");
}

/* What a log and a hand-over leave, and that a pass keeps it */
static void a_hand_over_is_remembered_by_the_passes_in_it(void **state)
{
    g_autoptr(HbManifest) manifest = make_manifest();
    const HbWishes none = {0};
    const HbHandoverNote note = {.is_opened = TRUE,
                                 .began = (char *)"2026-11-29T01:02:03Z",
                                 .way = (char *)"sessions",
                                 .gate = (char *)"('sessions', \"x'\")",
                                 .closed = (char *)"('read-only')",
                                 .source = (char *)"read-only",
                                 .way_back = TRUE};
    g_autoptr(GPtrArray) day = g_ptr_array_new();

    (void)state;
    manifest->kept_log = g_strdup("hornbeam_0a1b");
    manifest->snapshot_position = g_strdup("0/16B3748");
    g_autoptr(HbOrigin) origin = hb_origin_new(manifest, HB_PART_ALL, NULL, &none, NULL, TRUE);
    origin->gate = g_strdup("('read-only', int64 -1, '')");
    origin->handover = hb_handover_note_copy(&note);
    hb_origin_add_changed(origin, "garden.day");
    hb_origin_add_changed(origin, "garden.night");
    hb_origin_add_changed(origin, "garden.day");
    g_clear_pointer(&manifest->kept_log, g_free);
    g_autoptr(HbOrigin) read = reread(origin), kept = hb_origin_new(manifest, HB_PART_ALL, NULL, &none, read, FALSE);
    assert_string_equal(kept->gate, origin->gate);
    assert_true(kept->handover->is_opened && kept->handover->way_back);
    assert_string_equal(kept->handover->gate, note.gate);
    assert_string_equal(kept->handover->closed, note.closed);
    assert_string_equal(kept->handover->began, note.began);
    assert_string_equal(kept->handover->way, note.way);
    assert_string_equal(kept->handover->source, note.source);
    assert_int_equal(kept->changed->len, 2);
    g_ptr_array_add(day, (gpointer) "garden.day");
    hb_origin_forget_changed(kept, day);
    assert_int_equal(kept->changed->len, 1);
    hb_origin_forget_changed(kept, NULL);
    assert_int_equal(kept->changed->len, 0);
    /* a log that begins anew knows of no changes */
    manifest->kept_log = g_strdup("hornbeam_0a1c");
    g_autoptr(HbOrigin) anew = hb_origin_new(manifest, HB_PART_ALL, NULL, &none, read, TRUE);
    assert_int_equal(anew->changed->len, 0);
    assert_non_null(anew->handover);
}

static void another_source_is_refused(void **state)
{
    static const struct {
        const char *id, *engine;
        gboolean is_same;
    } cases[] = {{"0123456789abcdef", "postgresql", TRUE},
                 {"0123456789abcdee", "postgresql", FALSE},
                 {NULL, "postgresql", TRUE}, /* an old dump does not know it */
                 {"0123456789abcdef", "mariadb", FALSE}};
    g_autoptr(HbManifest) manifest = make_manifest();
    const HbWishes none = {0};
    g_autoptr(HbOrigin) origin = hb_origin_new(manifest, HB_PART_ALL, NULL, &none, NULL, TRUE);

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        GError *error = NULL;
        g_free(manifest->source_id);
        g_free(manifest->engine);
        manifest->source_id = g_strdup(cases[i].id);
        manifest->engine = g_strdup(cases[i].engine);
        assert_int_equal(hb_origin_check_source(origin, manifest, &error), cases[i].is_same);
        if (!cases[i].is_same)
            check_error(&error, HB_ERROR_BLOCKED, "is a copy of database");
    }
}

/* Whoever may write to the target can write it: any cut, any other type */
static void what_is_no_origin_is_refused(void **state)
{
    static const char *const changes[][2] = {{"hornbeam origin", "other origin"},
                                             {"\"layout\":1", "\"layout\":2"},
                                             {"\"parts\":\"", "\"parts\":\"x"},
                                             {"\"renamed\":[", "\"renamed\":[7,"},
                                             {"\"kind\":\"schema\"", "\"kind\":\"x\""},
                                             {"\"take\":[", "\"take\":[{},"},
                                             {"\"take\":[", "\"take\":[\"nonsense:x\","},
                                             {"\"dump\":", "\"dumb\":"},
                                             {"\"address\":", "\"database\":"}};
    g_autoptr(HbManifest) manifest = make_manifest();
    g_autoptr(HbSelection) selection = hb_selection_new();
    g_autoptr(GPtrArray) renames = g_ptr_array_new_with_free_func((GDestroyNotify)hb_rename_free);
    const HbWishes wishes = {.renames = renames};

    (void)state;
    hb_selection_add(selection, "take", "table:tree", NULL);
    g_ptr_array_add(renames, hb_rename_read("schema:garden=park", NULL));
    g_autoptr(HbOrigin) origin = hb_origin_new(manifest, HB_PART_ALL, selection, &wishes, NULL, TRUE);
    g_autofree char *text = hb_origin_write(origin);
    for (gsize i = 0; i < G_N_ELEMENTS(changes); i++) {
        GString *changed = g_string_new(text);
        GError *error = NULL;
        assert_int_equal(g_string_replace(changed, changes[i][0], changes[i][1], 1), 1);
        assert_null(hb_origin_read(changed->str, &error));
        check_error(&error, HB_ERROR_BLOCKED, "the origin in the target");
        g_string_free(changed, TRUE);
    }
    for (gsize length = 0; length < strlen(text); length++) {
        g_autofree char *cut = g_strndup(text, length);
        assert_null(hb_origin_read(cut, NULL));
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_is_remembered_comes_back),
        cmocka_unit_test(a_hand_over_is_remembered_by_the_passes_in_it),
        cmocka_unit_test(another_source_is_refused),
        cmocka_unit_test(what_is_no_origin_is_refused),
    };

    return cmocka_run_group_tests_name("work/origin", tests, NULL, NULL);
}
