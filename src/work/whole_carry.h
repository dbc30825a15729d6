/* SPDX-License-Identifier: Apache-2.0 */
/*
 * whole_carry - the use case for all databases of a server: users and tablespaces, then database by database, straight
 * from server to server. Each database is one moment in time.
 */
#pragma once

#include "work/source.h"
#include "work/whole_server.h"

/*
 * from and to name servers; what to restore, and from where, is filled in here. All targets are looked at before
 * anything is written. What fails in one database is in its result; FALSE if the work could not go on at all
 */
gboolean hb_whole_server_carry(const HbSourceOptions *from, const HbRestoreOptions *to, const HbTeller *teller,
                               GError **error);
