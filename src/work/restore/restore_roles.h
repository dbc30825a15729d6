/* SPDX-License-Identifier: Apache-2.0 */
/*
 * restore_roles - users in a restore. A user that exists on the target is kept as it is, and differences are reported.
 * A user that arrives without a password may get a new one. The restoring role may have to join the owners of objects.
 */
#pragma once

#include "work/restore/restore.h"
#include "work/restore/restore_plan.h"
#include "work/run/workers.h"

/* What differs between the dump's users and those of the target, for the ones that are there already */
gboolean hb_roles_look(HbRestore *restore, HbSession *session, GError **error);

/* Is the step about a user that was on the target before this restore? If so, keep: the step is only noted */
gboolean hb_roles_is_kept(HbRestore *restore, HbWorker *worker, const HbStep *step, gboolean *kept, GError **error);
gboolean hb_roles_keep(HbRestore *restore, HbWorker *worker, const HbStep *step, GError **error);

/*
 * The owner of what a step makes accepts objects from its members only: makes this role a member, once. FALSE: it is no
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
