/* SPDX-License-Identifier: Apache-2.0 */
/*
 * spatial_references - MySQL's spatial reference systems that a user has made: a server has them for all of its
 * databases, by number, and a column may demand one. See "CREATE SPATIAL REFERENCE SYSTEM" in its manual.
 */
#pragma once

#include "engine/mariadb/catalog/catalog_builder.h"

/* Those that columns of the builder's database demand; their tables need them */
gboolean hb_my_read_spatial_references(HbMyCatalogBuilder *builder, GError **error);

/* All of a server; none if its product or version has none. They belong to no database */
gboolean hb_my_add_spatial_references(HbSession *session, HbCatalog *catalog, GError **error);
