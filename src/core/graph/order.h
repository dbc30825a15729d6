/* SPDX-License-Identifier: Apache-2.0 */
/*
 * order - the order in which the objects of a catalog can be created.
 *
 * An object comes after what it needs; otherwise by stage, kind and identity, so that equal catalogs give equal dumps.
 * An object whose needs stand in a later stage moves to that stage; one whose needs wait for everything waits, too.
 * Circles are broken at an object that has a stand-in: a placeholder is created first, the circle's other members then
 * need the placeholder, and the object itself replaces it when its own needs are there.
 *
 * Cost: O((objects + needs) * log objects) without circles.
 */
#pragma once

#include "core/model/catalog.h"

/*
 * Arranges the catalog: drops needs that nothing meets, adds placeholders, lifts stages, puts the objects in order.
 * Fails with HB_ERROR_CIRCLE, naming the circle, if no member has a stand-in; the catalog is then unchanged but for
 * placeholders already added.
 */
gboolean hb_order_arrange(HbCatalog *catalog, GError **error);
