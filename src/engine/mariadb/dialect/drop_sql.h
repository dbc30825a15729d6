/* SPDX-License-Identifier: Apache-2.0 */
/*
 * drop_sql - what a target has already: which tables hold rows, and how objects and rows are taken away.
 */
#pragma once

#include "engine/mariadb/session/session.h"

gboolean hb_my_find_rows(HbSession *session, const HbCatalog *catalog, GHashTable *holding, GError **error);
char *hb_my_make_removal(const HbCatalog *catalog, const HbObject *object);
char *hb_my_make_emptying(const HbRowSet *set);
