/* SPDX-License-Identifier: Apache-2.0 */
/* The core's readers of text: SQL, rows, digests, parts */
#include "support/check.h"

#include "core/base/digest.h"
#include "core/base/name_list.h"
#include "core/rows/row_counter.h"
#include "core/sql/lexer.h"
#include "engine/mariadb/dialect/dialect.h"
#include "engine/mariadb/dialect/lexical.h"
#include "engine/postgres/dialect/dialect.h"
#include "engine/postgres/dialect/lexical.h"

typedef struct {
    const char *in;
    const char *out;
} Pair;

static void sql_is_normalised_to_its_tokens(void **state)
{
    static const Pair pairs[] = {
        {"CREATE  TABLE\n\tt (a int)", "CREATE TABLE t ( a int )"},
        {"a -- comment\nb", "a b"},
        {"a /* one /* inside */ still */ b", "a b"},
        {"'it''s  --no comment'  x", "'it''s  --no comment' x"},
        {"E'a\\'b  c' d", "E'a\\'b  c' d"},
        {"'a\\' b", "'a\\' b"},
        {"$f$ two  blanks ' $f$  z", "$f$ two  blanks ' $f$ z"},
        {"$$a$$$1", "$$a$$ $1"},
        {"\"Two  Blanks\"\"q\" .x", "\"Two  Blanks\"\"q\" . x"},
        {"größe=1", "größe = 1"},
        {"\"json_value\" \"Größe\" \"a b\" \"1a\" \"_x9\" \"\"", "json_value \"Größe\" \"a b\" \"1a\" _x9 \"\""},
        {"'never ended", "'never ended"},
        {"", ""},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(pairs); i++) {
        g_autofree char *out = hb_lexer_normalise(&hb_pg_rules, pairs[i].in);
        assert_string_equal(out, pairs[i].out);
    }
}

/* What the server runs, or keeps, is never taken for space */
static void mariadb_has_rules_of_its_own(void **state)
{
    static const Pair pairs[] = {
        {"RETURN 5--1", "RETURN 5 - - 1"},
        {"RETURN 5 -- 1", "RETURN 5 -- 1"},
        {"RETURN 5 --\t1\n+ 2", "RETURN 5 --\t1 + 2"},
        {"RETURN 5 # 1", "RETURN 5 # 1"},
        {"RETURN /*!50100 1 */  +  2", "RETURN /*!50100 1 */ + 2"},
        {"RETURN /*M!100100 'a  b' */", "RETURN /*M!100100 'a  b' */"},
        {"RETURN /* one  */  1", "RETURN /* one  */ 1"},
        {"RETURN /*!999999 ' */ 1", "RETURN /*!999999 ' */ 1"},
        {"a /* one /* inside */ b", "a /* one /* inside */ b"},
        {"'a\\'  b'  c", "'a\\'  b' c"},
        {"\"a  b\"  `c  d`", "\"a  b\" `c  d`"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(pairs); i++) {
        g_autofree char *out = hb_lexer_normalise(&hb_my_rules, pairs[i].in);
        assert_string_equal(out, pairs[i].out);
    }
}

static void a_database_is_renamed_only_where_it_is_meant(void **state)
{
    static const Pair pairs[] = {
        {"ALTER DATABASE vale SET x TO 'DATABASE vale'", "ALTER DATABASE \"New\" SET x TO 'DATABASE vale'"},
        {"ALTER ROLE vale IN DATABASE vale SET a TO b", "ALTER ROLE vale IN DATABASE \"New\" SET a TO b"},
        {"ALTER DATABASE vale2 OWNER TO vale; -- DATABASE vale",
         "ALTER DATABASE vale2 OWNER TO vale; -- DATABASE vale"},
        {"GRANT CONNECT ON DATABASE  vale TO x", "GRANT CONNECT ON DATABASE  \"New\" TO x"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(pairs); i++) {
        g_autofree char *out = hb_lexer_rename_after(&hb_pg_rules, "DATABASE", pairs[i].in, "vale", "\"New\"");
        assert_string_equal(out, pairs[i].out);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(sql_is_normalised_to_its_tokens),
        cmocka_unit_test(mariadb_has_rules_of_its_own),
        cmocka_unit_test(a_database_is_renamed_only_where_it_is_meant),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
