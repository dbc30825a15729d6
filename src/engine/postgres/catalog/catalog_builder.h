/* SPDX-License-Identifier: Apache-2.0 */
/*
 * catalog_builder - turns the rows of catalog queries into objects of a catalog, and the server's addresses into needs.
 *
 * The server knows its objects by address (catalog, oid). Each query gives the address beside the name, so that the
 * server's own dependency records can be turned into needs. Some objects of ours are none of the server's; their
 * addresses use small numbers in place of the catalog: 1 the rows of a table, 2 its row security, 3 the refresh of a
 * materialized view, 4 a page of large objects, 6 the members of an operator family, 0 none (nothing refers to it).
 *
 * With several sessions in one snapshot, queries that are begun together run side by side.
 */
#pragma once

#include "engine/postgres/session/session.h"

typedef enum { HB_QUERY_OPEN, HB_QUERY_RUNNING, HB_QUERY_DONE } HbQueryState;

typedef struct {
    const char *sql;
    HbQueryState state;
    HbResult *result;
    GError *error;
} HbQuery;

typedef struct {
    HbSession *session;
    HbCatalog *catalog;
    GHashTable *by_address;   /* "classid:objid" to HbObject *, borrowed from the catalog */
    GHashTable *designations; /* HbObject * to what SQL calls it: "TABLE garden.plot" */
    GHashTable *pending;      /* HbObject * to addresses that it needs, joined by commas */

    GPtrArray *helpers; /* GThread * */
    GMutex lock;        /* guards the rest */
    GCond done;
    GArray *queries; /* HbQuery */
    gboolean over;
} HbCatalogBuilder;

void hb_catalog_builder_init(HbCatalogBuilder *builder, HbSession *session);
void hb_catalog_builder_clear(HbCatalogBuilder *builder); /* waits for the helpers */

/* Begins queries in the sessions but the first, which is the gatherer's own; hb_catalog_builder_run() then finds their
 * results
 */
void hb_catalog_builder_begin(HbCatalogBuilder *builder, GPtrArray *sessions, const char *const *queries, guint count);

/* The result of a query of sql/; the caller's */
HbResult *hb_catalog_builder_run(HbCatalogBuilder *builder, const char *sql, GError **error);

/* Adds one object, or all objects, of a result whose columns are kind, classid, objid, name, definition and others */
gboolean hb_catalog_builder_add(HbCatalogBuilder *builder, const PGresult *result, int row, GError **error);
gboolean hb_catalog_builder_read(HbCatalogBuilder *builder, const char *sql, GError **error);

/* For columns since and since_why: before that version nothing expresses the object */
void hb_catalog_builder_set_versions(HbObject *object, const PGresult *result, int row);

/* "classid:objid" from two columns; the caller's */
char *hb_catalog_builder_address(const PGresult *result, int row, const char *class_column, const char *object_column);

/* Needs: what addresses stand for, what the server records, what the queries themselves gave */
gboolean hb_catalog_builder_read_aliases(HbCatalogBuilder *builder, GError **error);
gboolean hb_catalog_builder_read_dependencies(HbCatalogBuilder *builder, GError **error);
void hb_catalog_builder_resolve(HbCatalogBuilder *builder);

/* What a query of columns what and why says is left out */
gboolean hb_catalog_builder_read_omissions(HbCatalogBuilder *builder, const char *sql, GError **error);
