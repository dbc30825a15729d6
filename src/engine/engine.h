/* SPDX-License-Identifier: Apache-2.0 */
/*
 * engine - the contract between Hornbeam and a kind of database server, in eight tables:
 *
 *     dialect     its SQL, without a server     core/sql/dialect.h
 *     connector   addresses and sessions        engine/connector.h
 *     source      what is read                  engine/source.h
 *     target      what is found and made        engine/target.h
 *     journal     the steps of a restore        engine/journal.h
 *     log         changes that a server logs    engine/log.h
 *     replay      such changes, brought over    engine/replay.h
 *     gate        who may write to a database   engine/gate.h
 *
 * Nothing outside an engine's folder knows its SQL. All functions that can fail return FALSE or NULL and set the error;
 * all strings that an engine hands out as names are quoted as its SQL wants them.
 */
#pragma once

#include "core/sql/dialect.h"
#include "engine/gate.h"
#include "engine/journal.h"
#include "engine/log.h"
#include "engine/replay.h"
#include "engine/source.h"
#include "engine/target.h"

typedef struct {
    guint64 analyze_from_rows;       /* smaller tables need no refreshing of the planner's figures */
    guint binary_compatible_divisor; /* versions that are equal when divided by this share a binary form; 0: there is
                                        none */
    gboolean cross_database_needs;   /* what is in one database may need what is in another */
    gboolean triggers_act;           /* triggers act upon whatever changes rows, and nobody can keep them from it */
    guint keyless_changes;           /* so many rows without a key are found faster than their table is filled again */
    gboolean serialise_grants;       /* changes of users and rights get in each other's way */
    gboolean journal_guarded;        /* only its role and superusers can write to a journal */
    gboolean transactional_ddl;      /* what defines and drops is part of a transaction, and undone with it */
} HbEngineTraits;

struct HbEngine {
    const char *name; /* in manifests: "postgresql" */
    HbEngineTraits traits;
    const HbDialect *dialect;
    const HbConnector *connector;
    const HbSource *source;
    const HbTarget *target;
    const HbJournal *journal;
    const HbLog *log;       /* NULL: it is not read */
    const HbReplay *replay; /* NULL: likewise */
    const HbGate *gate;
};
