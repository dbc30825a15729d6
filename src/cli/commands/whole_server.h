/* SPDX-License-Identifier: Apache-2.0 */
/*
 * whole_server - what the commands do when a whole server, or the dump of one, is named instead of a database.
 */
#pragma once

#include "cli/cli.h"
#include "work/server/server_carry.h"
#include "work/verify/verify.h"

HbStatus hb_cli_dump_whole(HbCli *cli, const HbDumpOptions *options, GError **error);
HbStatus hb_cli_restore_whole(HbCli *cli, const HbRestoreOptions *options, GError **error);
HbStatus hb_cli_take_whole(HbCli *cli, HbStream *stream, const HbRestoreOptions *options, GError **error);
HbStatus hb_cli_carry_whole(HbCli *cli, const HbSnapshotSourceOptions *from, const HbRestoreOptions *to,
                            GError **error);

/* Holds a server against another, or against a dump: what belongs to no database, then database by database */
HbStatus hb_cli_verify_whole(HbCli *cli, const HbVerifyOptions *options, GError **error);
