/* SPDX-License-Identifier: Apache-2.0 */
/*
 * restore_report - what the commands that write to a target, or look at one, share.
 */
#pragma once

#include "cli/cli.h"
#include "work/restore/restore.h"

/* A restore as far as the options say; what is restored, engine and target are still to be filled in */
HbRestoreOptions hb_cli_make_restore(const HbCli *cli);

/* What is about to be written, and where, before anything is. path: of the dump; NULL: a server */
void hb_cli_show_plan(HbCli *cli, const HbRestore *restore, const char *path);

/* Shows the findings that forbid a restore, on standard error */
void hb_cli_show_refusal(HbCli *cli, const HbRestore *restore, const char *path);

/* What a restore is about to drop or empty, for people; NULL: nothing. The caller's */
char *hb_cli_describe_loss(const HbRestore *restore);

/* Is that agreed to, by an option or at a terminal? TRUE if loss is NULL; otherwise HB_ERROR_BLOCKED */
gboolean hb_cli_agree(HbCli *cli, const char *loss, GError **error);

/* Shows the plan, runs and reports a restore that was opened (NULL: it was not), unless it is blocked */
HbStatus hb_cli_run_restore(HbCli *cli, HbRestore *restore, const char *path, GError **error);

/* How a restore ended */
HbStatus hb_cli_judge_restore(const HbRestoreResult *result);
