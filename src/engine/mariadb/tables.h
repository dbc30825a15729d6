/* SPDX-License-Identifier: Apache-2.0 */
/*
 * tables - tables with their keys, constraints and row sets; sequences.
 */
#pragma once

#include "engine/mariadb/gather.h"

gboolean hb_my_read_tables(HbMyGather *gather, GError **error);
gboolean hb_my_read_sequences(HbMyGather *gather, GError **error);
