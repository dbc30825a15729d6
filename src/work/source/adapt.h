/* SPDX-License-Identifier: Apache-2.0 */
/*
 * adapt - what becomes of a catalog on the way to a target: its version, what the target has, what the user wants kept.
 */
#pragma once

#include "core/select/selection.h"
#include "engine/engine.h"
#include "work/run/observer.h"

/* What the user wants otherwise than it is in the source */
typedef struct {
    gboolean ownership_mine; /* everything belongs to the restoring role */
    gboolean grants_drop;
    gboolean lenient;   /* a rename may find nothing: there are many databases, or only a part is taken */
    GPtrArray *renames; /* HbRename *; NULL: none */
} HbWishes;

/* Fulfils them in an arranged catalog; what is left inside strings becomes an omission. HB_ERROR_USAGE: a
 * new name is taken, or an old one is nothing's */
gboolean hb_adapt_wishes(HbCatalog *catalog, const HbEngine *engine, const HbWishes *wishes, GError **error);

/* Does each old name belong to something? Unless the wishes are lenient, HB_ERROR_USAGE */
gboolean hb_adapt_check_names(const HbCatalog *catalog, const HbEngine *engine, const HbWishes *wishes, GError **error);

/* The parts of it: ownership and grants; one name, in identities and in definitions */
void hb_adapt_rights(HbCatalog *catalog, const HbEngine *engine, const HbWishes *wishes);
gboolean hb_adapt_name(HbCatalog *catalog, const HbEngine *engine, HbRename *rename, GError **error);

/* One name in definitions only; tell: what is left inside strings becomes an omission */
void hb_adapt_definitions(HbCatalog *catalog, const HbEngine *engine, const HbRename *rename, gboolean tell);

/* As hb_selection_apply(), of a catalog in which the wishes have come true: its objects are chosen by the names that
 * they had before, or by their own */
gboolean hb_adapt_choose(const HbSelection *selection, HbCatalog *catalog, const HbEngine *engine,
                         const HbWishes *wishes, GError **error);

/* What a database of this name is to be called; borrowed */
const char *hb_adapt_database(const HbWishes *wishes, const char *name);

/* Names what hb_selection_apply() found to come along, or to be needed and left out */
void hb_adapt_report_pulled_in(HbObservers *observers, const HbSelection *selection, const GPtrArray *pulled_in);

/*
 * Rewrites a dump's arranged catalog, written for servers of version `written_for`, for this target. What is changed or
 * left out becomes an omission.
 */
gboolean hb_adapt_to_target(HbCatalog *catalog, guint written_for, const HbEngine *engine, const HbAddress *address,
                            const HbServerInfo *target, HbTargetState state, GError **error);
