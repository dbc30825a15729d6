/* SPDX-License-Identifier: Apache-2.0 */
/*
 * catalog - a database of a MariaDB or MySQL server, read into objects.
 */
#pragma once

#include "engine/mariadb/session/session.h"

HbCatalog *hb_my_read_catalog(GPtrArray *sessions, guint parts, GError **error);
