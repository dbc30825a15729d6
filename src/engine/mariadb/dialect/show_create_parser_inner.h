/* SPDX-License-Identifier: Apache-2.0 */
/*
 * show_create_parser_inner - the parser of a table, and that of its items; no other file includes it.
 */
#pragma once

#include "engine/mariadb/dialect/show_create_parser.h"

HbItem *hb_show_create_read_item(const char *text, const char *charset);
