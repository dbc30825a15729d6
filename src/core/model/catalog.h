/* SPDX-License-Identifier: Apache-2.0 */
/*
 * catalog - the objects of one database (its users and settings among them), and what each of them needs.
 *
 * Life: an engine or a dump fills it; hb_order_arrange() completes it and puts it in order; from then on any number of
 * threads may read it without a lock. Who wants it otherwise (restore, verify, script) changes a copy of its own. It
 * owns what is added to it; what it hands out is borrowed until hb_catalog_free().
 */
#pragma once

#include "core/base/digest.h"
#include "core/model/object.h"

typedef struct HbCatalog HbCatalog;

/* The rows of one table: what to read, and an estimate of how much that is */
typedef struct {
    char *identity;     /* of its object: "rows garden.plot" */
    char *table;        /* as the engine quotes it: "garden.plot" */
    GPtrArray *columns; /* char *: as the engine quotes them, in the order of reading; none: the table has no columns */
    GString *hex_columns; /* a letter for each column: t as text, x as hexadecimal digits of its bytes, d as text, NULL
                           * for the column's default; empty: all as text */
    GPtrArray
        *select_expressions; /* char *: expressions that read the columns; NULL: the column itself. Empty: all so */
    GArray *key;   /* guint, rising: places in columns of those that tell each row from all others; empty: none do */
    guint64 bytes; /* estimate of the text */
    guint64 split_extent; /* how far the engine's own unit of splitting reaches; 0: it cannot be split */
    char *split_column;   /* the column that the unit counts; NULL: the engine needs none */
    gboolean has_binary;  /* its values have a form of the engine's own that servers of one major version share */
    gboolean binary;      /* rows are to be read and written in that form: one a piece, without line ends */
    char *condition;      /* SQL that chooses among the rows; NULL: all of them */
    char *barrier;        /* why this role cannot read all rows; NULL: it can */
    char *way_past;       /* what to do about the barrier; NULL without one */
    guint64 number;       /* what the server knows the table by, whatever it is called by now; 0: by its name only */
} HbRowSet;

/* What stands in the source but cannot be carried, and why */
typedef struct {
    char *what;
    char *why;
} HbOmission;

HbRowSet *hb_row_set_copy(const HbRowSet *set);
void hb_row_set_free(HbRowSet *set);

HbOmission *hb_omission_new(const char *what, const char *why);
void hb_omission_free(gpointer omission);

/* Life */
HbCatalog *hb_catalog_new(void);
HbCatalog *hb_catalog_copy(const HbCatalog *catalog); /* all of it; row sets come in the same order */
void hb_catalog_free(HbCatalog *catalog);
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbCatalog, hb_catalog_free)

/* Filling: takes the object, also on failure. HB_ERROR_DUPLICATE if the identity is taken */
gboolean hb_catalog_add(HbCatalog *catalog, HbObject *object, GError **error);
HbRowSet *hb_catalog_add_row_set(HbCatalog *catalog, const char *identity, const char *table);
/* columns: as the set has them. FALSE, and no key: there are none, or not all of them are the set's */
gboolean hb_row_set_set_key(HbRowSet *set, const GPtrArray *columns);
void hb_catalog_add_omission(HbCatalog *catalog, const char *what, const char *why);
void hb_catalog_remove_omission(HbCatalog *catalog, guint index);
void hb_catalog_set_unread(HbCatalog *catalog, HbKind kind); /* the source did not let us read these */
void hb_catalog_set_property(HbCatalog *catalog, const char *name, const char *value);

/* Drops needs that no object of the catalog meets, and the objects of parts that are not chosen */
void hb_catalog_keep_parts(HbCatalog *catalog, guint parts);

/*
 * Rewrites all definitions for servers of this version. What they cannot express is left out, with what needs it; that,
 * and what is lost otherwise, becomes an omission that names them as `product`. The catalog must be arranged.
 */
void hb_catalog_fit(HbCatalog *catalog, guint version, const char *product);

/* How the reason of an omission begins that hb_catalog_fit() leaves out as a whole; the product follows */
#define HB_LEFT_OUT_FOR "left out for "

/* Takes out the objects with these identities, and their row sets. The catalog must be arranged */
void hb_catalog_remove(HbCatalog *catalog, GHashTable *identities);

/*
 * Gives all identities other names: rename() hands out the new one (the caller's), or NULL if it stays. Those of row
 * sets and their tables follow. The catalog must be arranged. HB_ERROR_DUPLICATE, and then it is of no use any more
 */
typedef char *(*HbRenameIdentity)(gpointer data, const char *identity);
gboolean hb_catalog_rename(HbCatalog *catalog, HbRenameIdentity rename, gpointer data, GError **error);

/* Reading */
/* Can all rows of its row sets be read? HB_ERROR_BLOCKED, naming the first table that has a barrier */
gboolean hb_catalog_check_rows(const HbCatalog *catalog, GError **error);

/* Is there all that the object needs, and does it need anything? */
gboolean hb_catalog_has_needs(const HbCatalog *catalog, const HbObject *object);
HbObject *hb_catalog_find(const HbCatalog *catalog, const char *identity); /* NULL if absent */
guint hb_catalog_count(const HbCatalog *catalog);
HbObject *hb_catalog_get(const HbCatalog *catalog, guint place);            /* in the order of adding, or as arranged */
guint hb_catalog_get_place(const HbCatalog *catalog, const char *identity); /* the object must exist */
const GPtrArray *hb_catalog_get_row_sets(const HbCatalog *catalog);         /* HbRowSet * */
GHashTable *hb_catalog_index_row_sets(const HbCatalog *catalog);     /* by identity; all borrowed but the table */
const GPtrArray *hb_catalog_get_omissions(const HbCatalog *catalog); /* HbOmission * */
guint64 hb_catalog_count_bytes(const HbCatalog *catalog);            /* of all row sets, estimated */
GHashTable *hb_catalog_get_properties(const HbCatalog *catalog);     /* char * to char *: the database's own */
gboolean hb_catalog_is_unread(const HbCatalog *catalog, HbKind kind);

/* For order: makes places[i] the object at place i (each object stands there once) and takes places. Sorts row sets */
void hb_catalog_take_order(HbCatalog *catalog, GPtrArray *places);
