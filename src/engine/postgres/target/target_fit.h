/* SPDX-License-Identifier: Apache-2.0 */
/*
 * target_fit - a catalog adapted to what a target has: its tablespaces, its extensions' versions, its settings.
 */
#pragma once

#include "engine/postgres/session/session.h"

/* The server's number for a version as people write it ("15", "15.4"); 0 if this engine does not know it */

gboolean hb_pg_fit_target(const HbAddress *address, HbTargetState state, guint written_for, HbCatalog *catalog,
                          GError **error);

/* An extension of a catalog that the target's database has already, with what differs. Borrowed texts but for copies */
typedef struct {
    const HbObject *object;
    const char *name;                /* quoted; the object's */
    char *schema, *version;          /* on the target; the schema quoted */
    char *wanted_schema;             /* quoted */
    char *wanted_version;            /* NULL: any */
    gboolean is_elsewhere;           /* in another schema */
    gboolean is_otherwise;           /* of another version */
    gboolean can_move, can_update;   /* as far as the extension itself allows it */
    gboolean will_move, will_update; /* the database is empty, and the session's user may: fit_target() sees to it */
} HbPgExtension;

/* HbPgExtension; the caller's. Empty if the database does not exist */
GArray *hb_pg_read_extensions(HbSession *session, HbTargetState state, const HbCatalog *catalog, GError **error);
