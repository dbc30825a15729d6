/* SPDX-License-Identifier: Apache-2.0 */
/*
 * drop_sql - what a target has already: which tables hold rows, and how objects and rows are taken away.
 *
 * Nothing is dropped with all that hangs on it: what the caller does not know of must hold a drop back.
 */
#pragma once

#include "engine/postgres/session/session.h"

gboolean hb_pg_find_rows(HbSession *session, const HbCatalog *catalog, GHashTable *holding, GError **error);
char *hb_pg_make_removal(const HbCatalog *catalog, const HbObject *object);
char *hb_pg_make_emptying(const HbRowSet *set);
