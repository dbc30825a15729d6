/* SPDX-License-Identifier: Apache-2.0 */
/*
 * closure - following needs through a catalog, in either direction, however far.
 */
#pragma once

#include "core/model/catalog.h"

typedef struct {
    const HbObject *object;
    guint distance; /* 1: directly */
} HbClosureItem;

/* What the object needs, nearest first, then in the catalog's order: HbClosureItem. The caller's */
GArray *hb_closure_find_needed(const HbCatalog *catalog, const HbObject *object);

/* What needs the object, likewise */
GArray *hb_closure_find_needing(const HbCatalog *catalog, const HbObject *object);

/* The objects that a user may mean: by identity, or by name alone. HbObject *, borrowed; the array is the caller's */
GPtrArray *hb_closure_find_meant(const HbCatalog *catalog, const char *text);
