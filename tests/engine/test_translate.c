/* SPDX-License-Identifier: Apache-2.0 */
/* What a definition of one product becomes on the way to the other, or why it does not come */
#include "support/check.h"

#include "engine/mariadb/dialect/program_heads.h"
#include "engine/mariadb/dialect/translate.h"

#include <string.h>

#define MYSQL_57  50744
#define MYSQL_80  80036
#define MYSQL_97  90704
#define MARIA_105 100528
#define MARIA_118 110803

typedef struct {
    guint from, to;
    HbKind kind;
    const char *name, *sql;
    const char *becomes; /* NULL: it is left out */
    const char *why;     /* a part of what is told; NULL: nothing is */
} Case;

static const char *find_why(const HbCatalog *catalog)
{
    const GPtrArray *omissions = hb_catalog_get_omissions(catalog);

    return omissions->len > 0 ? ((const HbOmission *)omissions->pdata[0])->why : NULL;
}

static void check_case(const Case *it)
{
    g_autoptr(HbCatalog) catalog = hb_catalog_new();
    HbObject *object = hb_object_new(it->kind, it->name);
    g_autofree char *identity = g_strdup(object->identity);
    const HbObject *after;
    const char *why;

    object->definition = g_strdup(it->sql);
    assert_true(hb_catalog_add(catalog, object, NULL));
    hb_my_translate(catalog, it->from, it->to);
    after = hb_catalog_find(catalog, identity);
    why = find_why(catalog);
    if ((after != NULL) != (it->becomes != NULL) || (after != NULL && strcmp(after->definition, it->becomes) != 0))
        fail_msg("%s\nbecomes %s\nnot %s", it->sql, after != NULL ? after->definition : "nothing", it->becomes);
    if ((why != NULL) != (it->why != NULL) || (why != NULL && strstr(why, it->why) == NULL))
        fail_msg("%s: told: %s", it->sql, why);
}

static void check_all(const Case *cases, gsize count)
{
    for (gsize i = 0; i < count; i++)
        check_case(&cases[i]);
}

static void what_mysql_has_arrives_in_mariadb_or_is_named(void **state)
{
    static const Case cases[] = {
        {MYSQL_97, MARIA_118, HB_KIND_TABLE, "t", "CREATE TABLE `t` (\n  `a` int NOT NULL\n);",
         "CREATE TABLE `t` (\n  `a` int NOT NULL\n);", NULL},
        {MYSQL_97, MARIA_118, HB_KIND_TABLE, "t", "CREATE TABLE `t` (\n  `at` point NOT NULL SRID 4326\n);",
         "CREATE TABLE `t` (\n  `at` point REF_SYSTEM_ID=4326 NOT NULL\n);", NULL},
        {MYSQL_97, MARIA_118, HB_KIND_TABLE, "t", "CREATE TABLE `t` (\n  `j` json DEFAULT NULL\n);",
         "CREATE TABLE `t` (\n  `j` longtext CHARACTER SET utf8mb4 COLLATE utf8mb4_bin DEFAULT NULL\n);",
         "to MariaDB they are texts"},
        {MYSQL_97, MARIA_118, HB_KIND_TABLE, "t", "CREATE TABLE `t` (\n  `a` int\n) ENGINE=InnoDB ENCRYPTION='Y';",
         "CREATE TABLE `t` (\n  `a` int\n) ENGINE=InnoDB ENCRYPTED=YES;", NULL},
        {MYSQL_97, MARIA_118, HB_KIND_TABLE, "t",
         "CREATE TABLE `t` (\n  `a` int,\n  CONSTRAINT `c` CHECK ((`a` > 0)) /*!80016 NOT ENFORCED */\n);",
         "CREATE TABLE `t` (\n  `a` int,\n  CONSTRAINT `c` CHECK ((`a` > 0)) /*!80016 NOT ENFORCED */\n);", NULL},
        {MYSQL_97, MARIA_118, HB_KIND_TABLE, "t",
         "CREATE TABLE `t` (\n  `a` int,\n  CONSTRAINT `c` CHECK ((`a` > 0)) NOT ENFORCED\n);",
         "CREATE TABLE `t` (\n  `a` int\n);", "MariaDB enforces all of them"},
        {MYSQL_97, MARIA_118, HB_KIND_INDEX, "t.i", "CREATE INDEX `i` ON `t` ((lower(`a`)));", NULL,
         "MariaDB has no keys over expressions"},
        {MYSQL_97, MARIA_118, HB_KIND_INDEX, "t.i", "CREATE INDEX `i` ON `t` (`a`) INVISIBLE;",
         "CREATE INDEX `i` ON `t` (`a`) IGNORED;", NULL},
        {MYSQL_97, MARIA_118, HB_KIND_VIEW, "v", "CREATE VIEW `v` AS select regexp_like(`t`.`a`,_utf8mb4'^x') AS `b`;",
         "CREATE VIEW `v` AS select (`t`.`a` regexp _utf8mb4'^x') AS `b`;", NULL},
        {MYSQL_97, MARIA_118, HB_KIND_VIEW, "v",
         "CREATE VIEW `v` AS select regexp_like(concat(`a`,', '),_utf8mb4'[,(]') AS `b`, "
         "regexp_like(`a`,'x','i') AS `regexp_like(`,(regexp_like(`a`,'x') or regexp_like((case when "
         "regexp_like(`a`,'y') then 1 end),'1')) AS `c`;",
         "CREATE VIEW `v` AS select (concat(`a`,', ') regexp _utf8mb4'[,(]') AS `b`, regexp_like(`a`,'x','i') AS "
         "`regexp_like(`,((`a` regexp 'x') or ((case when (`a` regexp 'y') then 1 end) regexp '1')) AS `c`;",
         NULL},
        {MYSQL_97, MARIA_118, HB_KIND_FUNCTION, "f", "CREATE FUNCTION `f`(json json) RETURNS json\nreturn json",
         "CREATE FUNCTION `f`(json json) RETURNS longtext CHARSET utf8mb4 COLLATE utf8mb4_bin\nreturn json",
         "a type of its own here is a text there"},
        {MYSQL_97, MARIA_118, HB_KIND_STATISTICS, "t.a", "ANALYZE TABLE `t` UPDATE HISTOGRAM ON `a` WITH 8 BUCKETS;",
         NULL, "MariaDB gathers histograms in another way"},
        {MYSQL_97, MARIA_118, HB_KIND_SPATIAL_REFERENCE, "40001", "CREATE SPATIAL REFERENCE SYSTEM 40001 NAME 'x';",
         NULL, "columns keep its number"},
        {MYSQL_97, MARIA_118, HB_KIND_DATABASE_SETTING, "encryption", "ALTER DATABASE DEFAULT ENCRYPTION = 'Y';", NULL,
         "MariaDB encrypts by table"},
    };

    (void)state;
    check_all(cases, G_N_ELEMENTS(cases));
}

static void what_mariadb_has_arrives_in_mysql_or_is_named(void **state)
{
    static const Case cases[] = {
        {MARIA_118, MYSQL_97, HB_KIND_TABLE, "t", "CREATE TABLE `t` (\n  `a` uuid NOT NULL\n);",
         "CREATE TABLE `t` (\n  `a` char(36) CHARACTER SET ascii NOT NULL\n);", "a UUID is a text there"},
        {MARIA_118, MYSQL_97, HB_KIND_TABLE, "t", "CREATE TABLE `t` (\n  `a` inet6 DEFAULT NULL\n);",
         "CREATE TABLE `t` (\n  `a` varchar(45) CHARACTER SET ascii DEFAULT NULL\n);", "an address is a text there"},
        {MARIA_118, MYSQL_97, HB_KIND_TABLE, "t", "CREATE TABLE `t` (\n  `at` point REF_SYSTEM_ID=4326 NOT NULL\n);",
         "CREATE TABLE `t` (\n  `at` point SRID 4326 NOT NULL\n);", NULL},
        {MARIA_118, MYSQL_97, HB_KIND_TABLE, "t", "CREATE TABLE `t` (\n  `a` datetime DEFAULT current_timestamp()\n);",
         "CREATE TABLE `t` (\n  `a` datetime DEFAULT current_timestamp()\n);", NULL},
        {MARIA_118, MYSQL_97, HB_KIND_TABLE, "t", "CREATE TABLE `t` (\n  `a` text DEFAULT concat('a',lower('B'))\n);",
         "CREATE TABLE `t` (\n  `a` text DEFAULT (concat('a',lower('B')))\n);", NULL},
        {MARIA_118, MYSQL_97, HB_KIND_TABLE, "t", "CREATE TABLE `t` (\n  `a` longtext DEFAULT 'it''s'\n);",
         "CREATE TABLE `t` (\n  `a` longtext DEFAULT ('it''s')\n);", NULL},
        {MARIA_118, MYSQL_97, HB_KIND_TABLE, "t",
         "CREATE TABLE `t` (\n  `a` int(11)\n) ENGINE=InnoDB PAGE_CHECKSUM=1 `PAGE_COMPRESSED`='ON';",
         "CREATE TABLE `t` (\n  `a` int(11)\n) ENGINE=InnoDB ;", "pages are compressed in another way"},
        {MARIA_118, MYSQL_97, HB_KIND_TABLE, "t",
         "CREATE TABLE `t` (\n  `a` int(11)\n) ENGINE=InnoDB WITH SYSTEM VERSIONING;", NULL,
         "MySQL keeps no histories"},
        {MARIA_118, MYSQL_97, HB_KIND_TABLE, "t", "CREATE TABLE `t` (\n  `a` int(11) DEFAULT nextval(`s`)\n);", NULL,
         "the next value of a sequence"},
        {MARIA_118, MYSQL_97, HB_KIND_SEQUENCE, "s", "CREATE SEQUENCE `s`;", NULL, "MySQL has nothing like it"},
        {MARIA_118, MYSQL_97, HB_KIND_PACKAGE, "p", "CREATE PACKAGE `p` AS END;", NULL, "MySQL has nothing like it"},
        {MARIA_118, MYSQL_97, HB_KIND_INDEX, "t.i", "CREATE INDEX `i` ON `t` (`a`) IGNORED;",
         "CREATE INDEX `i` ON `t` (`a`) INVISIBLE;", NULL},
        {MARIA_118, MYSQL_97, HB_KIND_FUNCTION, "f", "CREATE AGGREGATE FUNCTION `f`(a int) RETURNS int", NULL,
         "no aggregate functions of users"},
        {MARIA_118, MYSQL_97, HB_KIND_FUNCTION, "f",
         "CREATE FUNCTION `f`(uuid UUID, in `b` inet6) RETURNS uuid\nreturn cast(uuid as uuid)",
         "CREATE FUNCTION `f`(uuid char(36) CHARSET ascii COLLATE ascii_general_ci, in `b` varchar(45) CHARSET ascii "
         "COLLATE ascii_general_ci) RETURNS char(36) CHARSET ascii COLLATE ascii_general_ci\nreturn cast(uuid as uuid)",
         "is a text there"},
        {MARIA_118, MYSQL_97, HB_KIND_GRANT, "PUBLIC on the database", "GRANT SELECT ON v.* TO PUBLIC;", NULL,
         "grants nothing to everybody"},
        {MARIA_118, MYSQL_97, HB_KIND_DATABASE_SETTING, "comment", "ALTER DATABASE COMMENT = 'x';", NULL,
         "MySQL keeps no comments on databases"},
    };

    (void)state;
    check_all(cases, G_N_ELEMENTS(cases));
}

static void what_older_versions_have_not_learnt_is_named(void **state)
{
    static const char keys[] = "CREATE TABLE `t` (\n  `a` int DEFAULT 1 COMMENT 'KEY `x` (`a` DESC)',\n  PRIMARY KEY "
                               "(`a`%s),\n  UNIQUE KEY `u` (`b`(5)%s,`a`,`c`%s)\n) COMMENT='KEY (`b` DESC)';";
    g_autofree char *descending = g_strdup_printf(keys, " DESC", " DESC", " DESC"),
                    *rising = g_strdup_printf(keys, "", "", "");
    const Case cases[] = {
        {MARIA_118, MARIA_105, HB_KIND_TABLE, "t", descending, rising, "does not descend there"},
        {MARIA_118, MARIA_118, HB_KIND_TABLE, "t", descending, descending, NULL},
        {MARIA_118, MYSQL_97, HB_KIND_TABLE, "t", descending, descending, NULL},
        {MYSQL_80, MYSQL_57, HB_KIND_TABLE, "t", descending, rising, "does not descend there"},
        {MYSQL_80, MARIA_105, HB_KIND_TABLE, "t", descending, rising, "does not descend there"},
        {MYSQL_80, MYSQL_97, HB_KIND_TABLE, "t", descending, descending, NULL},
        {MARIA_118, MARIA_105, HB_KIND_INDEX, "t.i", "ALTER TABLE t ADD KEY `i` (`a` DESC,`b` DESC);",
         "ALTER TABLE t ADD KEY `i` (`a`,`b`);", "does not descend there"},
        {MARIA_118, MARIA_105, HB_KIND_INDEX, "t.i", "ALTER TABLE t ADD KEY `i` (`a`) COMMENT '`a` DESC)';",
         "ALTER TABLE t ADD KEY `i` (`a`) COMMENT '`a` DESC)';", NULL},
        {MARIA_118, MARIA_105, HB_KIND_TABLE, "t", "CREATE TABLE `t` (\n  `a` uuid NOT NULL,\n  `b` uuid NOT NULL\n);",
         "CREATE TABLE `t` (\n  `a` char(36) CHARACTER SET ascii COLLATE ascii_general_ci NOT NULL,\n  `b` char(36) "
         "CHARACTER "
         "SET ascii COLLATE ascii_general_ci NOT NULL\n);",
         "a UUID is a text there"},
    };

    (void)state;
    check_all(cases, G_N_ELEMENTS(cases));
}

/* What a character set without a collation means is not the same in all versions */
static void collations_that_parameters_do_not_say_are_named(void **state)
{
    static const struct {
        guint from, to;
        HbKind kind;
        const char *sql;
        gboolean is_told;
    } cases[] = {
        {MYSQL_97, MARIA_118, HB_KIND_FUNCTION, "CREATE FUNCTION `f`(a text charset utf8mb4) RETURNS int\nreturn 1",
         TRUE},
        {MARIA_105, MARIA_118, HB_KIND_PROCEDURE,
         "CREATE PROCEDURE `p`(in `a` varchar(9)\n  character set utf8, out b int)\nselect 1", TRUE},
        {MYSQL_57, MYSQL_97, HB_KIND_PROCEDURE, "CREATE PROCEDURE `p`(a text character set utf8mb4)\nselect 1", TRUE},
        {MYSQL_57, MYSQL_97, HB_KIND_PROCEDURE, "CREATE PROCEDURE `p`(a text character set utf8mb3)\nselect 1", FALSE},
        {MYSQL_97, MARIA_118, HB_KIND_PROCEDURE,
         "CREATE PROCEDURE `p`(a text charset utf8mb4 collate utf8mb4_bin, b text charset latin1)\nselect 1", FALSE},
        {MYSQL_97, MARIA_118, HB_KIND_PROCEDURE,
         "CREATE PROCEDURE `p`(a text /* charset utf8mb4 */)\nselect cast('x' as char charset utf8mb4)", FALSE},
        {MYSQL_97, MARIA_118, HB_KIND_FUNCTION,
         "CREATE FUNCTION `f`(a decimal(9,2)) RETURNS text CHARSET utf8mb4\nreturn cast(a as char charset utf8mb4)",
         FALSE},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        const Case it = {cases[i].from,
                         cases[i].to,
                         cases[i].kind,
                         "f",
                         cases[i].sql,
                         cases[i].sql,
                         cases[i].is_told ? "names a character set only" : NULL};
        check_case(&it);
    }
}

static void the_collation_of_a_result_is_said(void **state)
{
    static const struct {
        guint version;
        const char *create, *becomes;
    } cases[] = {
        {MYSQL_97,
         "CREATE FUNCTION `f`(b text charset utf8mb4) RETURNS varchar(20) CHARSET utf8mb4\n    DETERMINISTIC\nreturn 1",
         "CREATE FUNCTION `f`(b text charset utf8mb4) RETURNS varchar(20) CHARSET utf8mb4 COLLATE utf8mb4_0900_ai_ci\n "
         "   "
         "DETERMINISTIC\nreturn 1"},
        {MYSQL_57, "CREATE FUNCTION `f`() RETURNS text CHARSET utf8mb4\nreturn 'RETURNS text CHARSET utf8mb4'",
         "CREATE FUNCTION `f`() RETURNS text CHARSET utf8mb4 COLLATE utf8mb4_general_ci\nreturn 'RETURNS text CHARSET "
         "utf8mb4'"},
        {MYSQL_97, "CREATE FUNCTION `f`() RETURNS text CHARSET utf8mb4 COLLATE utf8mb4_bin\nreturn 1",
         "CREATE FUNCTION `f`() RETURNS text CHARSET utf8mb4 COLLATE utf8mb4_bin\nreturn 1"},
        {MYSQL_97, "CREATE FUNCTION `f`() RETURNS int\nreturn cast('x' as char charset utf8mb4)",
         "CREATE FUNCTION `f`() RETURNS int\nreturn cast('x' as char charset utf8mb4)"},
        {MYSQL_97, "CREATE FUNCTION `f`() RETURNS text CHARSET latin1\nreturn 1",
         "CREATE FUNCTION `f`() RETURNS text CHARSET latin1 COLLATE latin1_swedish_ci\nreturn 1"},
        {MYSQL_97, "CREATE FUNCTION `f`() RETURNS text CHARSET binary\nreturn 1",
         "CREATE FUNCTION `f`() RETURNS text CHARSET binary\nreturn 1"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *said = hb_my_say_result_collation(cases[i].create, cases[i].version);
        assert_string_equal(said, cases[i].becomes);
    }
}

/* Modes that a version does not know are refused when they are set, and say nothing to what was written under them */
static void modes_that_the_other_version_does_not_know_are_left_out(void **state)
{
    static const struct {
        guint from, to;
        const char *modes, *left;
    } cases[] = {
        {MYSQL_57, MYSQL_80, "STRICT_TRANS_TABLES,NO_AUTO_CREATE_USER", "STRICT_TRANS_TABLES"},
        {MYSQL_57, MARIA_118, "NO_AUTO_CREATE_USER,ANSI_QUOTES", "NO_AUTO_CREATE_USER,ANSI_QUOTES"},
        {MYSQL_80, MARIA_105, "TIME_TRUNCATE_FRACTIONAL", ""},
        {MARIA_105, MYSQL_97, "IGNORE_BAD_TABLE_OPTIONS,EMPTY_STRING_IS_NULL,PIPES_AS_CONCAT", "PIPES_AS_CONCAT"},
        {MARIA_118, MARIA_105, "ORACLE,SIMULTANEOUS_ASSIGNMENT", "ORACLE,SIMULTANEOUS_ASSIGNMENT"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        static const char form[] = "SET sql_mode = '%s';\nCREATE PROCEDURE p() SELECT 1;";
        g_autofree char *sql = g_strdup_printf(form, cases[i].modes), *becomes = g_strdup_printf(form, cases[i].left);
        const Case it = {cases[i].from, cases[i].to, HB_KIND_PROCEDURE, "p", sql, becomes, NULL};
        check_case(&it);
    }
}

/* What needs what is left out is left out, too; a column can do without its spatial reference system */
static void what_hangs_on_it_goes_along(void **state)
{
    g_autoptr(HbCatalog) catalog =
        check_read_catalog("sequence s:\ntable t: sequence s\nrows t: table t\n"
                           "spatial-reference 40001:\ntable place: spatial-reference 40001\n");
    g_autofree char *left = NULL;

    (void)state;
    for (guint i = 0; i < hb_catalog_count(catalog); i++) {
        g_free(hb_catalog_get(catalog, i)->definition);
        hb_catalog_get(catalog, i)->definition = g_strdup("CREATE TABLE t (\n  a int\n);");
    }
    hb_my_translate(catalog, MARIA_118, MYSQL_97);
    left = check_list_identities(catalog);
    check_lacks(left, "table t");
    check_lacks(left, "rows t");
    check_contains(left, "table place");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_mysql_has_arrives_in_mariadb_or_is_named),
        cmocka_unit_test(what_mariadb_has_arrives_in_mysql_or_is_named),
        cmocka_unit_test(what_older_versions_have_not_learnt_is_named),
        cmocka_unit_test(collations_that_parameters_do_not_say_are_named),
        cmocka_unit_test(the_collation_of_a_result_is_said),
        cmocka_unit_test(modes_that_the_other_version_does_not_know_are_left_out),
        cmocka_unit_test(what_hangs_on_it_goes_along),
    };

    return cmocka_run_group_tests(tests, NULL, NULL);
}
