/* SPDX-License-Identifier: Apache-2.0 */
/* What one version of PostgreSQL prints and another one reads otherwise: new words, and names that became key words */
#include "support/check.h"

#include "engine/postgres/dialect/printing.h"

#include <string.h>

static void the_first_version_that_reads_a_definition_is_known(void **state)
{
    static const struct {
        const char *sql;
        guint since;
        const char *what; /* NULL: all versions read it */
    } cases[] = {
        {"CREATE VIEW v AS SELECT 1;", 0, NULL},
        {"CHECK ((a IS JSON))", 160000, "IS JSON"},
        {"CHECK ((a IS NOT JSON ARRAY))", 160000, "IS JSON"},
        {"SELECT JSON_ARRAY(1)", 160000, "JSON_ARRAY()"},
        {"SELECT JSON_VALUE(a, '$.b')", 170000, "JSON_VALUE()"},
        {"SELECT JSON_OBJECT('a' : 1), JSON_EXISTS(b, '$')", 170000, "JSON_EXISTS()"},
        {"SELECT JSON_EXISTS(b, '$'), JSON_OBJECT('a' : 1)", 170000, "JSON_EXISTS()"},
        {"SELECT JSON(a)", 170000, "JSON()"},
        {"SELECT 'a IS JSON'", 0, NULL},
        {"SELECT \"JSON_VALUE\"(a)", 0, NULL},
        {"SELECT JSON_VALUE FROM t", 0, NULL},
        {"SELECT json_value(a)", 0, NULL},
        {"-- IS JSON\nSELECT 1", 0, NULL},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        const char *what = NULL;
        const guint since = hb_pg_find_first_version(cases[i].sql, &what);
        if (since != cases[i].since || g_strcmp0(what, cases[i].what) != 0)
            fail_msg("%s: %u, %s", cases[i].sql, since, what);
    }
}

static void names_that_became_key_words_are_quoted(void **state)
{
    static const struct {
        const char *text, *quoted; /* NULL: it stays */
        gboolean is_name;
    } cases[] = {
        {"garden.json_value", "garden.\"json_value\"", TRUE},
        {"garden.\"json_value\"", NULL, TRUE},
        {"garden.json_values", NULL, TRUE},
        {"garden.json(json)", "garden.\"json\"(json)", TRUE}, /* the argument is a type */
        {"SELECT json_scalar FROM t", "SELECT \"json_scalar\" FROM t", FALSE},
        {"SELECT a::json, system_user FROM t", "SELECT a::json, \"system_user\" FROM t", FALSE},
        {"SELECT 'json_value'::text", NULL, FALSE},
        {"SELECT $$ merge_action $$", NULL, FALSE},
        {"SELECT 1", NULL, FALSE},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *quoted = hb_pg_quote_new_words(cases[i].text, cases[i].is_name);
        if (g_strcmp0(quoted, cases[i].quoted) != 0)
            fail_msg("%s: %s", cases[i].text, quoted);
    }
}

static void the_word_after_a_mark_is_read_with_its_quotes(void **state)
{
    g_autofree char *plain = hb_pg_word_after("SET default_tablespace = fast;\nCREATE", HB_PG_SETS_PLACE),
                    *quoted = hb_pg_word_after("SET default_tablespace = \"a \"\"b\";", HB_PG_SETS_PLACE);

    (void)state;
    assert_string_equal(plain, "fast");
    assert_string_equal(quoted, "\"a \"\"b\"");
    assert_null(hb_pg_word_after("CREATE TABLE t ();", HB_PG_SETS_PLACE));
    assert_null(hb_pg_word_after(NULL, HB_PG_SETS_PLACE));
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(the_first_version_that_reads_a_definition_is_known),
        cmocka_unit_test(names_that_became_key_words_are_quoted),
        cmocka_unit_test(the_word_after_a_mark_is_read_with_its_quotes),
    };

    return cmocka_run_group_tests(tests, NULL, NULL);
}
