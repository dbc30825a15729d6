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
 *
 * A route of several databases has legs, which are run one after the other; what [route] says holds for each leg that
 * does not say otherwise, and {leg} in a value is the leg's name:
 *
 *     [route]
 *     dump = /srv/dumps/{leg}-%Y-%m-%d.dump
 *     [leg vale]
 *     from = postgresql://postgres@old.example/fennick_vale
 *     [leg loans]
 *     from = postgresql://postgres@desk.example/loans
 */
#pragma once

#include "cli/cli.h"

typedef struct HbRoute HbRoute;

/* HB_ERROR_FILE; HB_ERROR_USAGE names an unknown key and the nearest one that there is, or an address with a password
 */
HbRoute *hb_route_open(const char *path, GError **error);
void hb_route_free(HbRoute *route); /* accepts NULL */
G_DEFINE_AUTOPTR_CLEANUP_FUNC(HbRoute, hb_route_free)

/* The names of its legs, in the file's order, or, if wanted (NULL: all) names some, those. Without legs: an empty list.
 * HB_ERROR_USAGE names one that is not there. The caller's */
char **hb_route_list_legs(const HbRoute *route, char *const *wanted, GError **error);

/* What is asked for from now on is this leg's; NULL: what holds for all of them */
void hb_route_choose_leg(HbRoute *route, const char *leg);

/*
 * Keeps a second run of the route out as long as the descriptor is open, which ends with the process at the latest. -1
 * with HB_ERROR_BLOCKED, which says who runs, or HB_ERROR_FILE
 */
int hb_route_hold(const HbRoute *route, GError **error);

/* Fills in the options of a command that the command line left open */
gboolean hb_route_fill_options(const HbRoute *route, HbOptions *options, guint command, GError **error);

/* The arguments of a command (NULL-terminated), as far as the route has them; the caller's */
char **hb_route_make_arguments(const HbRoute *route, const HbCommand *command);
