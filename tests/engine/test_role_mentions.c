/* SPDX-License-Identifier: Apache-2.0 */
/* Which users a definition names: those come along with a chosen part, and their absence is told before anything is
 * written */
#include "support/check.h"

#include "engine/common/role_mentions.h"
#include "engine/mariadb/dialect/dialect.h"

typedef struct {
    HbKind kind;
    const char *owner, *sql;
    const char *names; /* in the order of the text, joined by "; " */
} Case;

static void check_names(const Case *it, GPtrArray *names)
{
    g_autofree char *joined = NULL;

    g_ptr_array_add(names, NULL);
    joined = g_strjoinv("; ", (char **)names->pdata);
    if (g_strcmp0(joined, it->names) != 0)
        fail_msg("%s\nnames %s\nnot %s", it->sql, joined, it->names);
}

static void users_are_found_where_postgres_names_them(void **state)
{
    static const Case cases[] = {
        {HB_KIND_TABLE, "ida", "CREATE TABLE t (a int); -- TO mo", "ida"},
        {HB_KIND_TABLE, NULL, "CREATE TABLE t (a int);", ""},
        {HB_KIND_GRANT, NULL, "GRANT SELECT ON TABLE t TO ida;", "ida"},
        {HB_KIND_GRANT, NULL, "GRANT SELECT ON TABLE t TO ida, \"Ida Quill\" , mo WITH GRANT OPTION;",
         "ida; Ida Quill; mo"},
        {HB_KIND_GRANT, NULL, "GRANT SELECT ON TABLE t TO PUBLIC;", ""},
        {HB_KIND_GRANT, NULL, "GRANT SELECT ON TABLE t TO \"PUBLIC\";", "PUBLIC"},
        {HB_KIND_GRANT, NULL, "REVOKE ALL ON TABLE t FROM ida;\nGRANT SELECT ON TABLE t TO ida;", "ida"},
        {HB_KIND_GRANT, NULL, "GRANT SELECT ON TABLE t TO ida GRANTED BY mo;", "ida; mo"},
        {HB_KIND_GRANT, NULL, "GRANT SELECT ON TABLE \"to ida\" TO mo;", "mo"},
        {HB_KIND_GRANT, "ida", "GRANT SELECT ON TABLE t TO ida;", "ida"},
        {HB_KIND_DEFAULT_GRANT, NULL, "ALTER DEFAULT PRIVILEGES FOR ROLE ida IN SCHEMA s GRANT SELECT ON TABLES TO mo;",
         "ida; mo"},
        {HB_KIND_DATABASE_OWNER, NULL, "ALTER DATABASE v OWNER TO \"o'x\";", "o'x"},
        {HB_KIND_POLICY, NULL, "CREATE POLICY p ON t FOR SELECT TO ida, mo USING ((a IN (SELECT b FROM other)));",
         "ida; mo"},
        {HB_KIND_POLICY, NULL, "CREATE POLICY p ON t TO CURRENT_USER USING (true);", ""},
        {HB_KIND_USER_MAPPING, NULL, "CREATE USER MAPPING FOR ida SERVER desk OPTIONS (\"user\" 'FOR mo');", "ida"},
        {HB_KIND_VIEW, NULL, "CREATE VIEW v AS SELECT a FROM ida;", ""},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        HbObject *object = hb_object_new(cases[i].kind, "x");
        g_autoptr(GPtrArray) names = NULL;
        object->owner = g_strdup(cases[i].owner);
        object->definition = g_strdup(cases[i].sql);
        names = hb_role_mentions_list(object);
        check_names(&cases[i], names);
        hb_object_free(object);
    }
}

/* MariaDB and MySQL: with whose rights a program or a view runs */
static void users_are_found_where_mariadb_names_them(void **state)
{
    static const Case cases[] = {
        {HB_KIND_VIEW, NULL, "CREATE DEFINER=`ida`@`%` SQL SECURITY DEFINER VIEW v AS SELECT 1;", "'ida'@'%'"},
        {HB_KIND_PROCEDURE, NULL, "CREATE DEFINER=`Ida Quill`@`10.%` PROCEDURE p() SELECT 1;", "'Ida Quill'@'10.%'"},
        {HB_KIND_PROCEDURE, NULL, "CREATE PROCEDURE p() SELECT 'DEFINER=`ida`@`%`';", ""},
        {HB_KIND_TABLE, NULL, "CREATE TABLE t (a int COMMENT 'TO ida');", ""},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        HbObject *object = hb_object_new(cases[i].kind, "x");
        g_autoptr(GPtrArray) names = NULL;
        object->definition = g_strdup(cases[i].sql);
        names = hb_my_dialect.list_role_mentions(object);
        check_names(&cases[i], names);
        hb_object_free(object);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(users_are_found_where_postgres_names_them),
        cmocka_unit_test(users_are_found_where_mariadb_names_them),
    };

    return cmocka_run_group_tests(tests, NULL, NULL);
}
