/* SPDX-License-Identifier: Apache-2.0 */
/*
 * graph - the needs of a dump's objects as a picture: tables and views with arrows to what they need. Parts are folded
 * into their object, so a foreign key is an arrow from table to table.
 *
 * Up to so many relations all of them are drawn; of more, the schemas with the arrows between them, or
 * those that most hangs on if they stand in one schema. Around one object,
 * what it needs and what needs it is drawn, whatever its kind.
 */
#pragma once

#include "core/model/catalog.h"

#define HB_GRAPH_RELATIONS_MAX 120

/* Where there are more, and they all stand in one schema, so many of them are drawn: those that most hangs on */
#define HB_GRAPH_HUBS 40

/* DOT, the language of Graphviz; around: NULL for all. The caller's */
char *hb_graph_write_dot(const HbCatalog *catalog, const HbObject *around);

/* Lays the DOT text out and writes it in the form that the path's ending names: .svg, .png or .dot. HB_ERROR_FILE,
 * HB_ERROR_USAGE. One picture in a process: Graphviz 2.43 keeps a font's name of the last one, and frees it */
gboolean hb_graph_write_file(const char *dot, const char *path, GError **error);
