/* SPDX-License-Identifier: Apache-2.0 */
/*
 * table - a sheet as aligned text: numbers at the right, texts at the left, by display width.
 */
#pragma once

#include "core/base/result_table.h"
#include "report/text.h"

/* Appends title (if the sheet has one), heading and rows; "none" for a sheet without rows */
void hb_table_append(GString *out, const HbResultTable *table, gboolean color);
/* The same, but only the first rows, and how many there are more */
void hb_table_append_first(GString *out, const HbResultTable *table, guint most, gboolean color);
