/* SPDX-License-Identifier: Apache-2.0 */
/*
 * script - what is peculiar to a script for the stock shell; see HbScriptForm.
 */
#pragma once

#include "core/sql/dialect.h"

char *hb_my_begin_script(const HbCatalog *catalog, const char *database, gboolean guarded);
char *hb_my_script_object(const HbCatalog *catalog, const HbObject *object);
char *hb_my_script_table(const HbRowSet *set);
const char *hb_my_refuse_in_transaction(const HbObject *object);
char *hb_my_begin_script_rows(const HbRowSet *set, gboolean bulk);
char *hb_my_end_script_rows(const HbRowSet *set, gboolean bulk);
HbShellReading hb_my_shell_reads(const HbObject *object);
char *hb_my_demand_strict_shell(void);
