/* SPDX-License-Identifier: Apache-2.0 */
/*
 * drop_sql - the SQL that drops objects and empties tables.
 */
#pragma once

#include "core/model/catalog.h"

char *hb_my_make_drop_sql(const HbCatalog *catalog, const HbObject *object);
char *hb_my_make_empty_sql(const HbRowSet *set);
