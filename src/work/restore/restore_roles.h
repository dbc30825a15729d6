/* SPDX-License-Identifier: Apache-2.0 */
/*
 * restore_roles - users in a restore: those who are there already are kept as they are, and what differs is told; those
 * who come without a password may get a new one; those to whom objects are given may have to be joined.
 */
#pragma once

#include "work/restore/restore.h"
#include "work/restore/restore_plan.h"
#include "work/run/workers.h"

/* What differs between the dump's users and those of the target, for the ones that are there already */
gboolean hb_roles_look(HbRestore *restore, HbSession *session, GError **error);

/* Is the step about a user who was there before us? If so, keep: nothing is done but to note it */
gboolean hb_roles_is_kept(HbRestore *restore, HbWorker *worker, const HbStep *step, gboolean *kept, GError **error);
gboolean hb_roles_keep(HbRestore *restore, HbWorker *worker, const HbStep *step, GError **error);

/*
 * Who owns what a step makes, but lets nobody give it to him who is no member: makes us one, once. FALSE: it is no
 * matter of that, or is refused
 */
gboolean hb_roles_join_owner(HbRestore *restore, HbWorker *worker, const HbStep *step);
void hb_roles_list_joined(HbRestore *restore); /* at the end: of whom we are members now */

/* New passwords: the file (0600) gets a line "role<tab>password" before the server gets the password */
gboolean hb_roles_open_passwords(HbRestore *restore, GError **error);
void hb_roles_close_passwords(HbRestore *restore);

/* SQL that gives a role a new password, and has noted it in the file; NULL if it gets none, or with *error. The
 * caller's */
char *hb_roles_renew_password(HbRestore *restore, HbSession *session, const HbObject *role, GError **error);
