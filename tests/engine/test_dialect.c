/* SPDX-License-Identifier: Apache-2.0 */
/* The dialects, without a server */
#include "support/check.h"

#include "engine/mariadb/dialect/dialect.h"
#include "engine/mariadb/dialect/password_hash.h"
#include "engine/mariadb/dialect/same_definition.h"
#include "engine/mariadb/dialect/same_in_both.h"
#include "engine/postgres/dialect/dialect.h"

#include "support/scripted.h"

#include <string.h>

typedef struct {
    const char *in;
    const char *out;
} Pair;

static void versions_of_mariadb_say_one_table_in_other_words(void **state)
{
    static const struct {
        const char *one, *other;
        gboolean same;
    } tables[] = {
        {"`a` int(11) NOT NULL", "`a` int NOT NULL", TRUE},
        {"`a` int(11) NOT NULL", "`a` int(5) NOT NULL", FALSE},
        {"`a` varchar(11)", "`a` varchar", FALSE},
        {"`a` text DEFAULT NULL, `b` int", "`a` text, `b` int DEFAULT NULL", TRUE},
        {"`a` text DEFAULT NULL", "`a` text NOT NULL", FALSE},
        {"`a` int DEFAULT 5", "`a` int DEFAULT '5'", TRUE},
        {"`a` int DEFAULT 5", "`a` int DEFAULT NULL", FALSE},
        {"`a` int DEFAULT 5", "`a` int DEFAULT '6'", FALSE},
        {"`t` timestamp DEFAULT current_timestamp()", "`t` timestamp DEFAULT CURRENT_TIMESTAMP", TRUE},
        {"`t` timestamp(6) DEFAULT current_timestamp(6)", "`t` timestamp(6) DEFAULT CURRENT_TIMESTAMP", FALSE},
        {"`a` int NOT NULL INVISIBLE DEFAULT 1, `b` int", "`a` int NOT NULL DEFAULT 1 INVISIBLE, `b` int", TRUE},
        {"`a` int NOT NULL INVISIBLE, `b` int", "`a` int NOT NULL, `b` int INVISIBLE", FALSE},
        {"`a` text /*!100301 COMPRESSED*/", "`a` text /*M!100301 COMPRESSED*/", TRUE},
        {"`a` text CHARACTER SET utf8 COLLATE utf8_bin", "`a` text CHARACTER SET utf8mb3 COLLATE utf8mb3_bin", TRUE},
        {"`a` text CHARACTER SET utf8", "`a` text CHARACTER SET utf8mb4", FALSE},
        {"`utf8` int", "`utf8mb3` int", FALSE},
        {"`a` int, CHECK ((`a` > 0))", "`a` int, CHECK (`a` > 0)", TRUE},
        {"`a` int, CHECK ((`a` + 1) * 2 > 0)", "`a` int, CHECK (`a` + 1 * 2 > 0)", FALSE},
        {"`a` varchar(9) DEFAULT (concat(_utf8mb4'a'))", "`a` varchar(9) DEFAULT (concat('a'))", TRUE},
        {"`a` int", "`A` int", FALSE},
        {"`a` int, `b` int", "`a` int", FALSE},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(tables); i++) {
        g_autofree char *one = g_strdup_printf("CREATE TABLE t (%s) ENGINE=InnoDB;", tables[i].one);
        g_autofree char *other = g_strdup_printf("CREATE TABLE t (%s) ENGINE=InnoDB;", tables[i].other);
        if (hb_my_is_same_definition(one, other) != tables[i].same ||
            hb_my_is_same_definition(other, one) != tables[i].same || !hb_my_is_same_definition(one, one))
            fail_msg("%s\n%s", one, other);
    }
}

/* MariaDB's print of a table, MySQL's of the same, and of one that is not */
static void both_products_say_one_table_in_other_words(void **state)
{
    static const struct {
        const char *maria, *mysql, *not_mysql;
    } items[] = {
        {"`a` int(11) NOT NULL", "`a` int NOT NULL", "`a` bigint NOT NULL"},
        {"`a` varchar(9) DEFAULT NULL", "`a` varchar(9) COLLATE utf8mb4_unicode_ci DEFAULT NULL",
         "`a` varchar(9) COLLATE utf8mb4_bin DEFAULT NULL"},
        {"`a` char(36) CHARACTER SET ascii", "`a` char(36) CHARACTER SET ascii COLLATE ascii_general_ci",
         "`a` char(36) CHARACTER SET ascii COLLATE ascii_bin"},
        {"`a` int(11) DEFAULT 0", "`a` int DEFAULT '0'", "`a` int DEFAULT '1'"},
        {"`a` text DEFAULT NULL", "`a` text COLLATE utf8mb4_unicode_ci",
         "`a` text COLLATE utf8mb4_unicode_ci NOT NULL"},
        {"`a` int(11) CHECK (`a` between 0 and 9)", "`a` int, CONSTRAINT `t u_chk_1` CHECK ((`a` between 0 and 9))",
         "`a` int, CONSTRAINT `t u_chk_1` CHECK ((`a` between 0 and 8))"},
        {"`a` int(11), CONSTRAINT `named` CHECK (`a` > 1 and `a` < 9)",
         "`a` int, CONSTRAINT `named` CHECK (((`a` > 1) and (`a` < 9)))", "`a` int, CHECK (((`a` > 1) and (`a` < 9)))"},
        {"`a` text, CHECK (`a` regexp '^x')", "`a` text, CONSTRAINT `t_chk_1` CHECK (regexp_like(`a`,_utf8mb4'^x'))",
         "`a` text"},
        {"`a` int(11) INVISIBLE DEFAULT 1", "`a` int DEFAULT '1' INVISIBLE", "`a` int DEFAULT '1'"},
        {"`a` text DEFAULT (concat('x'))", "`a` text DEFAULT (concat(_utf8mb4'x'))", "`a` text DEFAULT (concat('X'))"},
        {"`a` int(11), `b` int(11)", "`a` int, `b` int", "`b` int, `a` int"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(items); i++) {
        static const char form[] =
            "CREATE TABLE t (%s\n) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;";
        g_autofree char *maria = g_strdup_printf(form, items[i].maria), *mysql = g_strdup_printf(form, items[i].mysql);
        g_autofree char *other = g_strdup_printf(form, items[i].not_mysql);
        if (!hb_my_is_same_in_both(maria, mysql) || !hb_my_is_same_in_both(mysql, maria) ||
            hb_my_is_same_in_both(maria, other))
            fail_msg("%s\n%s\n%s", maria, mysql, other);
    }
    assert_true(
        hb_my_is_same_in_both("CREATE VIEW `v` AS select `a`.`b` AS `c` from `a` where `b` > 1 and `c` = 'x'",
                              "CREATE VIEW `v` AS select `a`.`b` AS `c` from `a` where ((`b` > 1) and (`c` = 'x'))"));
    assert_false(hb_my_is_same_in_both("CREATE VIEW `v` AS select `b` AS `c`", "CREATE VIEW `v` AS select `b` AS `d`"));
    assert_true(
        hb_my_is_same_grant_in_both("GRANT SELECT, BINLOG MONITOR ON *.* TO a;",
                                    "GRANT SELECT, REPLICATION CLIENT ON *.* TO a;\nGRANT BACKUP_ADMIN ON *.* TO a;"));
    assert_false(hb_my_is_same_grant_in_both("GRANT SELECT ON *.* TO a;", "GRANT SELECT, DROP ON *.* TO a;"));
}

static void hashes_of_mariadb_are_hidden(void **state)
{
    static const Pair pairs[] = {
        {"CREATE USER a IDENTIFIED BY PASSWORD '*AB'", "CREATE USER a IDENTIFIED BY PASSWORD '(hidden)'"},
        {"CREATE USER a IDENTIFIED BY 'plain' REQUIRE ISSUER 'seen'",
         "CREATE USER a IDENTIFIED BY '(hidden)' REQUIRE ISSUER 'seen'"},
        {"CREATE USER a IDENTIFIED VIA ed25519 USING 'h' OR unix_socket",
         "CREATE USER a IDENTIFIED VIA ed25519 USING '(hidden)' OR unix_socket"},
        {"ALTER USER a IDENTIFIED VIA x USING PASSWORD('p')",
         "ALTER USER a IDENTIFIED VIA x USING PASSWORD('(hidden)')"},
        {"ALTER USER `a`@`h` IDENTIFIED WITH 'x' AS '$A$h'", "ALTER USER `a`@`h` IDENTIFIED WITH 'x' AS '(hidden)'"},
        {"SET PASSWORD = 'h'", "SET PASSWORD = '(hidden)'"},
        {"ALTER USER a IDENTIFIED BY 'it\\'s  x';SELECT 1 AS 'seen'",
         "ALTER USER a IDENTIFIED BY '(hidden)';SELECT 1 AS 'seen'"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(pairs); i++) {
        g_autofree char *out = hb_my_dialect.hide_secrets(pairs[i].in);
        assert_string_equal(out, pairs[i].out);
    }
}

static void passwords_are_hidden(void **state)
{
    static const Pair pairs[] = {
        {"ALTER ROLE r PASSWORD 'md5abc'; x", "ALTER ROLE r PASSWORD '(hidden)'; x"},
        {"alter role r password /* c */ E'a\\'b'", "alter role r password /* c */ '(hidden)'"},
        {"COMMENT ON TABLE password IS 'visible'", "COMMENT ON TABLE password IS 'visible'"},
        {"SELECT 'PASSWORD', 'visible'", "SELECT 'PASSWORD', 'visible'"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(pairs); i++) {
        g_autofree char *out = hb_pg_dialect.hide_secrets(pairs[i].in);
        assert_string_equal(out, pairs[i].out);
    }
}

static const HbDialect *get_dialect(gsize number)
{
    const HbDialect *const dialects[] = {&hb_pg_dialect, &hb_my_dialect, scripted_engine.dialect};

    return number < G_N_ELEMENTS(dialects) ? dialects[number] : NULL;
}

static void every_literal_reads_back_as_one_text(void **state)
{
    const HbDialect *dialect;

    (void)state;
    for (gsize d = 0; (dialect = get_dialect(d)) != NULL; d++) {
        g_autoptr(GString) sql = g_string_new("'");
        const char *at;
        HbToken token;
        if (dialect->append_literal_byte == NULL)
            continue;
        for (int byte = 1; byte < 256; byte++)
            dialect->append_literal_byte(sql, (char)byte);
        g_string_append(sql, "' x");
        at = sql->str;
        token = hb_lexer_read_token(dialect->rules, &at);
        assert_int_equal(token.type, HB_TOKEN_TEXT);
        assert_int_equal(token.length, sql->len - 2);
        assert_string_equal(at, " x");
    }
}

/* What the core takes for granted of any dialect */
static void every_dialect_keeps_its_contract(void **state)
{
    static const char plain[] = "CREATE TABLE t (a integer DEFAULT 'BY x');";
    const HbDialect *dialect;

    (void)state;
    for (gsize d = 0; (dialect = get_dialect(d)) != NULL; d++) {
        HbObject *object = hb_object_new(HB_KIND_TABLE, "t");
        HbRename rename = {.kind = HB_RENAME_OWNER, .old_name = (char *)"nobody here", .new_name = (char *)"x"};
        g_autofree char *shown = dialect->hide_secrets(plain);
        g_autoptr(GPtrArray) names = NULL;
        object->owner = g_strdup("ida");
        object->definition = g_strdup(plain);
        names = dialect->list_role_mentions(object);
        assert_string_equal(shown, plain);
        assert_true(g_ptr_array_find_with_equal_func(names, "ida", g_str_equal, NULL));
        assert_false(dialect->is_unlogged(object));
        assert_false(dialect->makes_key(NULL));
        assert_false(dialect->demands_value(NULL));
        assert_null(dialect->rename(object, plain, &rename));
        assert_null(dialect->rename_identity("table t", &rename));
        assert_true(dialect->is_predefined == NULL || !dialect->is_predefined("table t"));
        assert_true(dialect->is_initial == NULL || !dialect->is_initial(object));
        assert_int_equal(dialect->read_version("no version"), 0);
        hb_object_free(object);
    }
}

static void versions_are_read_as_the_servers_number_them(void **state)
{
    assert_int_equal(hb_pg_dialect.read_version("15"), 150000);
    assert_int_equal(hb_pg_dialect.read_version("15.14"), 150014);
    assert_int_equal(hb_pg_dialect.read_version("12"), 0); /* too old */
    assert_int_equal(hb_pg_dialect.read_version("15x"), 0);
    assert_int_equal(hb_my_dialect.read_version("10.11.6"), 101106);
    assert_int_equal(hb_my_dialect.read_version("11.8"), 110800);
    (void)state;
}

/* Of a database, and of a fresh table: what is there without being said is no difference */
static void what_comes_to_the_same_is_known(void **state)
{
    static const struct {
        HbKind kind;
        const char *name, *one, *other;
        gboolean same;
    } cases[] = {
        {HB_KIND_GRANT, "table t", "GRANT SELECT, INSERT ON t TO ida;",
         "GRANT INSERT ON t TO ida;\nGRANT SELECT ON t TO ida;", TRUE},
        {HB_KIND_GRANT, "table t", "GRANT SELECT ON t TO ida;", "GRANT SELECT ON t TO ida WITH GRANT OPTION;", FALSE},
        {HB_KIND_GRANT, "table t", "GRANT SELECT ON t TO ida;", "GRANT SELECT ON t TO quill;", FALSE},
        {HB_KIND_MEMBERSHIP, "ida in keepers", "GRANT keepers TO ida;", "GRANT keepers TO ida GRANTED BY quill;", TRUE},
        {HB_KIND_MEMBERSHIP, "ida in keepers", "GRANT keepers TO ida GRANTED BY ida;",
         "GRANT keepers TO ida GRANTED BY quill;", FALSE},
        {HB_KIND_SEQUENCE_VALUE, "s.x", "SELECT pg_catalog.setval('s.x', 5, true);", "SELECT setval('s.x', 5);", TRUE},
        {HB_KIND_SEQUENCE_VALUE, "s.x", "SELECT pg_catalog.setval('s.\"x, y\"', -5, false);",
         "ALTER SEQUENCE s.\"x, y\" RESTART WITH -5;", TRUE},
        {HB_KIND_SEQUENCE_VALUE, "s.x", "SELECT pg_catalog.setval('s.x', 5, false);", "SELECT setval('s.x', 5);",
         FALSE},
        {HB_KIND_SEQUENCE_VALUE, "s.x", "SELECT setval('s.x', 4);", "SELECT setval('s.x', 5);", FALSE},
        {HB_KIND_DEFAULT, "t.a", "ALTER TABLE ONLY s.t ALTER COLUMN a SET DEFAULT 'TABLE ONLY ';",
         "ALTER TABLE s.t ALTER COLUMN a SET DEFAULT 'TABLE ONLY ';", TRUE},
        {HB_KIND_DEFAULT, "t.a", "ALTER TABLE ONLY s.t ALTER COLUMN a SET DEFAULT 1;",
         "ALTER TABLE s.t ALTER COLUMN a SET DEFAULT 2;", FALSE},
        {HB_KIND_VIEW, "v", "GRANT SELECT, INSERT ON t TO ida;", "GRANT INSERT ON t TO ida;\nGRANT SELECT ON t TO ida;",
         FALSE},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        HbObject *one = hb_object_new(cases[i].kind, cases[i].name),
                 *other = hb_object_new(cases[i].kind, cases[i].name);
        one->definition = g_strdup(cases[i].one);
        other->definition = g_strdup(cases[i].other);
        assert_int_equal(hb_pg_dialect.means_same(one, other), cases[i].same);
        assert_int_equal(hb_pg_dialect.means_same(other, one), cases[i].same);
        assert_true(cases[i].kind == HB_KIND_VIEW || hb_pg_dialect.means_same(one, one) ||
                    cases[i].kind == HB_KIND_MEMBERSHIP);
        hb_object_free(one);
        hb_object_free(other);
    }
}

/* Large objects one by one, with the owners of new ones; a sequence that would not go back by itself */
static void what_is_there_is_aligned_with_what_is_wanted(void **state)
{
    static const struct {
        const HbDialect *dialect;
        HbKind kind;
        const char *name, *wanted, *owners, *there, *sql;
    } cases[] = {
        {&hb_pg_dialect, HB_KIND_LARGE_OBJECTS, "0 to 999",
         "SELECT pg_catalog.lo_create(3);\nSELECT pg_catalog.lo_create(7);",
         "ALTER LARGE OBJECT 3 OWNER TO ida;\nALTER LARGE OBJECT 7 OWNER TO \"b;\";",
         "SELECT pg_catalog.lo_create(3);\nSELECT pg_catalog.lo_create(5);",
         "SELECT pg_catalog.lo_create(7);\nALTER LARGE OBJECT 7 OWNER TO \"b;\";\nSELECT pg_catalog.lo_unlink(5);\n"},
        {&hb_pg_dialect, HB_KIND_LARGE_OBJECTS, "0 to 999", "SELECT pg_catalog.lo_create(3);", NULL,
         "SELECT pg_catalog.lo_create(3);", NULL},
        {&hb_pg_dialect, HB_KIND_LARGE_OBJECTS, "0 to 999", "SELECT pg_catalog.lo_create(3);", NULL,
         "SELECT pg_catalog.lo_create(3);\nSELECT pg_catalog.lo_create(1); DROP TABLE t; (2);",
         "SELECT pg_catalog.lo_unlink(1);\n"},
        {&hb_pg_dialect, HB_KIND_SEQUENCE_VALUE, "n", "SELECT setval('n', 5);", NULL, "SELECT setval('n', 9);", NULL},
        {&hb_my_dialect, HB_KIND_SEQUENCE_VALUE, "`a b`", "DO SETVAL(`a b`, -17, 0, 2);", NULL,
         "DO SETVAL(`a b`, 99, 0, 2);", "ALTER SEQUENCE `a b` RESTART WITH -17;\nDO SETVAL(`a b`, -17, 0, 2);"},
        {&hb_my_dialect, HB_KIND_SEQUENCE_VALUE, "a", "DO SETVAL(b, 1, 0, 2);", NULL, "DO SETVAL(a, 99, 0, 2);", NULL},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        HbObject *wanted = hb_object_new(cases[i].kind, cases[i].name),
                 *there = hb_object_new(cases[i].kind, cases[i].name);
        wanted->definition = g_strdup(cases[i].wanted);
        wanted->owner_sql = g_strdup(cases[i].owners);
        there->definition = g_strdup(cases[i].there);
        g_autofree char *sql = cases[i].dialect->make_align_sql(wanted, there);
        if (g_strcmp0(sql, cases[i].sql) != 0)
            fail_msg("case %d: %s", (int)i, sql);
        hb_object_free(wanted);
        hb_object_free(there);
    }
}

/* What real servers made of these passwords and salts */
static void passwords_are_hashed_as_servers_do(void **state)
{
    static const struct {
        const char *password, *salt, *hash;
    } cases[] = {
        {"oak", "\x5b\x23\x74\x78\x64\x48\x3f\x3a\x4e\x1d\x22\x40\x04\x2d\x55\x6f\x70\x69\x59\x14",
         "1rLe7M4KhvMcn5nsO5XeXdxxXWlVL02rXvAB6XROay6"},
        {"größte Eiche im ganzen alten Garten hinter dem Haus",
         "\x63\x7f\x45\x4d\x59\x32\x60\x08\x2a\x3c\x50\x08\x3b\x47\x75\x0e\x78\x5c\x0a\x3b",
         "ifx3wbN/PN8luF1PQQEQWhPnv1KfowLvOPNmZSDA9c5"},
        {"0123456789abcdef0123456789abcdef",
         "\x65\x7b\x57\x6c\x2a\x5e\x2d\x40\x64\x0e\x0c\x3a\x22\x52\x25\x2b\x78\x44\x19\x6a",
         "oOv6K5WyQvISPgf5mfBCwHBAbXM3v3soum0qCDGyi7/"},
        {"a", "\x29\x45\x2b\x42\x73\x63\x2b\x12\x25\x6f\x21\x79\x49\x61\x7a\x5a\x12\x2d\x06\x28",
         "yjfYGw8Pn0sZIkolNUc0uJV0AwITmy9GAkpgsWeSyx3"},
    };
    g_autofree char *native = hb_my_hash_native("oak");
    char salt[HB_MY_SALT_LENGTH + 1];

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *hash = hb_my_hash_caching_sha2(cases[i].password, cases[i].salt, 10);
        g_autofree char *expected = g_strconcat("$A$00A$", cases[i].salt, cases[i].hash, NULL);
        assert_string_equal(hash, expected);
    }
    assert_int_equal(strlen(native), 41);
    assert_true(hb_my_draw_salt(salt, NULL));
    assert_int_equal(strlen(salt), HB_MY_SALT_LENGTH);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_is_there_is_aligned_with_what_is_wanted),
        cmocka_unit_test(every_literal_reads_back_as_one_text),
        cmocka_unit_test(every_dialect_keeps_its_contract),
        cmocka_unit_test(versions_are_read_as_the_servers_number_them),
        cmocka_unit_test(what_comes_to_the_same_is_known),
        cmocka_unit_test(versions_of_mariadb_say_one_table_in_other_words),
        cmocka_unit_test(both_products_say_one_table_in_other_words),
        cmocka_unit_test(hashes_of_mariadb_are_hidden),
        cmocka_unit_test(passwords_are_hidden),
        cmocka_unit_test(passwords_are_hashed_as_servers_do),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
