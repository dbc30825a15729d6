/* SPDX-License-Identifier: Apache-2.0 */
/* New names in definitions and identities: what stands for the old name changes, what only looks like it stays */
#include "support/check.h"

#include "core/select/rename.h"
#include "engine/mariadb/dialect/dialect.h"
#include "engine/postgres/dialect/dialect.h"

#include <string.h>

typedef struct {
    const char *rename;
    HbKind kind;
    const char *sql;
    const char *renamed; /* NULL: it stays as it is */
    gboolean left;       /* the old name stands inside a string */
} Case;

static void check_case(const HbDialect *dialect, const Case *it)
{
    HbRename *rename = hb_rename_read(it->rename, NULL);
    HbObject *object = hb_object_new(it->kind, "garden.thing");
    g_autofree char *renamed = NULL;

    rename->inside = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    g_hash_table_add(rename->inside, g_strdup("plot"));
    g_hash_table_add(rename->inside, g_strdup("age"));
    renamed = dialect->rename(object, it->sql, rename);
    if (g_strcmp0(renamed, it->renamed) != 0)
        fail_msg("%s: %s\nis %s\nnot %s", it->rename, it->sql, renamed, it->renamed);
    if (rename->left != it->left)
        fail_msg("%s: %s: left: %d", it->rename, it->sql, rename->left);
    hb_object_free(object);
    hb_rename_free(rename);
}

static void names_change_where_postgres_says_them(void **state)
{
    static const char schema[] = "schema:garden=park", odd[] = "schema:garden=the Park", owner[] = "owner:ida=mo",
                      odd_owner[] = "owner:Ida Quill=mo", place[] = "tablespace:fast=quick";
    static const Case cases[] = {
        {schema, HB_KIND_TABLE, "CREATE TABLE garden.plot (a integer);", "CREATE TABLE park.plot (a integer);", FALSE},
        {odd, HB_KIND_TABLE, "CREATE TABLE garden.plot (a integer);", "CREATE TABLE \"the Park\".plot (a integer);",
         FALSE},
        {"schema:garden=user", HB_KIND_SCHEMA, "CREATE SCHEMA garden;", "CREATE SCHEMA \"user\";", FALSE},
        {"schema:garden=users", HB_KIND_SCHEMA, "CREATE SCHEMA garden;", "CREATE SCHEMA users;", FALSE},
        {"schema:garden=all", HB_KIND_SCHEMA, "CREATE SCHEMA garden;", "CREATE SCHEMA \"all\";", FALSE},
        {"schema:garden=xmltable", HB_KIND_SCHEMA, "CREATE SCHEMA garden;", "CREATE SCHEMA \"xmltable\";", FALSE},
        {"schema:garden=Park", HB_KIND_SCHEMA, "CREATE SCHEMA garden;", "CREATE SCHEMA \"Park\";", FALSE},
        {schema, HB_KIND_TABLE, "CREATE TABLE \"garden\".plot ();", "CREATE TABLE park.plot ();", FALSE},
        {schema, HB_KIND_TABLE, "CREATE TABLE loans.garden (a integer);", NULL, FALSE},
        {schema, HB_KIND_TABLE, "CREATE TABLE loans.desk (garden integer, b integer DEFAULT garden.age());",
         "CREATE TABLE loans.desk (garden integer, b integer DEFAULT park.age());", FALSE},
        {schema, HB_KIND_TABLE, "CREATE TABLE gardens.plot ();", NULL, FALSE},
        {schema, HB_KIND_TABLE, "CREATE TABLE \"Garden\".plot ();", NULL, FALSE},
        {schema, HB_KIND_VIEW, "CREATE VIEW loans.v AS SELECT garden.code FROM loans.plots garden;", NULL, FALSE},
        {schema, HB_KIND_VIEW, "CREATE VIEW v AS SELECT p.a, garden.age(p.b) FROM garden.plot p;",
         "CREATE VIEW v AS SELECT p.a, park.age(p.b) FROM park.plot p;", FALSE},
        {schema, HB_KIND_VIEW, "CREATE VIEW loans.v AS SELECT 'garden.plot'::text;", NULL, TRUE},
        {schema, HB_KIND_DEFAULT, "ALTER TABLE loans.a ALTER b SET DEFAULT nextval('garden.plot'::regclass);",
         "ALTER TABLE loans.a ALTER b SET DEFAULT nextval('park.plot'::regclass);", FALSE},
        {schema, HB_KIND_COMMENT, "COMMENT ON TABLE garden.plot IS 'of the garden.plot';",
         "COMMENT ON TABLE park.plot IS 'of the garden.plot';", FALSE},
        {schema, HB_KIND_SCHEMA, "CREATE SCHEMA garden;", "CREATE SCHEMA park;", FALSE},
        {schema, HB_KIND_GRANT, "GRANT USAGE ON SCHEMA garden TO garden;", "GRANT USAGE ON SCHEMA park TO garden;",
         FALSE},
        {schema, HB_KIND_DATABASE_SETTING, "ALTER DATABASE v SET search_path TO loans, garden;",
         "ALTER DATABASE v SET search_path TO loans, park;", FALSE},
        {owner, HB_KIND_GRANT, "GRANT SELECT ON TABLE garden.ida TO ida;", "GRANT SELECT ON TABLE garden.ida TO mo;",
         FALSE},
        {owner, HB_KIND_GRANT, "GRANT SELECT ON TABLE garden.plot TO idas;", NULL, FALSE},
        {owner, HB_KIND_TABLE, "ALTER TABLE garden.plot OWNER TO ida;", "ALTER TABLE garden.plot OWNER TO mo;", FALSE},
        {owner, HB_KIND_ROLE, "CREATE ROLE ida LOGIN;", "CREATE ROLE mo LOGIN;", FALSE},
        {owner, HB_KIND_MEMBERSHIP, "GRANT keepers TO ida GRANTED BY ida;", "GRANT keepers TO mo GRANTED BY mo;",
         FALSE},
        {owner, HB_KIND_POLICY, "CREATE POLICY own ON garden.plot TO ida USING ((who = 'ida'::name));",
         "CREATE POLICY own ON garden.plot TO mo USING ((who = 'ida'::name));", TRUE},
        {owner, HB_KIND_FUNCTION, "CREATE FUNCTION f() AS $$ SELECT current_user = 'ida' $$;", NULL, TRUE},
        {owner, HB_KIND_FUNCTION, "CREATE FUNCTION f() AS $$ SELECT 'candida', 'ida''s' $$;", NULL, FALSE},
        {odd_owner, HB_KIND_GRANT, "GRANT SELECT ON TABLE garden.plot TO \"Ida Quill\";",
         "GRANT SELECT ON TABLE garden.plot TO mo;", FALSE},
        {place, HB_KIND_TABLESPACE, "CREATE TABLESPACE fast LOCATION '/fast';",
         "CREATE TABLESPACE quick LOCATION '/fast';", FALSE},
        {place, HB_KIND_TABLE, "SET default_tablespace = fast;\nCREATE TABLE garden.fast (a integer);",
         "SET default_tablespace = quick;\nCREATE TABLE garden.fast (a integer);", FALSE},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++)
        check_case(&hb_pg_dialect, &cases[i]);
}

static void names_change_where_mariadb_says_them(void **state)
{
    static const char owner[] = "owner:ida@localhost=mo@%", role[] = "owner:keepers=guests",
                      storage[] = "storage:MyISAM=Aria", collation[] = "collation:utf8mb4_0900_ai_ci=utf8mb4_bin";
    static const Case cases[] = {
        {owner, HB_KIND_ROLE, "CREATE USER 'ida'@'localhost' IDENTIFIED BY 'x';",
         "CREATE USER 'mo'@'%' IDENTIFIED BY 'x';", FALSE},
        {owner, HB_KIND_GRANT, "GRANT SELECT ON `ida`.* TO 'ida'@'localhost';", "GRANT SELECT ON `ida`.* TO 'mo'@'%';",
         FALSE},
        {owner, HB_KIND_GRANT, "GRANT SELECT ON v.* TO 'ida'@'%';", NULL, FALSE},
        {owner, HB_KIND_VIEW, "CREATE DEFINER='ida'@'localhost' VIEW v AS SELECT 'ida';",
         "CREATE DEFINER='mo'@'%' VIEW v AS SELECT 'ida';", FALSE},
        {role, HB_KIND_GRANT, "GRANT SELECT ON v.* TO `keepers`;", "GRANT SELECT ON v.* TO `guests`;", FALSE},
        {storage, HB_KIND_TABLE, "CREATE TABLE t (\n  a int COMMENT 'ENGINE=MyISAM'\n) ENGINE=MyISAM;",
         "CREATE TABLE t (\n  a int COMMENT 'ENGINE=MyISAM'\n) ENGINE=Aria;", FALSE},
        {storage, HB_KIND_TABLE, "CREATE TABLE t (\n  a int\n) ENGINE=InnoDB;", NULL, FALSE},
        {collation, HB_KIND_TABLE, "CREATE TABLE t (\n  a text COLLATE utf8mb4_0900_ai_ci\n);",
         "CREATE TABLE t (\n  a text COLLATE utf8mb4_bin\n);", FALSE},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++)
        check_case(&hb_my_dialect, &cases[i]);
}

static void identities_follow(void **state)
{
    static const struct {
        const HbDialect *dialect;
        const char *rename, *identity, *renamed;
    } cases[] = {
        {&hb_pg_dialect, "schema:garden=park", "table garden.plot", "table park.plot"},
        {&hb_pg_dialect, "schema:garden=park", "schema garden", "schema park"},
        {&hb_pg_dialect, "schema:garden=park", "function garden.age(garden.years)", "function park.age(park.years)"},
        {&hb_pg_dialect, "schema:garden=park", "comment column garden.plot.garden", "comment column park.plot.garden"},
        {&hb_pg_dialect, "schema:garden=park", "extension-link garden.bark(text) on hstore",
         "extension-link park.bark(text) on hstore"},
        {&hb_pg_dialect, "schema:garden=park", "table loans.garden", NULL},
        {&hb_pg_dialect, "schema:garden=park", "role garden", NULL},
        {&hb_pg_dialect, "owner:ida=mo", "role ida", "role mo"},
        {&hb_pg_dialect, "owner:ida=mo", "membership ida in keepers", "membership mo in keepers"},
        {&hb_pg_dialect, "owner:ida=mo", "table ida.ida", NULL},
        {&hb_my_dialect, "owner:ida@localhost=mo@%", "role 'ida'@'localhost'", "role 'mo'@'%'"},
        {&hb_my_dialect, "owner:ida@localhost=mo@%", "role 'ida'@'%'", NULL},
        {&hb_my_dialect, "owner:ida@localhost=mo@%", "table ida", NULL},
        {&hb_my_dialect, "schema:garden=park", "table garden", NULL},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        HbRename *rename = hb_rename_read(cases[i].rename, NULL);
        g_autofree char *renamed = cases[i].dialect->rename_identity(cases[i].identity, rename);
        if (g_strcmp0(renamed, cases[i].renamed) != 0)
            fail_msg("%s: %s becomes %s", cases[i].rename, cases[i].identity, renamed);
        hb_rename_free(rename);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(names_change_where_postgres_says_them),
        cmocka_unit_test(names_change_where_mariadb_says_them),
        cmocka_unit_test(identities_follow),
    };

    return cmocka_run_group_tests(tests, NULL, NULL);
}
