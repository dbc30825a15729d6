/* SPDX-License-Identifier: Apache-2.0 */
/*
 * keep_dumps - after a dump: --keep and --keep-for. The new dump is verified, and only then older ones go.
 */
#pragma once

#include "cli/cli.h"

/* HB_ERROR_USAGE if older dumps are to go, and the name of the new one has no date in it; returns FALSE then */
gboolean hb_cli_check_keep(const HbCli *cli, GError **error);

/* path: of the new dump, which has just been written. What is done is told, and added to the result's document */
HbStatus hb_cli_keep_dumps(HbCli *cli, const char *path, GError **error);
