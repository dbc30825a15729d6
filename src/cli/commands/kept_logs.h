/* SPDX-License-Identifier: Apache-2.0 */
/*
 * kept_logs - what a server keeps of its log for copies: told, or released.
 */
#pragma once

#include "cli/cli.h"

/* to: NULL: all that the database keeps for copies, after a question */
HbStatus hb_cli_release_log(HbCli *cli, const char *from, const char *to, GError **error);

/* A warning for each that the address's database keeps, with how much of the log that holds back */
void hb_cli_tell_kept_logs(HbCli *cli, const HbEngine *engine, const HbAddress *address);
/* The same of FROM, and of the log that the database copy, which may not be there, remembers of it */
void hb_cli_tell_log_of(HbCli *cli, const HbEngine *engine, const HbAddress *from, const HbAddress *copy);
