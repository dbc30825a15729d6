/* SPDX-License-Identifier: Apache-2.0 */
/*
 * table_layouts - how the rows of tables stand in the binary log, by what the server's catalog says of their columns,
 * and which tables the log cannot tell about.
 *
 * The log itself says neither whether a number has a sign nor what an ENUM's values are called: that is the catalog's,
 * and true until the table is changed.
 */
#pragma once

#include "core/model/catalog.h"
#include "engine/connector.h"
#include "engine/mariadb/log/binlog.h"

typedef struct {
    const HbRowSet *set;
    char *name;      /* unquoted */
    GArray *columns; /* HbMyLogColumn: all of the table, in its order */
} HbMyLayout;

/* Unquoted names of tables to HbMyLayout *; the caller's. Row sets are borrowed. NULL on error */
GHashTable *hb_my_read_layouts(HbSession *session, const GPtrArray *sets, GError **error);

/* The same without a server: columns come one by one, in their order, each as TABLE_NAME, COLUMN_NAME, DATA_TYPE,
 * COLUMN_TYPE, CHARACTER_SET_NAME */
GHashTable *hb_my_layouts_new(const GPtrArray *sets);
void hb_my_layouts_add(GHashTable *layouts, const char *const *column);

/* Does a table map describe such a table? */
gboolean hb_my_layout_fits(const HbMyLayout *layout, const HbMyTableMap *map);

/* See HbLog */
gboolean hb_my_find_logged(HbSession *session, const char *name, const HbCatalog *catalog, GHashTable *logged,
                           GPtrArray *unlogged, GError **error);
