/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/target/preflight_inner.h"

gboolean hb_pg_look_is_true(const HbPgPreflight *look, const char *fact)
{
    return *hb_pg_get(look->facts, 0, fact) == 't';
}

const char *hb_pg_look_me(const HbPgPreflight *look)
{
    return hb_pg_get(look->facts, 0, "me");
}
