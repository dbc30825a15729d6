/* SPDX-License-Identifier: Apache-2.0 */
/*
 * routines - what holds SQL text of its own: views, functions, procedures, packages, triggers, events.
 *
 * Each remembers the sql_mode, character set, collation and time zone under which it was created: its definition sets
 * them around its creation.
 */
#pragma once

#include "engine/mariadb/catalog/catalog_builder.h"

gboolean hb_my_read_programs(HbMyCatalogBuilder *builder, GError **error);
