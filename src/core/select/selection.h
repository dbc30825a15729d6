/* SPDX-License-Identifier: Apache-2.0 */
/*
 * selection - part of a catalog instead of all of it: what is taken, what is skipped, and what has to come along.
 *
 *     taken        fits a take pattern, stands in a schema that does, or is a part of what does (its rows, keys)
 *     skipped      likewise; skipping wins over taking
 *     comes along  is needed by what is taken, however far; with those of its parts that need nothing more
 *     lost         needs what is skipped: becomes an omission that says so
 *
 * What comes along has no rows, unless a foreign key of what is taken points to them. Without a take pattern everything
 * is taken.
 */
#pragma once

#include "core/model/catalog.h"
#include "core/select/pattern.h"
#include "core/sql/dialect.h"

typedef struct {
    GPtrArray *take;        /* HbPattern *, owned */
    GPtrArray *skip;        /* HbPattern *, owned */
    gboolean without_needs; /* what is needed does not come along */
    gboolean lenient;       /* held against many databases: a pattern may fit nothing */
} HbSelection;

HbSelection *hb_selection_new(void);
HbSelection *hb_selection_copy(const HbSelection *selection); /* NULL of NULL */
void hb_selection_free(HbSelection *selection);               /* accepts NULL */
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbSelection, hb_selection_free)

/* For what belongs to no database: only what is to be skipped counts there */
HbSelection *hb_selection_new_for_server(const HbSelection *selection); /* NULL of NULL */

/* Adds a pattern; option is "take" or "skip". HB_ERROR_USAGE */
gboolean hb_selection_add(HbSelection *selection, const char *option, const char *text, GError **error);

/* What must be read for the choice to be made: rows are chosen by their tables, whether or not these are wanted */
guint hb_selection_list_parts(const HbSelection *selection, guint parts);

/* Does it choose among objects at all, or only among databases? NULL chooses nothing */
gboolean hb_selection_is_partial(const HbSelection *selection);

/* Of a whole server: is the database taken and not skipped? NULL takes all */
gboolean hb_selection_takes_database(const HbSelection *selection, const char *database);

/*
 * Takes out of the omissions those of objects that were not chosen, or whose part was not: they are not missed. One
 * that names no object, or a part of one whose whole is not known, stays
 */
void hb_selection_apply_to_omissions(const HbSelection *selection, guint parts, HbCatalog *catalog);

/*
 * Takes out of an arranged catalog what is not chosen. along (may be NULL) gets the identities (char *) of what comes
 * along or, if alone, of what is needed and does not. strict: unless the choice is lenient, HB_ERROR_USAGE
 * if a take pattern, or a skip pattern without * and ?, fits nothing.
 */
gboolean hb_selection_apply(const HbSelection *selection, HbCatalog *catalog, const HbDialect *dialect, gboolean strict,
                            GPtrArray *pulled_in, GError **error);
