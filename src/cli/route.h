/* SPDX-License-Identifier: Apache-2.0 */
/*
 * route - a file that says what goes where: addresses and options, for moves that are made again and again.
 *
 *     [route]
 *     from = postgresql://postgres@old.example/fennick_vale
 *     to = postgresql://postgres@new.example/vale_copy
 *     dump = /srv/dumps/vale.dump
 *     jobs = 4
 *     skip = rows:photograph; user:*
 *
 * A key is from, to, dump, or the name of any option, whichever command takes it. What the command line says wins. It
 * holds no passwords.
 */
#pragma once

#include "cli/cli.h"

typedef struct HbRoute HbRoute;

/* HB_ERROR_FILE; HB_ERROR_USAGE names an unknown key and the nearest one that there is, or an address with a password
 */
HbRoute *hb_route_open(const char *path, GError **error);
void hb_route_free(HbRoute *route); /* accepts NULL */
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbRoute, hb_route_free)

/* Fills in the options of a command that the command line left open */
gboolean hb_route_fill_options(const HbRoute *route, HbOptions *options, guint command, GError **error);

/* The arguments of a command (NULL-terminated), as far as the route has them; the caller's */
char **hb_route_make_arguments(const HbRoute *route, const HbCommand *command);
