/* SPDX-License-Identifier: Apache-2.0 */
/*
 * needs - following needs through a catalog, in either direction, however far.
 */
#pragma once

#include "core/catalog.h"

typedef struct {
    const HbObject *object;
    guint distance; /* 1: directly */
} HbNeed;

/* What the object needs, nearest first, then in the catalog's order: HbNeed. The caller's */
GArray *hb_needs_find_needed(const HbCatalog *catalog, const HbObject *object);

/* What needs the object, likewise */
GArray *hb_needs_find_needing(const HbCatalog *catalog, const HbObject *object);

/* The objects that a user may mean: by identity, or by name alone. HbObject *, borrowed; the array is the caller's */
GPtrArray *hb_needs_find_meant(const HbCatalog *catalog, const char *text);
