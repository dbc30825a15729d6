/* SPDX-License-Identifier: Apache-2.0 */
/*
 * pass_run - one pass, from the look at both sides to what is told of it: freshen, and a carry that is resumed.
 */
#pragma once

#include "cli/cli.h"
#include "work/freshen/pass.h"

/* Asks before rows are changed, unless a carry is resumed */
HbStatus hb_cli_run_pass(HbCli *cli, const HbPassOptions *options, GError **error);

/* One pass for each database of the server FROM, into that of its name in the server TO */
HbStatus hb_cli_run_passes(HbCli *cli, const HbPassOptions *options, GError **error);
