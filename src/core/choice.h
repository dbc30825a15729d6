/* SPDX-License-Identifier: Apache-2.0 */
/*
 * choice - part of a catalog instead of all of it: what is taken, what is skipped, and what has to come along.
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

#include "core/catalog.h"
#include "core/pattern.h"

typedef struct {
    GPtrArray *take;  /* HbPattern *, owned */
    GPtrArray *skip;  /* HbPattern *, owned */
    gboolean alone;   /* what is needed does not come along */
    gboolean lenient; /* held against many databases: a pattern may fit nothing */
} HbChoice;

HbChoice *hb_choice_new(void);
HbChoice *hb_choice_copy(const HbChoice *choice); /* NULL of NULL */
void hb_choice_free(HbChoice *choice);            /* accepts NULL */
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbChoice, hb_choice_free)

/* For what belongs to no database: only what is to be skipped counts there */
HbChoice *hb_choice_new_for_server(const HbChoice *choice); /* NULL of NULL */

/* Adds a pattern; option is "take" or "skip". HB_ERROR_USAGE */
gboolean hb_choice_add(HbChoice *choice, const char *option, const char *text, GError **error);

/* What must be read for the choice to be made: rows are chosen by their tables, whether or not these are wanted */
guint hb_choice_list_parts(const HbChoice *choice, guint parts);

/* Does it choose among objects at all, or only among databases? NULL chooses nothing */
gboolean hb_choice_is_partial(const HbChoice *choice);

/* Of a whole server: is the database taken and not skipped? NULL takes all */
gboolean hb_choice_takes_database(const HbChoice *choice, const char *database);

/*
 * Takes out of the omissions those of objects that were not chosen, or whose part was not: nobody misses them. One that
 * names no object, or a part of one whose whole is not known, stays
 */
void hb_choice_apply_to_omissions(const HbChoice *choice, guint parts, HbCatalog *catalog);

/*
 * Takes out of an arranged catalog what is not chosen. along (may be NULL) gets the identities (char *) of what comes
 * along or, if alone, of what is needed and does not. strict: unless the choice is lenient, HB_ERROR_USAGE
 * if a take pattern, or a skip pattern without * and ?, fits nothing.
 */
gboolean hb_choice_apply(const HbChoice *choice, HbCatalog *catalog, gboolean strict, GPtrArray *along, GError **error);
