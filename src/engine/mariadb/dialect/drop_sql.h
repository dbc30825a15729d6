/* SPDX-License-Identifier: Apache-2.0 */
/*
 * drop_sql - the SQL that drops objects, empties tables, and takes sequences back.
 */
#pragma once

#include "core/model/catalog.h"

char *hb_my_make_drop_sql(const HbCatalog *catalog, const HbObject *object);
char *hb_my_make_empty_sql(const HbRowSet *set);
char *hb_my_make_align_sql(const HbObject *wanted, const HbObject *there);
