/* SPDX-License-Identifier: Apache-2.0 */
/* verify says which rows differ: how many are missing, extra and changed, and their keys */
#include "support/check.h"
#include "support/servers.h"

#define LONG_KEY "REPEAT('forty-two letters ', 9)"

static const char *const engines[][2] = {{"old", "new"}, {"mold", "mnew"}};

/* The same SQL on both engines; 71 * 71 rows */
static const char tables[] =
    "CREATE TABLE plot (n INT PRIMARY KEY, name VARCHAR(200));"
    " INSERT INTO plot WITH RECURSIVE c(n) AS (SELECT 0 UNION ALL SELECT n + 1 FROM c WHERE n < 70)"
    " SELECT x.n * 71 + y.n, 'tree' FROM c x, c y;"
    " CREATE TABLE pair (v INT, b VARCHAR(20) NOT NULL, a INT NOT NULL, PRIMARY KEY (b, a));"
    " INSERT INTO pair VALUES (1, 'birch', 1), (2, 'birch', 2), (3, 'it''s \\\\ \\n', 3);"
    " CREATE TABLE twin (a INT, b VARCHAR(20)); INSERT INTO twin VALUES (1, 'x'), (1, 'x'), (1, 'x'), (NULL, NULL);"
    " CREATE TABLE long_key (k VARCHAR(300) PRIMARY KEY, v INT);"
    " INSERT INTO long_key SELECT CONCAT(" LONG_KEY ", n), n FROM plot WHERE n < 200;"
    " CREATE TABLE only_unique (x INT, y INT NOT NULL UNIQUE, z INT UNIQUE); INSERT INTO only_unique VALUES (1, 2, 3)";

static const struct {
    const char *change; /* of TO */
    const char *options;
    const char *told[6]; /* ended by NULL */
} cases[] = {
    {"UPDATE plot SET name = 'oak' WHERE n = 17",
     "--show-values",
     {"rows  1 changed\n", "changed  n = 17\n", "FROM  name = tree\n", "TO    name = oak\n",
      "Different: 1 difference"}},
    {"UPDATE plot SET n = 9999 WHERE n = 4",
     "--show-values",
     {"rows  1 missing, 1 extra\n", "missing  n = 4\n", "extra    n = 9999\n", "TO    n = 9999, name = tree\n"}},
    {"DELETE FROM plot WHERE n < 12", "", {"rows  12 missing\n", "missing  n = 4\n            and 7 more\n"}},
    {"DELETE FROM plot WHERE n < 12", "--rows 0", {"rows  12 missing\nDifferent"}},
    {"UPDATE pair SET v = v + 1", "", {"3 changed", "b = birch, a = 1\n", "changed  b = it's \\\\"}},
    {"DELETE FROM pair WHERE a = 3", "--show-values", {"1 missing", "v = 3, b = it's"}},
    {"INSERT INTO twin VALUES (1, 'x'), (1, 'x'), (2, NULL)", "", {"rows  3 extra\nDifferent"}},
    {"INSERT INTO twin VALUES (1, 'x'), (1, 'x'), (2, NULL)",
     "--show-values",
     {"rows  3 extra\n", "extra    (without a key), 2 times\n", "TO    a = 1, b = x\n", "TO    a = 2, b = \\N"}},
    {"DELETE FROM twin WHERE a = 1", "--show-values", {"3 missing", "(without a key), 3 times\n"}},
    {"UPDATE long_key SET v = -1 WHERE v = 7", "", {"1 changed", "changed  k = forty-two letters forty-two letters "}},
    {"UPDATE only_unique SET x = 5", "", {"1 changed", "y = 2\n"}},
    /* too many for the first reading, and all of them */
    {"UPDATE plot SET name = 'elm' WHERE n % 2 = 0",
     "",
     {"rows  2,521 changed\n", "changed  n = 0\n            changed  n = 2\n", "and 2,516 more\n"}},
    {"DELETE FROM plot", "", {"rows  5,041 missing\n", "and 5,036 more\n"}},
    {"ALTER TABLE pair DROP CONSTRAINT pair_pkey; UPDATE pair SET v = 0 WHERE a = 1", "", {"rows  1 missing, 1 extra"}},
};

static void fill(const char *server)
{
    g_autofree char *shell = servers_get_uri(server, NULL);
    g_autofree char *uri = servers_get_uri(server, "vale");

    g_free(servers_query(shell, "DROP DATABASE IF EXISTS vale"));
    g_free(servers_query(shell, "CREATE DATABASE vale"));
    g_free(servers_query(uri, tables));
}

static Run verify(const char *from, const char *to, const char *options)
{
    g_autofree char *line = g_strdup_printf("$HORNBEAM verify -q '%s' '%s' %s", from, to, options);

    return run_shell(line);
}

static void check_case(gsize number, gsize engine, const char *from, const char *to)
{
    g_auto(GStrv) words = g_strsplit(cases[number].change, "CONSTRAINT pair_pkey", 2);
    g_autofree char *change = g_strjoinv(engine == 0 ? "CONSTRAINT pair_pkey" : "PRIMARY KEY", words);

    g_free(servers_query(to, change));
    for (const char *const *told = cases[number].told; *told != NULL; told++)
        run_expect(verify(from, to, cases[number].options), 1, *told, NULL);
}

static void rows_that_differ_are_named(void **state)
{
    (void)state;
    for (gsize e = 0; e < G_N_ELEMENTS(engines); e++) {
        g_autofree char *from = servers_get_uri(engines[e][0], "vale"), *to = servers_get_uri(engines[e][1], "vale");
        g_autofree char *dump = g_strdup_printf("%s/%s.dump", servers_get_folder(), engines[e][0]);
        fill(engines[e][0]);
        fill(engines[e][1]);
        run_expect(verify(from, to, ""), 0, "Equal", NULL);
        run_expect(run_hornbeam("dump", "-q", from, dump, NULL), 0, NULL, NULL);
        for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
            check_case(i, e, i % 2 == 0 ? from : dump, to);
            fill(engines[e][1]);
        }
    }
}

static void json_names_all_of_them(void **state)
{
    (void)state;
    for (gsize e = 0; e < G_N_ELEMENTS(engines); e++) {
        g_autofree char *from = servers_get_uri(engines[e][0], "vale"), *to = servers_get_uri(engines[e][1], "vale");
        fill(engines[e][0]);
        fill(engines[e][1]);
        g_free(servers_query(to, "DELETE FROM plot WHERE n < 40; UPDATE pair SET v = 9 WHERE a = 3"));
        run_expect(verify(from, to,
                          "--json >$FOLDER/told; [ $? = 1 ] && python3 -c \"import json, sys;"
                          " told = {d['identity'].split('.')[-1].split()[-1]: d['rows'] for d in"
                          " json.load(open(sys.argv[1]))['differences']}; plot, pair = told['plot'],"
                          " told['pair']; print(plot['missing'], plot['extra'], plot['changed'],"
                          " len(plot['named']), plot['named'][39]['key'], plot['one_in'],"
                          " pair['named'][0]['fate'], pair['named'][0]['from'])\" $FOLDER/told"),
                   0, "40 0 0 40 {'n': '39'} 1 changed None", NULL);
    }
}

/* Names that changed on the way, and values that would do something to a terminal */
static void renamed_tables_and_hostile_values_are_shown_as_they_are(void **state)
{
    g_autofree char *from = servers_get_uri("old", "vale"), *to = servers_get_uri("new", "vale");

    (void)state;
    fill("old");
    fill("new");
    g_free(servers_query(to,
                         "CREATE SCHEMA kept; ALTER TABLE plot SET SCHEMA kept; ALTER TABLE pair SET SCHEMA kept;"
                         " ALTER TABLE twin SET SCHEMA kept; ALTER TABLE long_key SET SCHEMA kept;"
                         " ALTER TABLE only_unique SET SCHEMA kept; INSERT INTO kept.pair VALUES (1, E'\\033[2J', 1);"
                         " DROP SCHEMA public"));
    run_expect(verify(from, to, "--rename schema:public=kept --parts data"), 1, "rows kept.pair: other rows", NULL);
    run_expect(verify(from, to, "--rename schema:public=kept --parts data"), 1, "b = \\x1B[2J, a = 1", NULL);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(rows_that_differ_are_named),
        cmocka_unit_test(json_names_all_of_them),
        cmocka_unit_test(renamed_tables_and_hostile_values_are_shown_as_they_are),
    };
    return servers_run_tests("old new mold:mariadb mnew:mariadb", NULL, tests, G_N_ELEMENTS(tests));
}
