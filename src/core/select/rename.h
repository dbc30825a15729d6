/* SPDX-License-Identifier: Apache-2.0 */
/*
 * rename - names that become others on the way. The dialects know where a name stands in their SQL.
 */
#pragma once

#include "core/sql/dialect.h"

/* "schema:garden=park" as a user writes it; the caller's, to be freed with hb_rename_free(). NULL with HB_ERROR_USAGE
 */
HbRename *hb_rename_read(const char *text, GError **error);
void hb_rename_free(HbRename *rename);

/* "schema", "owner", ... */
const char *hb_rename_kind_get_name(HbRenameKind kind);

/* The plain names of what stands in a schema of this (plain) name; the caller's */
GHashTable *hb_rename_list_inside(const HbCatalog *catalog, const char *schema);
