/* SPDX-License-Identifier: Apache-2.0 */
/*
 * json_types - the values of MySQL's JSON columns of which a text says less than they are.
 *
 * A function may put a date, a time, a decimal or bytes into a JSON value. As text it reads like a string or a number,
 * and comes back as one (MySQL's manual, "The JSON Data Type"; "Comparison and Ordering of JSON Values").
 */
#pragma once

#include "engine/mariadb/session/session.h"

/* See HbSource. Reads the JSON columns of the catalog's row sets; the sessions share the pieces of tables */
gboolean hb_my_name_text_losses(GPtrArray *sessions, HbCatalog *catalog, GError **error);
