/* SPDX-License-Identifier: Apache-2.0 */
/*
 * users - the users and roles that an object names without needing them: its owner, who is granted something, who a
 * policy is for, with whose rights a view or a routine runs.
 */
#pragma once

#include "core/object.h"

/*
 * Names as the role's identity has them, without SQL's double quotes ("Ida Quill"; of MariaDB 'ida'@'%', or a role's
 * name). char *, each once, in the order of the text; the caller's
 */
GPtrArray *hb_users_list_named(const HbObject *object);

/* The plain name of a role object, as hb_users_list_named() writes it; the caller's */
char *hb_users_get_name(const HbObject *role);
