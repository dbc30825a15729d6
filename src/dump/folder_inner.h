/* SPDX-License-Identifier: Apache-2.0 */
/*
 * folder_inner - what writing and reading a folder share; no other file includes it.
 */
#pragma once

#include "dump/folder.h"

GHashTable *hb_folder_new_sums(void); /* HbFileSum * by name */
