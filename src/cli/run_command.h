/* SPDX-License-Identifier: Apache-2.0 */
/*
 * run_command - one run of a command whose options and arguments are known: its voice, the stop signal, dated names,
 * and afterwards what every command needs: the error in its voice, the hint, the exit status from the error's code, the
 * document to whom it is for.
 */
#pragma once

#include "cli/cli.h"

#include <jansson.h>

/* cli: with its options, checked, and its leg. legs (NULL: it is no leg): takes the result instead of standard output
 */
HbStatus hb_cli_run_prepared(HbCli *cli, const HbCommand *command, char **arguments, json_t *legs);

gboolean hb_cli_wants_color(const HbOptions *options, gboolean is_terminal);
void hb_cli_print_document(const char *document); /* on standard output */

/* Tells an error before there is a voice that knows how the user wants to be spoken to; returns its status */
HbStatus hb_cli_fail_early(const GError *error);
