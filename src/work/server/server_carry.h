/* SPDX-License-Identifier: Apache-2.0 */
/*
 * server_carry - the use case for all databases of a server whose rows come once: users and tablespaces, then database
 * by database, straight from server to server or out of a stream. Each database is one moment in time.
 */
#pragma once

#include "dump/stream.h"
#include "work/server/whole_server.h"
#include "work/source/snapshot_source.h"

/*
 * from and to name servers; what to restore, and from where, is filled in here. All targets are looked at before
 * anything is written. What fails in one database is in its result; FALSE if the work could not go on at all
 */
gboolean hb_whole_server_carry(const HbSnapshotSourceOptions *from, const HbRestoreOptions *to,
                               const HbServerCallbacks *callbacks, GError **error);

/* Out of a stream each target can be looked at only when its turn comes: what is in the way there ends the work */
gboolean hb_whole_server_take(HbStream *stream, const HbRestoreOptions *to, const HbServerCallbacks *callbacks,
                              GError **error);
