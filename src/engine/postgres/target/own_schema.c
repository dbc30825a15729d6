/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/target/own_schema.h"

#include "sql.h"

gboolean hb_pg_inspect_schema(HbSession *session, const char *schema, const char *shape, gboolean *there,
                              char **complaint, GError **error)
{
    const char *const values[] = {schema, shape};
    g_autoptr(HbResult) result = hb_pg_query_with(session, hb_sql_own_schema, 2, values, error);

    *there = result != NULL && PQntuples(result) > 0;
    *complaint = *there ? g_strdup(hb_pg_get(result, 0, "complaint")) : NULL;
    return result != NULL;
}

gboolean hb_pg_keep_schema(HbSession *session, const char *schema, GError **error)
{
    const char *const values[] = {schema};
    g_autoptr(HbResult) grants = hb_pg_query_with(session, hb_sql_own_schema_grants, 1, values, error);

    for (int row = 0; grants != NULL && row < PQntuples(grants); row++) {
        if (!hb_pg_execute(session, PQgetvalue(grants, row, 0), error))
            return FALSE;
    }
    return grants != NULL;
}
