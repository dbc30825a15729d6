/* SPDX-License-Identifier: Apache-2.0 */
/*
 * release_log - a source is let to forget the log that it keeps for a copy.
 */
#pragma once

#include "cli/cli.h"

/* to: NULL: all that the database keeps for copies, after a question */
HbStatus hb_cli_release_log(HbCli *cli, const char *from, const char *to, GError **error);
