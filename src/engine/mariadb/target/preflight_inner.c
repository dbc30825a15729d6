/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/target/preflight_inner.h"

gboolean hb_my_preflight_is_on(const HbMyPreflight *run, const char *expression)
{
    g_autofree char *sql = g_strdup_printf("SELECT %s", expression);
    g_autofree char *value = NULL;

    return hb_my_read_text(run->session, sql, &value, NULL) && g_strcmp0(value, "1") == 0;
}
