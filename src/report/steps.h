/* SPDX-License-Identifier: Apache-2.0 */
/*
 * steps - what a restore would do: its steps, in an order that their needs allow.
 */
#pragma once

#include "work/restore/restore.h"

/* For people; the caller's */
char *hb_restore_plan_page(const HbRestore *restore, gboolean color);

/* Their names alone: char *; the caller's */
GPtrArray *hb_restore_plan_list(const HbRestore *restore);
