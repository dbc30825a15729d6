/* SPDX-License-Identifier: Apache-2.0 */
/*
 * help - help texts, made from the rows of commands and options. All texts are the caller's.
 */
#pragma once

#include "cli/cli.h"

char *hb_help_program(gboolean color);
char *hb_help_command(const HbCommand *command, gboolean color);
