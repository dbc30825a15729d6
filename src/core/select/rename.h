/* SPDX-License-Identifier: Apache-2.0 */
/*
 * rename - names that become others on the way. The engines know where a name stands in their SQL.
 */
#pragma once

#include "core/model/catalog.h"

typedef enum {
    HB_RENAME_DATABASE,
    HB_RENAME_SCHEMA,
    HB_RENAME_OWNER, /* a user, wherever it is named */
    HB_RENAME_TABLESPACE,
    HB_RENAME_STORAGE /* of a storage engine */
} HbRenameKind;

typedef struct {
    HbRenameKind kind;
    char *old_name; /* unquoted, both */
    char *new_name;
    GHashTable
        *inside; /* of a schema: the plain names of what stands in it, so that an alias is not taken for it; or NULL */
    gboolean left; /* set by an engine: the old name stands inside a string, which is left as it is */
} HbRename;

/* "schema:garden=park" as a user writes it; the caller's, to be freed with hb_rename_free(). NULL with HB_ERROR_USAGE
 */
HbRename *hb_rename_read(const char *text, GError **error);
void hb_rename_free(HbRename *rename);

/* "schema", "owner", ... */
const char *hb_rename_kind_get_name(HbRenameKind kind);

/* The plain names of what stands in a schema of this (plain) name; the caller's */
GHashTable *hb_rename_list_inside(const HbCatalog *catalog, const char *schema);
