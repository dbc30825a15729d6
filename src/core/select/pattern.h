/* SPDX-License-Identifier: Apache-2.0 */
/*
 * pattern - choosing objects by kind and name: "table:garden.*", "view", "*:loans.*".
 *
 * The kind is one that identities begin with ("table", "foreign-key", "user" for a role), in the singular or plural, or
 * * for any. The name is a glob of * and ?; without it, all objects of the kind are meant. A glob with a dot is held
 * against the whole name, one without against its last component ("tree" is garden.tree). Arguments of functions count
 * only if the glob has a parenthesis. Quotes may be left out.
 */
#pragma once

#include "core/model/object.h"

typedef struct {
    char *text;        /* as the user wrote it */
    gboolean any_kind; /* kind means nothing */
    gboolean database; /* chooses databases of a server: kind means nothing */
    HbKind kind;
    char *glob; /* NULL: any name */
} HbPattern;

/* The caller's, to be freed with hb_pattern_free(). NULL with HB_ERROR_USAGE, naming `option` */
HbPattern *hb_pattern_read(const char *text, const char *option, GError **error);
void hb_pattern_free(HbPattern *pattern);

/* Is the object one of those that are meant? Never for a pattern of databases */
gboolean hb_pattern_fits(const HbPattern *pattern, const HbObject *object);

/* Does it leave the name open, so that nothing need be there? */
gboolean hb_pattern_is_open(const HbPattern *pattern);

/* Does a name of a database fit? Only for a pattern of databases */
gboolean hb_pattern_fits_database(const HbPattern *pattern, const char *database);
