/* SPDX-License-Identifier: Apache-2.0 */
#include "work/dump/older_dumps.h"

#include "core/base/dated_name.h"
#include "core/base/error.h"
#include "dump/folder.h"
#include "dump/object_access.h"

#include <string.h>

typedef struct {
    char *path;
    gint64 moment; /* seconds since 1970 */
    char *source;  /* the same for all dumps of one database, or of one whole server */
} OlderDump;

static void older_dump_free(gpointer data)
{
    OlderDump *dump = data;

    if (dump == NULL)
        return;
    g_free(dump->path);
    g_free(dump->source);
    g_free(dump);
}

static void passed_over_free(gpointer data)
{
    HbPassedOver *one = data;

    g_free(one->path);
    g_free(one->why);
    g_free(one);
}

void hb_older_dumps_clear(HbOlderDumps *result)
{
    g_clear_pointer(&result->removed, g_ptr_array_unref);
    g_clear_pointer(&result->passed_over, g_ptr_array_unref);
}

static void pass_over(HbOlderDumps *result, const char *path, const char *why)
{
    HbPassedOver *one = g_new0(HbPassedOver, 1);

    one->path = g_strdup(path);
    one->why = g_strdup(why);
    g_ptr_array_add(result->passed_over, one);
}

/* ---- Looking ---- */

/* All paths that the pattern stands for, sorted; NULL on error. What was left of some is swept away */
static GPtrArray *list_paths(const char *pattern, gboolean sweeps, GError **error)
{
    g_autofree char *base = hb_folder_get_name(pattern);
    g_autoptr(GPtrArray) names = hb_folder_list_beside(pattern, error);
    GPtrArray *paths = names != NULL ? g_ptr_array_new_with_free_func(g_free) : NULL;

    for (guint i = 0; names != NULL && i < names->len; i++) {
        const char *name = names->pdata[i];
        g_autofree char *removed = hb_folder_read_removed(name), *path = NULL;
        if (sweeps && removed != NULL && hb_dated_name_fits(base, removed)) {
            path = hb_folder_name_beside(pattern, removed);
            hb_folder_sweep(path);
        } else if (hb_dated_name_fits(base, name)) {
            g_ptr_array_add(paths, hb_folder_name_beside(pattern, name));
        }
    }
    return paths;
}

static gint64 read_moment(const HbManifest *manifest)
{
    const char *text = manifest->snapshot_time != NULL ? manifest->snapshot_time : manifest->created;
    g_autoptr(GDateTime) moment = text != NULL ? g_date_time_new_from_iso8601(text, NULL) : NULL;

    return moment != NULL ? g_date_time_to_unix(moment) : G_MAXINT64;
}

static OlderDump *describe(const HbReader *dump)
{
    const HbManifest *manifest = hb_reader_get_manifest(dump);
    OlderDump *older = g_new0(OlderDump, 1);

    older->path = g_strdup(hb_reader_get_path(dump));
    older->moment = read_moment(manifest);
    older->source =
        g_strdup_printf("%s %s %s %s", manifest->engine, manifest->members != NULL ? "server" : "database",
                        manifest->source_id != NULL ? manifest->source_id : manifest->address, manifest->database);
    return older;
}

/* What certainly is an older dump of the same source; NULL: it was passed over */
static OlderDump *look_at(const char *path, const OlderDump *newest, HbOlderDumps *result)
{
    g_autoptr(GError) cause = NULL;
    g_autoptr(HbReader) dump = NULL;
    OlderDump *older;

    if (!hb_object_is_uri(path) && g_file_test(path, G_FILE_TEST_IS_SYMLINK)) {
        pass_over(result, path, "it is a link");
        return NULL;
    }
    dump = hb_reader_open_outside(path, &cause);
    if (dump == NULL) {
        const gboolean is_named = g_str_has_prefix(cause->message, path);
        pass_over(result, path, is_named ? cause->message + strlen(path) + strlen(": ") : cause->message);
        return NULL;
    }
    older = describe(dump);
    if (strcmp(older->source, newest->source) == 0 && older->moment <= newest->moment)
        return older;
    pass_over(result, path,
              older->moment > newest->moment ? "its moment is after that of the newest" : "it is of another source");
    older_dump_free(older);
    return NULL;
}

static gint compare_moments(gconstpointer one, gconstpointer other)
{
    const OlderDump *a = *(OlderDump *const *)one, *b = *(OlderDump *const *)other;

    return a->moment != b->moment ? (a->moment < b->moment ? 1 : -1) : strcmp(b->path, a->path);
}

static gboolean is_same_path(const char *one, const char *other)
{
    if (hb_object_is_uri(one))
        return strcmp(one, other) == 0;
    g_autofree char *a = g_canonicalize_filename(one, NULL), *b = g_canonicalize_filename(other, NULL);

    return strcmp(a, b) == 0;
}

/* Without the newest itself, the latest first */
static GPtrArray *list_older(const char *pattern, const OlderDump *newest, HbOlderDumps *result, GError **error)
{
    g_autoptr(GPtrArray) paths = list_paths(pattern, TRUE, error);
    GPtrArray *dumps = paths != NULL ? g_ptr_array_new_with_free_func(older_dump_free) : NULL;

    for (guint i = 0; paths != NULL && i < paths->len; i++) {
        OlderDump *older =
            is_same_path(paths->pdata[i], newest->path) ? NULL : look_at(paths->pdata[i], newest, result);
        if (older != NULL)
            g_ptr_array_add(dumps, older);
    }
    if (dumps != NULL)
        g_ptr_array_sort(dumps, compare_moments);
    return dumps;
}

/* ---- Removing ---- */

static void remove_dump(const OlderDump *dump, HbOlderDumps *result)
{
    g_autoptr(GError) cause = NULL;

    if (hb_folder_remove(dump->path, &cause)) {
        g_ptr_array_add(result->removed, g_strdup(dump->path));
        return;
    }
    pass_over(result, dump->path, cause->message);
    result->is_incomplete = TRUE;
}

gboolean hb_older_dumps_clear_away(const char *pattern, const HbReader *newest, const HbKeepRule *rule,
                                   HbOlderDumps *result, GError **error)
{
    OlderDump *just_written = describe(newest);
    g_autoptr(GPtrArray) dumps = NULL;

    *result = (HbOlderDumps){.kept = 1,
                             .removed = g_ptr_array_new_with_free_func(g_free),
                             .passed_over = g_ptr_array_new_with_free_func(passed_over_free)};
    dumps = list_older(pattern, just_written, result, error);
    for (guint i = 0; dumps != NULL && i < dumps->len; i++) {
        const OlderDump *dump = dumps->pdata[i];
        const gboolean is_kept =
            result->kept < rule->count || (rule->seconds > 0 && just_written->moment - dump->moment <= rule->seconds);
        result->kept += is_kept;
        if (!is_kept)
            remove_dump(dump, result);
    }
    older_dump_free(just_written);
    return dumps != NULL;
}

char *hb_older_dumps_find_newest(const char *pattern, GError **error)
{
    g_autoptr(GPtrArray) paths = list_paths(pattern, FALSE, error), dumps = NULL;

    if (paths == NULL)
        return NULL;
    dumps = g_ptr_array_new_with_free_func(older_dump_free);
    for (guint i = 0; i < paths->len; i++) {
        g_autoptr(HbReader) dump = hb_reader_open_outside(paths->pdata[i], NULL);
        if (dump != NULL)
            g_ptr_array_add(dumps, describe(dump));
    }
    g_ptr_array_sort(dumps, compare_moments);
    if (dumps->len == 0) {
        hb_error_set(error, HB_ERROR_FILE, "see whether the path is right, and whether a dump has been written",
                     "%s: no dump with such a name is there that can be read", pattern);
        return NULL;
    }
    return g_strdup(((const OlderDump *)dumps->pdata[0])->path);
}
