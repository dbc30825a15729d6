/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/ahead_inner.h"

gboolean hb_pg_look_is_true(const HbPgLook *look, const char *fact)
{
    return *hb_pg_get(look->facts, 0, fact) == 't';
}

const char *hb_pg_look_me(const HbPgLook *look)
{
    return hb_pg_get(look->facts, 0, "me");
}
