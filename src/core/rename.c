/* SPDX-License-Identifier: Apache-2.0 */
#include "core/rename.h"

#include "core/error.h"

#include <string.h>

#define STORAGE "storage:"

HbRename *hb_rename_read(const char *text, GError **error)
{
    const char *equals = strchr(text, '=');
    const char *old_name = text + strlen(STORAGE);
    HbRename *rename;

    if (!g_str_has_prefix(text, STORAGE) || equals == NULL || equals == old_name || equals[1] == '\0') {
        hb_error_set(error, HB_ERROR_USAGE, "for example: --rename storage:MyISAM=InnoDB",
                     "--rename takes storage:OLD=NEW, not “%s”", text);
        return NULL;
    }
    rename = g_new(HbRename, 1);
    *rename = (HbRename){HB_RENAME_STORAGE, g_strndup(old_name, (gsize)(equals - old_name)), g_strdup(equals + 1)};
    return rename;
}

void hb_rename_free(HbRename *rename)
{
    if (rename == NULL)
        return;
    g_free(rename->old_name);
    g_free(rename->new_name);
    g_free(rename);
}
