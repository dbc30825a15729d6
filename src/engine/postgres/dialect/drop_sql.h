/* SPDX-License-Identifier: Apache-2.0 */
/*
 * drop_sql - the SQL that drops objects and empties tables.
 *
 * Nothing is dropped with all that hangs on it: what the caller does not know of must hold a drop back.
 */
#pragma once

#include "core/model/catalog.h"

char *hb_pg_make_drop_sql(const HbCatalog *catalog, const HbObject *object);
char *hb_pg_make_empty_sql(const HbRowSet *set);
