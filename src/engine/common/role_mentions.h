/* SPDX-License-Identifier: Apache-2.0 */
/*
 * role_mentions - the users and roles that an object names without needing them: its owner, who is granted something,
 * who a policy is for, with whose rights a view or a routine runs.
 */
#pragma once

#include "core/model/object.h"

/*
 * Names as the role's identity has them, without SQL's double quotes ("Ida Quill"; of MariaDB 'ida'@'%', or a role's
 * name). char *, each once, in the order of the text; the caller's
 */
GPtrArray *hb_role_mentions_list(const HbObject *object);

/* Adds a copy of the name, unless it is there already */
void hb_role_mentions_add(GPtrArray *names, const char *name);
