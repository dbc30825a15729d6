/* SPDX-License-Identifier: Apache-2.0 */
/*
 * catalog_builder - what the readers of a catalog share: the names that texts may refer to, and needs read from texts.
 *
 * The servers keep no record of what a view, routine, trigger or event uses: it is read from their texts.
 */
#pragma once

#include "core/model/catalog.h"
#include "core/sql/lexer.h"
#include "engine/mariadb/session/session.h"

/* Objects by name, unquoted and folded as their kind is compared; to identities */
typedef enum { HB_NAMES_RELATION, HB_NAMES_FUNCTION, HB_NAMES_PROCEDURE, HB_NAMES_PACKAGE, HB_NAMES_COUNT } HbNames;

typedef struct HbMyCatalogBuilder HbMyCatalogBuilder;
struct HbMyCatalogBuilder {
    HbSession *session;
    HbCatalog *catalog;
    guint parts;
    gboolean fold_relations; /* names of tables are compared without case */
    char *previous_trigger;  /* identity; the next one on the same event comes after it */
    GHashTable *names[HB_NAMES_COUNT];
    GHashTable *indexes;   /* identity of a table to GPtrArray of its indexes' identities, all borrowed */
    GHashTable *functions; /* names of the database's own, in lower case, known before views are read */
    GHashTable *needed;    /* identities, borrowed, that a text's object needs */
    GPtrArray *texts;      /* what needs are still to be read from */
};

gboolean hb_my_catalog_builder_init(HbMyCatalogBuilder *builder, HbSession *session, guint parts, GError **error);
void hb_my_catalog_builder_clear(HbMyCatalogBuilder *builder);

/* Calls read for each row of a query, until it fails */
typedef gboolean (*HbMyRead)(HbMyCatalogBuilder *builder, MYSQL_ROW row, GError **error);
gboolean hb_my_catalog_builder_each(HbMyCatalogBuilder *builder, const char *sql, HbMyRead read, GError **error);

/* Adds the object, known by this name; takes it, also on failure */
gboolean hb_my_catalog_builder_add(HbMyCatalogBuilder *builder, HbNames names, const char *name, HbObject *object,
                                   GError **error);

/* The identity of a table, view or sequence of this database, borrowed; NULL if there is none of this name */
const char *hb_my_catalog_builder_find(const HbMyCatalogBuilder *builder, HbNames names, const char *name);

/* The object needs what this text names, as far as it is in the catalog when resolve() is called */
void hb_my_catalog_builder_add_text(HbMyCatalogBuilder *builder, HbObject *object, const char *text);
void hb_my_catalog_builder_resolve(HbMyCatalogBuilder *builder);
