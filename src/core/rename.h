/* SPDX-License-Identifier: Apache-2.0 */
/*
 * rename - names that become others on the way. The engines know where a name stands in their SQL.
 */
#pragma once

#include <glib.h>

typedef enum { HB_RENAME_DATABASE, HB_RENAME_STORAGE /* of a storage engine */ } HbRenameKind;

typedef struct {
    HbRenameKind kind;
    char *old_name; /* unquoted, both */
    char *new_name;
} HbRename;

/*
 * "storage:MyISAM=InnoDB" as a user writes it; the caller's, to be freed with hb_rename_free(). NULL with
 * HB_ERROR_USAGE. A database is not renamed so, but by the target's URI.
 */
HbRename *hb_rename_read(const char *text, GError **error);
void hb_rename_free(HbRename *rename);
