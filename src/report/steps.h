/* SPDX-License-Identifier: Apache-2.0 */
/*
 * steps - what a restore would do: its steps, in an order that their needs allow.
 */
#pragma once

#include "work/restore.h"

/* For people; the caller's */
char *hb_steps_page(const HbRestore *restore, gboolean color);

/* Their names alone: char *; the caller's */
GPtrArray *hb_steps_list(const HbRestore *restore);
