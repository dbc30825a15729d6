/* SPDX-License-Identifier: Apache-2.0 */
/*
 * column_compat - do the columns of rows that are to come fit a table that is there already?
 */
#pragma once

#include "core/sql/dialect.h"

typedef struct {
    const HbDialect *dialect;
    const HbRowSet *wanted;  /* the rows that come */
    const HbRowSet *there;   /* those of the target's table */
    const char *definition;  /* of the table that the rows come from; NULL: not known */
    const HbCatalog *target; /* has the table, its definition, its defaults */
    const char *table;       /* identity */
} HbColumnCompat;

/*
 * Columns that the target has not, or demands and does not get, are a blocker; a column defined otherwise, or filled
 * with its default, is a warning. Definitions are read line by line, as engines print them: a column each.
 */
void hb_column_compat_check(const HbColumnCompat *input, GPtrArray *findings);
