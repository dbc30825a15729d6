/* SPDX-License-Identifier: Apache-2.0 */
#include "support/check.h"

#include <ftw.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

/* One test of a program alone: TEST='a_name*' build/tests/cli_test_move */
__attribute__((constructor)) static void pick_tests(void)
{
    if (g_getenv("TEST") != NULL)
        cmocka_set_test_filter(g_getenv("TEST"));
}

void check_contains(const char *text, const char *part)
{
    if (text == NULL || strstr(text, part) == NULL)
        fail_msg("“%s” is not in: %s", part, text != NULL ? text : "(nothing)");
}

void check_lacks(const char *text, const char *part)
{
    if (strstr(text, part) != NULL)
        fail_msg("“%s” must not be in: %s", part, text);
}

void check_error(GError **error, HbErrorCode code, const char *part)
{
    if (*error == NULL)
        fail_msg("no error; expected one with “%s”", part);
    if (!hb_error_is(*error, code))
        fail_msg("error code %d, expected %d: %s", (*error)->code, code, (*error)->message);
    check_contains((*error)->message, part);
    g_clear_error(error);
}

void check_no_error(GError *error)
{
    if (error != NULL)
        fail_msg("unexpected error: %s", error->message);
}

static void read_line(HbCatalog *catalog, const char *line)
{
    gboolean breakable = *line == '+';
    g_auto(GStrv) halves = g_strsplit(line + breakable, ":", 2);
    g_auto(GStrv) needs = g_strsplit(halves[1] != NULL ? halves[1] : "", ",", -1);
    char *name = strchr(halves[0], ' ');
    HbObject *object;
    HbKind kind;

    assert_non_null(name);
    *name++ = '\0';
    assert_true(hb_kind_find(halves[0], &kind));
    object = hb_object_new(kind, name);
    if (kind != HB_KIND_ROWS)
        object->definition = g_strdup_printf("create %s %s;", halves[0], name);
    object->stand_in = breakable ? g_strdup_printf("stand in for %s;", name) : NULL;
    for (char **need = needs; *need != NULL; need++) {
        if (*g_strstrip(*need) != '\0')
            hb_object_add_need(object, *need);
    }
    if (object->needs->len > 0 && (kind == HB_KIND_ROWS || kind == HB_KIND_INDEX || kind == HB_KIND_KEY))
        object->on = g_strdup(object->needs->pdata[0]);
    assert_true(hb_catalog_add(catalog, object, NULL));
}

HbCatalog *check_read_catalog(const char *lines)
{
    g_auto(GStrv) split = g_strsplit(lines, "\n", -1);
    HbCatalog *catalog = hb_catalog_new();

    for (char **line = split; *line != NULL; line++) {
        if (**line != '\0')
            read_line(catalog, *line);
    }
    return catalog;
}

HbManifest *check_make_manifest(void)
{
    HbManifest *manifest = hb_manifest_new();

    manifest->id = g_strdup("0b0e6a2c");
    manifest->created = g_strdup("2026-01-01T00:00:00Z");
    manifest->tool = g_strdup("0.1.0");
    manifest->engine = g_strdup("postgresql");
    manifest->product = g_strdup("PostgreSQL");
    manifest->server_version = g_strdup("15.1");
    manifest->address = g_strdup("keeper@old");
    manifest->database_quoted = g_strdup("\"vale\"");
    manifest->snapshot_time = g_strdup("2026-01-01T00:00:01Z");
    manifest->parts = HB_PART_ALL;
    return manifest;
}

char *check_list_identities(const HbCatalog *catalog)
{
    GString *list = g_string_new(NULL);

    for (guint i = 0; i < hb_catalog_count(catalog); i++)
        g_string_append_printf(list, "%s%s", i > 0 ? "; " : "", hb_catalog_get(catalog, i)->identity);
    return g_string_free(list, FALSE);
}

char *check_make_folder(void)
{
    char *path = g_dir_make_tmp("hornbeam-test-XXXXXX", NULL);

    assert_non_null(path);
    return path;
}

static int remove_entry(const char *path, const struct stat *info, int type, struct FTW *at)
{
    (void)info;
    (void)type;
    (void)at;
    return remove(path);
}

void check_remove_folder(char *path)
{
    if (path != NULL)
        nftw(path, remove_entry, 16, FTW_DEPTH | FTW_PHYS);
    g_free(path);
}

void check_flip_byte(const char *path, long at)
{
    FILE *file = fopen(path, "r+");
    int byte;

    assert_non_null(file);
    assert_int_equal(fseek(file, at, at < 0 ? SEEK_END : SEEK_SET), 0);
    byte = fgetc(file);
    assert_int_not_equal(byte, EOF);
    assert_int_equal(fseek(file, -1, SEEK_CUR), 0);
    fputc(byte ^ 0x01, file);
    fclose(file);
}

void check_truncate(const char *path, long length)
{
    assert_int_equal(truncate(path, length), 0);
}

void check_golden(const char *name, const char *text)
{
    g_autofree char *path = g_build_filename(HB_SOURCE_DIR, "tests/golden", name, NULL), *golden = NULL;
    gsize same = 0;

    if (g_getenv("HORNBEAM_RENEW") != NULL)
        assert_true(g_file_set_contents(path, text, -1, NULL));
    if (!g_file_get_contents(path, &golden, NULL, NULL))
        fail_msg("%s is not there", path);
    while (text[same] != '\0' && text[same] == golden[same])
        same++;
    if (text[same] != golden[same]) {
        while (same > 0 && text[same - 1] != '\n')
            same--;
        fail_msg("%s has\n%.600s\nbut it is\n%.600s", name, golden + same, text + same);
    }
}
