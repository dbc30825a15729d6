/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/postgres/target/origin.h"

#include "engine/postgres/target/own_schema.h"

static gboolean find(HbSession *session, gboolean *there, GError **error)
{
    g_autofree char *complaint = NULL;

    return hb_pg_inspect_schema(session, HB_PG_ORIGIN, "origin(text text)", there, &complaint, error) &&
           (complaint == NULL ||
            hb_error_set(error, HB_ERROR_BLOCKED,
                         "see who made it, and drop it: DROP SCHEMA " HB_PG_ORIGIN " CASCADE; or work as the role that "
                         "made the copy",
                         "the schema " HB_PG_ORIGIN " is no origin that can be trusted, and was not read: %s",
                         complaint));
}

gboolean hb_pg_read_origin(HbSession *session, char **text, GError **error)
{
    g_autoptr(HbResult) result = NULL;
    gboolean there;

    *text = NULL;
    if (!find(session, &there, error))
        return FALSE;
    if (!there)
        return TRUE;
    result = hb_pg_query(session, "SELECT text FROM ONLY hornbeam_origin.origin", error);
    if (result != NULL && PQntuples(result) == 1)
        *text = g_strdup(PQgetvalue(result, 0, 0));
    return result != NULL;
}

/* A publication may be of all tables: they need an identity */
static gboolean make(HbSession *session, GError **error)
{
    return hb_pg_execute(session,
                         "CREATE SCHEMA hornbeam_origin; CREATE TABLE hornbeam_origin.origin (text text NOT NULL);"
                         " ALTER TABLE hornbeam_origin.origin REPLICA IDENTITY FULL",
                         error) &&
           hb_pg_keep_schema(session, HB_PG_ORIGIN, error);
}

static gboolean put(HbSession *session, const char *text, GError **error)
{
    g_autofree char *literal = hb_pg_quote_literal(session, text);
    g_autofree char *sql = g_strdup_printf("DELETE FROM ONLY hornbeam_origin.origin;"
                                           " INSERT INTO hornbeam_origin.origin VALUES (%s)",
                                           literal);

    return hb_pg_execute(session, sql, error);
}

gboolean hb_pg_write_origin(HbSession *session, const char *text, GError **error)
{
    gboolean there;

    if (!find(session, &there, error) || !hb_pg_execute(session, "BEGIN; SET LOCAL synchronous_commit = on", error))
        return FALSE;
    if ((there || make(session, error)) && put(session, text, error) && hb_pg_execute(session, "COMMIT", error))
        return TRUE;
    hb_pg_execute(session, "ROLLBACK", NULL);
    g_prefix_error(error, "leaving the origin in %s: ", session->address);
    return FALSE;
}

gboolean hb_pg_drop_origin(HbSession *session, GError **error)
{
    return hb_pg_execute(session,
                         "BEGIN; SET LOCAL synchronous_commit = on; DROP SCHEMA IF EXISTS hornbeam_origin CASCADE;"
                         " COMMIT",
                         error);
}
