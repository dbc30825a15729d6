/* SPDX-License-Identifier: Apache-2.0 */
/*
 * tables - tables with their keys, constraints and row sets; sequences.
 */
#pragma once

#include "engine/mariadb/catalog/catalog_builder.h"

gboolean hb_my_read_tables(HbMyCatalogBuilder *builder, GError **error);
gboolean hb_my_read_sequences(HbMyCatalogBuilder *builder, GError **error);
