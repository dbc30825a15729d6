/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/mariadb/target/origin.h"

#include "engine/mariadb/target/own_tables.h"

#include <string.h>

#define SHAPE HB_MY_ORIGIN " id tinyint, " HB_MY_ORIGIN " text longtext"
/* A display width, which older servers tell */
#define SHAPE_WITH_WIDTH HB_MY_ORIGIN " id tinyint(4), " HB_MY_ORIGIN " text longtext"

static gboolean find(HbSession *session, gboolean *there, GError **error)
{
    g_autofree char *tables = NULL, *columns = NULL;

    if (!hb_my_describe_tables(session, "'" HB_MY_ORIGIN "'", &tables, &columns, error))
        return FALSE;
    *there = *tables != '0';
    if (!*there ||
        (strcmp(tables, "1 1 0") == 0 && (g_strcmp0(columns, SHAPE) == 0 || g_strcmp0(columns, SHAPE_WITH_WIDTH) == 0)))
        return TRUE;
    return hb_error_set(error, HB_ERROR_BLOCKED, "see who made it, and drop or rename it",
                        "what is called " HB_MY_ORIGIN " in the database is no origin's table, and was not read");
}

gboolean hb_my_read_origin(HbSession *session, char **text, GError **error)
{
    gboolean there = FALSE;

    *text = NULL;
    if (session->database == NULL)
        return TRUE;
    return find(session, &there, error) &&
           (!there || hb_my_read_text(session, "SELECT text FROM " HB_MY_ORIGIN " " HB_MY_ONLY_TABLES, text, error));
}

static gboolean make(HbSession *session, GError **error)
{
    return hb_my_execute(session,
                         "CREATE TABLE IF NOT EXISTS " HB_MY_ORIGIN
                         " (id TINYINT NOT NULL PRIMARY KEY, text LONGTEXT NOT NULL)"
                         " ENGINE = InnoDB CHARACTER SET utf8mb4 COLLATE utf8mb4_bin",
                         error);
}

gboolean hb_my_write_origin(HbSession *session, const char *text, GError **error)
{
    g_autofree char *literal = hb_my_quote_literal(text);
    g_autofree char *sql = g_strdup_printf("REPLACE INTO " HB_MY_ORIGIN " (id, text) VALUES (1, %s)", literal);
    gboolean there = FALSE;
    const gboolean ok = find(session, &there, error) && (there || make(session, error)) &&
                        hb_my_execute(session, sql, error) && hb_my_execute(session, "COMMIT", error);

    if (!ok)
        g_prefix_error(error, "leaving the origin in %s: ", session->address);
    return ok;
}

gboolean hb_my_drop_origin(HbSession *session, GError **error)
{
    return hb_my_execute(session, "DROP TABLE IF EXISTS " HB_MY_ORIGIN, error);
}
