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

static HbDigest digest_of(const char *rows)
{
    g_auto(GStrv) lines = g_strsplit(rows, "\n", -1);
    HbDigest digest = {0};

    for (char **line = lines; *line != NULL && **line != '\0'; line++)
        hb_digest_add_row(&digest, *line, strlen(*line));
    return digest;
}

/* What dumps say for ever; the values were made by another program */
static void digests_are_those_of_the_specification(void **state)
{
    static const char leaf[] = "leaf ";
    g_autoptr(GString) long_row = g_string_new(NULL);
    const struct {
        const char *rows; /* NULL: a long one */
        const char *digest;
    } golden[] = {
        {"", "00000000000000000000000000000000"},
        {"1\tFagus sylvatica\t\\N\n", "8da23d7b828194c2197d1cc87dbcdf89"},
        {"1\tFagus sylvatica\t\\N\n2\tQuercus robur\tx\n", "aa314655f733e251116142c80752faa8"},
        {NULL, "3778afeb5b0d506b6240382ce608b227"},
    };

    (void)state;
    for (int i = 0; i < 200; i++)
        g_string_append(long_row, leaf);
    g_string_append_c(long_row, '\n');
    for (gsize i = 0; i < G_N_ELEMENTS(golden); i++) {
        HbDigest digest = digest_of(golden[i].rows != NULL ? golden[i].rows : long_row->str);
        char text[HB_DIGEST_TEXT_LENGTH + 1];
        hb_digest_write(&digest, text);
        assert_string_equal(text, golden[i].digest);
    }
    HbDigest sum = digest_of(golden[2].rows), more = digest_of(long_row->str); /* carries over into the high half */
    char text[HB_DIGEST_TEXT_LENGTH + 1];
    HbDigest empty = {0};
    hb_digest_add_row(&empty, "", 0);
    hb_digest_write(&empty, text);
    assert_string_equal(text, "99aa06d3014798d86001c324468d497f");
    hb_digest_add(&sum, &more);
    hb_digest_add(&sum, &more);
    hb_digest_write(&sum, text);
    assert_string_equal(text, "1922a62cad4e8327d5e1b321d3645ef6");
    assert_int_equal(sum.rows, 4);
}

static void digests_ignore_order_and_nothing_else(void **state)
{
    HbDigest one = digest_of("a\t1\nb\t2\na\t1\n"), other = digest_of("a\t1\na\t1\nb\t2\n");
    static const char *const different[] = {"a\t1\nb\t2\n", "a\t1\nb\t2\nb\t2\n", "a\t1\nb\t2\na\t\\N\n",
                                            "a\t1\nb\t2\na\t1\n\\N\n"};

    (void)state;
    assert_true(hb_digest_is_equal(&one, &other));
    for (gsize i = 0; i < G_N_ELEMENTS(different); i++) {
        other = digest_of(different[i]);
        assert_false(hb_digest_is_equal(&one, &other));
    }
}

static void digests_add_up_and_survive_writing(void **state)
{
    HbDigest whole = digest_of("a\nb\nc\n"), part = digest_of("c\n"), sum = digest_of("b\na\n"), read = {.rows = 3};
    char text[HB_DIGEST_TEXT_LENGTH + 1];
    static const char *const bad[] = {"", "12", "zz6d1d6fbe9a35d8c3d4e5f60718293a", "AB6d1d6fbe9a35d8c3d4e5f60718293a"};

    (void)state;
    hb_digest_add(&sum, &part);
    assert_true(hb_digest_is_equal(&whole, &sum));
    hb_digest_write(&whole, text);
    assert_true(hb_digest_read(&read, text));
    assert_true(hb_digest_is_equal(&whole, &read));
    for (gsize i = 0; i < G_N_ELEMENTS(bad); i++)
        assert_false(hb_digest_read(&read, bad[i]));
    /* of the empty row, as xxHash 0.8 specifies it: XXH3-128 of no bytes */
    sum = (HbDigest){0};
    hb_digest_add_row(&sum, "", 0);
    hb_digest_write(&sum, text);
    assert_string_equal(text, "99aa06d3014798d86001c324468d497f");
}

static void rows_are_counted_however_they_are_cut(void **state)
{
    static const char rows[] = "1\tone\n2\t\\N\n3\tline\\nend\n\t\n";
    HbDigest whole = digest_of(rows);

    (void)state;
    for (gsize cut = 1; cut < sizeof rows; cut++) {
        HbRowCounter counter;
        hb_row_counter_init(&counter, 2);
        for (gsize at = 0; at < sizeof rows - 1; at += cut)
            hb_row_counter_add(&counter, rows + at, MIN(cut, sizeof rows - 1 - at));
        assert_true(hb_row_counter_is_whole(&counter));
        assert_true(hb_digest_is_equal(&counter.sum.digest, &whole));
        assert_int_equal(counter.wrong_row, 0);
        hb_row_counter_clear(&counter);
    }
}

static void a_row_with_a_field_too_many_is_named(void **state)
{
    HbRowCounter counter;

    (void)state;
    hb_row_counter_init(&counter, 2);
    hb_row_counter_add(&counter, "1\t2\n1\t2\t3\n1\n", 12);
    assert_int_equal(counter.wrong_row, 2);
    hb_row_counter_add(&counter, "half", 4);
    assert_false(hb_row_counter_is_whole(&counter));
    hb_row_counter_clear(&counter);
}

static void parts_are_read_and_written(void **state)
{
    guint parts;
    GError *error = NULL;
    g_autofree char *text = NULL;

    (void)state;
    assert_true(hb_parts_read("data, schema", &parts, NULL));
    text = hb_parts_write(parts);
    assert_string_equal(text, "schema,data");
    assert_false(hb_parts_read("schema,indexes", &parts, &error));
    check_error(&error, HB_ERROR_USAGE, "indexes");
    assert_false(hb_parts_read("", &parts, &error));
    check_error(&error, HB_ERROR_USAGE, "no part");
}

static void a_long_list_says_how_many_more_there_are(void **state)
{
    static const char *const lists[] = {"", "oak", "oak, oak", "oak, oak, oak", "oak, oak, oak and 1 more"};

    (void)state;
    for (guint count = 0; count < G_N_ELEMENTS(lists); count++) {
        HbNameList names;
        hb_name_list_init(&names, 3);
        for (guint i = 0; i < count; i++)
            hb_name_list_add(&names, "oak");
        g_autofree char *list = hb_name_list_end(&names);
        assert_string_equal(list, lists[count]);
        assert_int_equal(names.count, count);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(sql_is_normalised_to_its_tokens),
        cmocka_unit_test(mariadb_has_rules_of_its_own),
        cmocka_unit_test(hashes_of_mariadb_are_hidden),
        cmocka_unit_test(passwords_are_hidden),
        cmocka_unit_test(a_database_is_renamed_only_where_it_is_meant),
        cmocka_unit_test(digests_are_those_of_the_specification),
        cmocka_unit_test(digests_ignore_order_and_nothing_else),
        cmocka_unit_test(digests_add_up_and_survive_writing),
        cmocka_unit_test(rows_are_counted_however_they_are_cut),
        cmocka_unit_test(a_row_with_a_field_too_many_is_named),
        cmocka_unit_test(a_long_list_says_how_many_more_there_are),
        cmocka_unit_test(parts_are_read_and_written),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
