/* SPDX-License-Identifier: Apache-2.0 */
/* What of a text other servers of the family do not read */
#include "support/check.h"

#include "engine/mariadb/dialect/charsets.h"
#include "engine/mariadb/dialect/native_functions.h"
#include "engine/mariadb/dialect/phrases.h"

#define MYSQL_57  50744
#define MYSQL_80  80036
#define MYSQL_97  90704
#define MARIA_105 100528
#define MARIA_118 110809

static void phrases_that_a_version_does_not_read_are_found(void **state)
{
    static const struct {
        guint version;
        const char *sql, *phrase; /* NULL: it reads all */
    } cases[] = {
        {MARIA_118, "select `t`.`j`->'$.a' from `t`", "->"},
        {MARIA_118, "select `t`.`j` ->> '$.a' from `t`", "->"},
        {MARIA_118, "select 1 - 2 > 3, 1 - > 2, '->', `->` /* -> */ -- ->\n", NULL},
        {MYSQL_97, "select `t`.`j`->'$.a' from `t`", NULL},
        {MARIA_118, "SELECT * FROM t, lateral (SELECT 1) x", "LATERAL"},
        {MARIA_118, "SELECT lateral FROM t.lateral (1)", NULL},
        {MARIA_118, "SELECT * FROM t FOR /* all */ SHARE", "FOR SHARE"},
        {MARIA_118, "SELECT 'FOR SHARE', `FOR` SHARE", NULL},
        {MARIA_105, "SELECT * FROM t FOR UPDATE SKIP LOCKED", "SKIP LOCKED"},
        {MARIA_118, "SELECT * FROM t FOR UPDATE SKIP LOCKED", NULL},
        {MYSQL_57, "SELECT * FROM t FOR UPDATE SKIP LOCKED", "SKIP LOCKED"},
        {MARIA_118, "SELECT CAST(a AS JSON)", "CAST AS JSON"},
        {MARIA_118, "SELECT CAST((SELECT a AS json) AS CHAR), (SELECT a AS json)", NULL},
        {MARIA_118, "SELECT JSON_VALUE(a, '$.b' RETURNING SIGNED)", "JSON_VALUE ... RETURNING"},
        {MARIA_118, "INSERT INTO t VALUES (1) RETURNING a", NULL},
        {MYSQL_97, "SELECT JSON_VALUE(a, '$.b' RETURNING SIGNED)", NULL},
        {MYSQL_97, "INSERT INTO t VALUES (JSON_VALUE(a, '$')) RETURNING a", "RETURNING"},
        {MYSQL_97, "BEGIN FOR i IN 1..3 DO SELECT i; END FOR; END", "FOR ... IN"},
        {MYSQL_97, "BEGIN DECLARE c CURSOR FOR SELECT 1; IF a IN (1) THEN OPEN c; END IF; END", NULL},
        {MYSQL_97, "BEGIN DECLARE x TYPE OF t.a; END", "TYPE OF"},
        {MYSQL_97, "BEGIN DECLARE x ROW (a INT); END", "DECLARE ... ROW"},
        {MYSQL_97, "CREATE TRIGGER t BEFORE INSERT ON x FOR EACH ROW SET @a = 1", NULL},
        {MARIA_118, "BEGIN FOR i IN 1..3 DO SELECT i; END FOR; END", NULL},
        {MYSQL_57, "SELECT ROW_NUMBER() OVER (ORDER BY a) FROM t", "OVER"},
        {MYSQL_80, "WITH RECURSIVE c AS (SELECT 1) SELECT ROW_NUMBER() OVER (ORDER BY a) FROM c", NULL},
        {MARIA_105, "SELECT * FROM JSON_TABLE('[]', '$[*]' COLUMNS (a INT PATH '$')) t", "JSON_TABLE"},
        {MARIA_118, "SELECT (((", NULL},
        {MARIA_118, ")))", NULL},
        {MARIA_118, "SELECT 'never ends", NULL},
        {MARIA_118, "", NULL},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        const char *found = hb_my_find_foreign_phrase(cases[i].sql, cases[i].version);
        if (g_strcmp0(found, cases[i].phrase) != 0)
            fail_msg("%s: found %s, expected %s", cases[i].sql, found, cases[i].phrase);
    }
}

/* The list is searched as one in order: each of its ends and some between must be found */
static void functions_of_some_servers_are_known(void **state)
{
    static const char *const some[] = {"add_months",    "any_value",
                                       "area",          "bin_to_uuid",
                                       "json_detailed", "nvl",
                                       "nvl2",          "regexp_like",
                                       "st_validate",   "to_vector",
                                       "uuid_to_bin",   "vec_totext",
                                       "within",        "wait_for_executed_gtid_set"};
    static const char *const all[] = {"", "concat", "count", "json_valid", "zzz", "nvl3", "ADD_MONTHS"};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(some); i++) {
        if (!hb_my_is_native_somewhere(some[i]))
            fail_msg("%s is not found", some[i]);
    }
    for (gsize i = 0; i < G_N_ELEMENTS(all); i++)
        assert_false(hb_my_is_native_somewhere(all[i]));
}

static void usual_collations_are_those_of_the_version(void **state)
{
    static const struct {
        const char *charset;
        guint version;
        const char *collation;
    } cases[] = {
        {"utf8mb4", MYSQL_57, "utf8mb4_general_ci"},  {"utf8mb4", MYSQL_80, "utf8mb4_0900_ai_ci"},
        {"UTF8MB4", MARIA_105, "utf8mb4_general_ci"}, {"utf8mb4", MARIA_118, "utf8mb4_uca1400_ai_ci"},
        {"utf8", MYSQL_97, "utf8mb3_general_ci"},     {"utf8mb3", MARIA_118, "utf8mb3_uca1400_ai_ci"},
        {"latin1", MARIA_118, "latin1_swedish_ci"},   {"latin1", MYSQL_97, "latin1_swedish_ci"},
        {"latin2", MYSQL_57, "latin2_general_ci"},    {"ujis", MARIA_105, "ujis_japanese_ci"},
        {"ascii", MARIA_118, "ascii_general_ci"},     {"binary", MYSQL_97, NULL},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *collation = hb_my_get_usual_collation(cases[i].charset, cases[i].version);
        if (g_strcmp0(collation, cases[i].collation) != 0)
            fail_msg("%s of %u: %s", cases[i].charset, cases[i].version, collation);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(phrases_that_a_version_does_not_read_are_found),
        cmocka_unit_test(functions_of_some_servers_are_known),
        cmocka_unit_test(usual_collations_are_those_of_the_version),
    };

    return cmocka_run_group_tests(tests, NULL, NULL);
}
