/* SPDX-License-Identifier: Apache-2.0 */
#include "dump/folder_inner.h"

#include "core/base/error.h"
#include "dump/limits.h"

#include <string.h>
#include <sys/stat.h>

static gboolean read_sum_line(const char *line, GHashTable *sums, GError **error)
{
    HbFileSum *sum;

    if (strlen(line) < HB_SUM_TEXT_LENGTH + 3 || g_hash_table_contains(sums, line + HB_SUM_TEXT_LENGTH + 2) ||
        strncmp(line + HB_SUM_TEXT_LENGTH, "  ", 2) != 0 || strspn(line, "0123456789abcdef") != HB_SUM_TEXT_LENGTH ||
        !hb_file_is_safe_name(line + HB_SUM_TEXT_LENGTH + 2))
        return hb_error_set(error, HB_ERROR_DAMAGED, NULL,
                            HB_SUMS_FILE ": a line is no sum and file name, or names a file for the second time");
    sum = g_new0(HbFileSum, 1);
    sum->name = g_strdup(line + HB_SUM_TEXT_LENGTH + 2);
    memcpy(sum->sum, line, HB_SUM_TEXT_LENGTH);
    g_hash_table_insert(sums, sum->name, sum);
    return TRUE;
}

GHashTable *hb_folder_read_sums(const char *text, GError **error)
{
    g_autoptr(GHashTable) sums = hb_folder_new_sums();
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);

    for (char **line = lines; *line != NULL; line++) {
        if (**line != '\0' && !read_sum_line(*line, sums, error))
            return NULL;
    }
    return g_steal_pointer(&sums);
}

/* What is no folder is a name, whatever else it is: the open will tell. Links are not followed, and so end somewhere.
 * A folder that goes meanwhile has nothing more in it */
static gboolean list_below(const char *path, const char *prefix, int depth, GPtrArray *names, GError **error)
{
    g_autoptr(GError) cause = NULL;
    g_autoptr(GDir) folder = g_dir_open(path, 0, &cause);
    const char *entry;

    if (folder == NULL && *prefix != '\0' && g_error_matches(cause, G_FILE_ERROR, G_FILE_ERROR_NOENT))
        return TRUE;
    if (folder == NULL)
        return hb_file_error(error, "reading the folder", path);
    while ((entry = g_dir_read_name(folder)) != NULL) {
        g_autofree char *below = g_build_filename(path, entry, NULL);
        g_autofree char *name = *prefix != '\0' ? g_strdup_printf("%s/%s", prefix, entry) : g_strdup(entry);
        struct stat info;
        if (depth == 0 || lstat(below, &info) != 0 || !S_ISDIR(info.st_mode))
            g_ptr_array_add(names, g_steal_pointer(&name));
        else if (!list_below(below, name, depth - 1, names, error))
            return FALSE;
    }
    return TRUE;
}

GPtrArray *hb_folder_list(const char *path, GError **error)
{
    g_autoptr(GPtrArray) names = g_ptr_array_new_with_free_func(g_free);

    if (!list_below(path, "", HB_LIMIT_DEPTH, names, error))
        return NULL;
    g_ptr_array_sort(names, hb_file_compare_names);
    return g_steal_pointer(&names);
}
