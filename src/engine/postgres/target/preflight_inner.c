/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/target/preflight_inner.h"

gboolean hb_pg_preflight_is_true(const HbPgPreflight *run, const char *fact)
{
    return *hb_pg_get(run->facts, 0, fact) == 't';
}

const char *hb_pg_preflight_get_me(const HbPgPreflight *run)
{
    return hb_pg_get(run->facts, 0, "me");
}
