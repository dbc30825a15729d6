/* SPDX-License-Identifier: Apache-2.0 */
/* Moves between MySQL servers, driven as a user would. Skipped where the server's packages could not be fetched */
#include "support/check.h"
#include "support/servers.h"

#include <string.h>

/* What only MySQL has, or says otherwise than MariaDB; what cannot be carried is in a database of its own */
static const char oddities[] =
    "CREATE DATABASE shed CHARACTER SET utf8mb4 COLLATE utf8mb4_0900_ai_ci; USE shed;"
    "CREATE TABLE tool (id INT AUTO_INCREMENT PRIMARY KEY, name VARCHAR(40) DEFAULT (CONCAT('a', 'b')), facts JSON,"
    " hid INT INVISIBLE DEFAULT 5, g GEOMETRY SRID 4326, n INT, v INT AS (n * 2), s INT AS (n * 3) STORED, b BIT(9), "
    "bl BLOB,"
    " KEY fx ((LOWER(name))), KEY mv ((CAST(facts->'$.b' AS UNSIGNED ARRAY))), KEY inv (n) INVISIBLE,"
    " CONSTRAINT odd CHECK (n > 0) NOT ENFORCED);"
    "INSERT INTO tool (name, facts, g, n, b, bl, hid) VALUES ('rake', '{\"a\": 1.5, \"b\": [1, 2]}',"
    " ST_GeomFromText('POINT(10 20)', 4326), -3, b'101010101', x'00ff275c', 6), ('saw', NULL, NULL, NULL, NULL, '', 7);"
    "CREATE SPATIAL REFERENCE SYSTEM 40001 NAME 'a grid' DEFINITION 'GEOGCS[\"a "
    "grid\",DATUM[\"vale\",SPHEROID[\"ball\","
    "6378137,298.257223563]],PRIMEM[\"Greenwich\",0],UNIT[\"degree\",0.017453292519943278],AXIS[\"Lat\",NORTH],"
    "AXIS[\"Lon\",EAST]]' ORGANIZATION 'VALE' IDENTIFIED BY 7 DESCRIPTION 'the gardener''s';"
    "CREATE SPATIAL REFERENCE SYSTEM 40002 NAME 'Grid \\\\ 2' DEFINITION "
    "'GEOGCS[\"g\",DATUM[\"vale\",SPHEROID[\"ball\","
    "6378137,298]],PRIMEM[\"Greenwich\",0],UNIT[\"degree\",0.017453292519943278],AXIS[\"Lat\",NORTH],AXIS[\"Lon\",EAST]"
    "]';"
    "CREATE TABLE bed (id INT PRIMARY KEY, at POINT NOT NULL SRID 40001, way LINESTRING SRID 40002, SPATIAL KEY (at));"
    "INSERT INTO bed VALUES (1, ST_GeomFromText('POINT(10 20)', 40001), NULL);"
    "CREATE TABLE heap (a INT, b VARCHAR(10), KEY (b)) ENGINE = MyISAM; INSERT INTO heap VALUES (1, 'x'), (1, 'x');"
    "CREATE TABLE large (id INT PRIMARY KEY, body LONGBLOB); INSERT INTO large VALUES (1, REPEAT(x'00ff27', 3000000));"
    "SET SESSION restrict_fk_on_non_standard_key = OFF; CREATE TABLE parent (x INT, KEY (x)); INSERT INTO parent "
    "VALUES (4);"
    "CREATE TABLE child (x INT, CONSTRAINT loose FOREIGN KEY (x) REFERENCES parent (x)); INSERT INTO child VALUES (4);"
    "SET SESSION sql_generate_invisible_primary_key = ON; CREATE TABLE keyless (a INT); INSERT INTO keyless VALUES "
    "(1), (1);"
    "CREATE TABLE times (y INT, d DATE, PRIMARY KEY (y, d)) PARTITION BY RANGE (YEAR(d))"
    " (PARTITION a VALUES LESS THAN (2000), PARTITION b VALUES LESS THAN MAXVALUE); INSERT INTO times VALUES (1, "
    "'1999-01-01');";

static const char accounts[] =
    "CREATE ROLE gardener, keeper; CREATE USER ann@localhost IDENTIFIED BY 'a' DEFAULT ROLE gardener REQUIRE SSL"
    " WITH MAX_USER_CONNECTIONS 3 PASSWORD HISTORY 5 FAILED_LOGIN_ATTEMPTS 3 PASSWORD_LOCK_TIME 2 COMMENT 'the keeper';"
    "GRANT gardener, keeper TO ann@localhost; GRANT keeper TO gardener WITH ADMIN OPTION;"
    "GRANT SELECT ON shed.* TO gardener; GRANT INSERT (id), SELECT (name, id) ON shed.tool TO ann@localhost;"
    "GRANT BACKUP_ADMIN ON *.* TO ann@localhost WITH GRANT OPTION; GRANT RELOAD, BINLOG_ADMIN ON *.* TO ann@localhost;"
    "CREATE USER `odd'na\"me`@`10.0.0.0/255.255.255.0` IDENTIFIED BY 'a'; GRANT UPDATE (name) ON shed.tool TO"
    " `odd'na\"me`@`10.0.0.0/255.255.255.0`; CREATE USER adm@'%' IDENTIFIED BY 'adm';"
    "GRANT ALL ON *.* TO adm@'%' WITH GRANT OPTION; GRANT PROXY ON adm@'%' TO ann@localhost;"
    "SET GLOBAL partial_revokes = ON; CREATE USER part@'%' IDENTIFIED BY 'p'; GRANT SELECT, INSERT ON *.* TO part@'%';"
    "REVOKE INSERT ON mysql.* FROM part@'%'; REVOKE SELECT ON shed.* FROM part@'%';";

static gboolean is_here(void)
{
    return servers_has_family("mysql");
}

#define NEEDS_MYSQL                                                                                                    \
    if (!is_here())                                                                                                    \
    skip()

static void run_sql(const char *server, const char *sql)
{
    g_autofree char *uri = servers_get_uri(server, NULL);

    g_free(servers_query(uri, sql));
}

static void compare_with_census(const char *database, guint least)
{
    g_autofree char *line = g_strdup_printf(
        "for s in old new; do $SOURCE/tests/support/mysql_census.sh $SERVERS/$s/socket %s >$FOLDER/census.$s; done;"
        " [ $(wc -l <$FOLDER/census.old) -gt %u ]; diff $FOLDER/census.old $FOLDER/census.new",
        database, least);

    servers_run_shell(line);
}

/* Everything at once, from server to server by way of a dump; then each database by the server's own words */
static void a_whole_server_moves(void **state)
{
    (void)state;
    NEEDS_MYSQL;
    run_sql("old", oddities);
    run_sql("old", accounts);
    run_sql("new", "SET GLOBAL partial_revokes = ON");
    run_expect(run_shell("$HORNBEAM dump \"$(server_uri old)\" $FOLDER/all.dump"), 0, "Written whole", "heap");
    run_expect(run_shell("$HORNBEAM restore $FOLDER/all.dump \"$(server_uri new)\" --yes"), 0, "Restored whole", NULL);
    run_expect(run_shell("$HORNBEAM verify $FOLDER/all.dump \"$(server_uri new)\""), 0, "Equal", NULL);
    compare_with_census("fennick_vale", 60000);
    compare_with_census("shed", 60);
}

static void what_is_there_is_replaced_or_carried_anew(void **state)
{
    (void)state;
    NEEDS_MYSQL;
    run_sql("new", "INSERT INTO shed.parent VALUES (77); ALTER TABLE shed.child ADD y INT; DROP TABLE shed.heap");
    run_expect(
        run_shell("$HORNBEAM carry \"$(server_uri old shed)\" \"$(server_uri new shed)\" --existing replace --yes"), 0,
        "Restored", NULL);
    run_expect(run_shell("$HORNBEAM verify \"$(server_uri old shed)\" \"$(server_uri new shed)\""), 0, "Equal", NULL);
    compare_with_census("shed", 60);
    run_expect(run_shell("$HORNBEAM carry \"$(server_uri old shed)\" \"$(server_uri new copy)\" --yes"), 0, NULL, NULL);
    run_expect(run_shell("$HORNBEAM verify \"$(server_uri old shed)\" \"$(server_uri new copy)\""), 0, "Equal", NULL);
}

/* By MySQL's own shell */
static void scripts_run_in_the_stock_shell(void **state)
{
    (void)state;
    NEEDS_MYSQL;
    run_expect(
        run_shell(
            "MARIADB_ROOT=$(. $SOURCE/scripts/versions.sh; family_root mysql); cd $FOLDER; shell() {"
            " $(in_root 'usr/lib/*/ld-linux-x86-64.so.2') --library-path $MARIADB_ROOT/usr/lib/x86_64-linux-gnu"
            " $MARIADB_ROOT/usr/bin/mysql --no-defaults --binary-mode --comments -uroot -S $SERVERS/new/socket \"$@\";"
            " }; $HORNBEAM sql all.dump/databases/fennick_vale >vale.sql &&"
            " shell -e 'DROP DATABASE fennick_vale' && shell <vale.sql 2>early; grep -q 'no database is selected' early"
            " && shell -e 'CREATE DATABASE fennick_vale CHARACTER SET utf8mb4 COLLATE utf8mb4_0900_ai_ci' &&"
            " shell fennick_vale <vale.sql && $HORNBEAM verify \"$(server_uri old fennick_vale)\""
            " \"$(server_uri new fennick_vale)\"; s=$?; shell fennick_vale <vale.sql 2>again;"
            " grep -q 'holds .* already; nothing was changed' again && exit $s"),
        0, "Equal", NULL);
}

/* Killed at any moment: nothing is there twice, also of a table without transactions */
static void what_was_killed_goes_on(void **state)
{
    (void)state;
    NEEDS_MYSQL;
    run_sql(
        "old",
        "CREATE TABLE shed.plain (a INT, b VARCHAR(200)) ENGINE = MyISAM; INSERT INTO shed.plain WITH RECURSIVE c AS"
        " (SELECT 1 AS n UNION ALL SELECT n + 1 FROM c WHERE n < 900) SELECT x.n, REPEAT('x', 200) FROM c x, c y");
    run_expect(
        run_shell(
            "cd $FOLDER; $HORNBEAM dump -q \"$(server_uri old shed)\" shed.dump || exit 9; to=\"$(server_uri new)\";"
            " for wait in 0.1 0.3 0.6 1 2 4; do mariadb_shell new -e 'DROP DATABASE IF EXISTS shed';"
            " $HORNBEAM restore -q shed.dump \"$to\" --yes & sleep $wait; kill -KILL $! 2>/dev/null; wait $!;"
            " for try in 1 2 3 4 5 6 7 8; do $HORNBEAM restore -q shed.dump \"$to\" --yes --resume >tried 2>&1 && "
            "break; sleep 5; done;"
            " $HORNBEAM verify -q shed.dump \"$to\" >proof 2>&1 || { cat tried proof; exit 8; }; done"),
        0, NULL, NULL);
}

static void what_mysql_cannot_give_is_named(void **state)
{
    (void)state;
    NEEDS_MYSQL;
    run_sql(
        "old",
        "CREATE DATABASE loft; USE loft; CREATE TABLESPACE box ADD DATAFILE 'box.ibd'; CREATE TABLE spaced (a INT)"
        " TABLESPACE box; CREATE TABLE typed (j JSON); INSERT INTO typed VALUES (JSON_OBJECT('t', CAST('2026-01-02' AS"
        " DATE))), ('{\"t\": \"2026-01-02\"}'); CREATE USER bob@'%' IDENTIFIED BY 'old'; ALTER USER bob@'%' IDENTIFIED "
        "BY"
        " 'new' RETAIN CURRENT PASSWORD; GRANT SELECT ON loft.* TO bob@'%'; ALTER DATABASE loft READ ONLY = 1");
    run_expect(run_shell("$HORNBEAM dump \"$(server_uri old loft)\" $FOLDER/loft.dump"), 1, "place of table spaced",
               NULL);
    run_expect(run_shell("$HORNBEAM show $FOLDER/loft.dump"), 0, "types inside of j in rows typed", NULL);
    run_expect(run_shell("$HORNBEAM show $FOLDER/loft.dump"), 0, "1 of its values", NULL);
    run_expect(run_shell("$HORNBEAM show $FOLDER/loft.dump"), 0, "older password of 'bob'@'%'", NULL);
    run_expect(run_shell("$HORNBEAM show $FOLDER/loft.dump"), 0, "ALTER DATABASE READ ONLY = 1", NULL);
    /* a grant that is partly revoked is not given whole */
    run_sql("new", "DROP USER part@'%'; SET GLOBAL partial_revokes = OFF");
    run_expect(run_shell("$HORNBEAM restore $FOLDER/loft.dump \"$(server_uri new)\" --yes"), 1,
               "global-grant 'part'@'%' on everything: parts of it are revoked", NULL);
    g_autofree char *uri = servers_get_uri("new", NULL);
    g_autofree char *grants = servers_query(uri, "SHOW GRANTS FOR part@'%'");
    check_lacks(grants, "SELECT");
}

/* Also where the server demands keys, or adds them */
static void a_script_makes_what_the_server_would_forbid(void **state)
{
    (void)state;
    NEEDS_MYSQL;
    servers_run_shell(
        "cd $FOLDER; mariadb_shell old -e 'CREATE DATABASE attic; USE attic; CREATE TABLE keyless (a INT);"
        " INSERT INTO keyless VALUES (1), (1); SET restrict_fk_on_non_standard_key = OFF;"
        " CREATE TABLE box (a INT, b INT, KEY (a)); CREATE TABLE lid (a INT, FOREIGN KEY (a) REFERENCES box (a))';"
        " $HORNBEAM dump -q --parts schema,data \"$(server_uri old attic)\" attic.dump; $HORNBEAM sql attic.dump "
        ">attic.sql;"
        " mariadb_shell new -e 'DROP DATABASE IF EXISTS attic; CREATE DATABASE attic; SET GLOBAL"
        " sql_require_primary_key = ON, GLOBAL sql_generate_invisible_primary_key = ON';"
        " mariadb_shell new --binary-mode --comments attic <attic.sql; mariadb_shell new -e 'SET GLOBAL"
        " sql_require_primary_key = OFF, GLOBAL sql_generate_invisible_primary_key = OFF';"
        " $HORNBEAM verify -q attic.dump \"$(server_uri new attic)\"");
}

/* Whatever the other product refuses when it is made, preflight names beforehand, and nothing else */
static void what_the_other_product_refuses_is_known_beforehand(void **state)
{
    static const struct {
        const char *from, *to, *sql;
        const char *later; /* it is made, and would fail when it is run; and a namesake */
    } ways[] = {{"old", "maria", "foreign_mysql.sql", "function f_later;function to_char;trigger on_leaf;"},
                {"maria", "new", "foreign_mariadb.sql", "function any_value;function f_later;"}};

    (void)state;
    NEEDS_MYSQL;
    servers_run_shell("cd $SOURCE; start_mariadb maria");
    for (gsize i = 0; i < G_N_ELEMENTS(ways); i++) {
        g_autofree char *line = g_strdup_printf(
            "mariadb_shell %s <$SOURCE/tests/support/%s; mariadb_shell %s -e 'DROP DATABASE IF EXISTS foreign_words;"
            " SET GLOBAL log_bin_trust_function_creators = ON'; from=\"$(server_uri %s foreign_words)\""
            " to=\"$(server_uri %s)\"; fails 1 hb preflight \"$from\" \"$to\" --parts schema,data; cp o asked;"
            " words='s/^  \\([a-z]* [a-z_]*\\): .*\\[\\(function\\|phrase\\)-[a-z]*\\]$/\\1/p';"
            " sed -n '/^Blockers/,/^Warnings/p' asked | sed -n \"$words\" | sort -u >blocked;"
            " sed -n '/^Warnings/,$p' asked | sed -n \"$words\" | tr '\\n' ';' >later; [ \"$(cat later)\" = '%s' ];"
            " fails 4 hb carry --yes --parts schema,data --accept phrase-missing --accept function-missing \"$from\""
            " \"$to\"; sed -n '/^Failed/,/^Not complete/s/^  \\([a-z]* [a-z_]*\\): .*/\\1/p' o | sort >failed;"
            " diff blocked failed; [ $(wc -l <failed) -ge 9 ]; ! hb verify --parts schema,data \"$from\" "
            "\"$(server_uri %s "
            "foreign_words)\" >o;"
            " ! grep 'defined diff' o",
            ways[i].from, ways[i].sql, ways[i].to, ways[i].from, ways[i].to, ways[i].later, ways[i].to);
        servers_run_traced(line);
    }
}

/* Counted by the server's own comparison of each value with what its text becomes: few texts are looked at so closely
 */
static void json_values_that_text_cannot_say_are_counted(void **state)
{
    static const char *const values[] = {
        "CAST('2026-01-02' AS DATE)",
        "CAST('2026-01-02 03:04:05.678' AS DATETIME(3))",
        "CAST('-838:59:59' AS TIME)",
        "CAST('01:02:03' AS TIME)",
        "CAST(1.50 AS DECIMAL(10,2))",
        "CAST(1.5 AS DECIMAL(10,1))",
        "CAST(7 AS DECIMAL(10,0))",
        "CAST(12345678901234567890123 AS DECIMAL(30))",
        "CAST(0.12345678901234567 AS DECIMAL(20,17))",
        "CAST(100.000 AS DECIMAL(10,3))",
        "1e0 / 3e0",
        "-0e0",
        "1e300",
        "18446744073709551615",
        "x'00ff'",
        "b'101'",
        "CAST('2026' AS YEAR)",
        "TRUE",
        "'2026-01-02'",
        "'12:13:14.000000'",
        "'base64:type15:AP8='",
        "'1.50'",
        "'a \\'quoted\\' word'",
        "JSON_OBJECT('2026-01-02', JSON_ARRAY(CAST('2026-01-02' AS DATE), 1))",
        "JSON_ARRAY(REPEAT('1234567.1234567 ', 20000))",
        "JSON_ARRAY(REPEAT('1234567.1234567 ', 20000), CAST('2026-01-02' AS DATE))",
    };
    static const char same[] = "CAST(CAST(j AS CHAR) AS JSON) = j AND CAST(CAST(CAST(j AS CHAR) AS JSON) AS BINARY) = "
                               "CAST(j AS BINARY)";
    g_autoptr(GString) sql = g_string_new("CREATE DATABASE cellar; USE cellar; CREATE TABLE kinds (id INT PRIMARY KEY "
                                          "AUTO_INCREMENT, j JSON, twin JSON AS (j), k JSON); ");
    g_autofree char *uri = NULL, *kinds = NULL, *many = NULL, *count = NULL;

    (void)state;
    NEEDS_MYSQL;
    for (gsize i = 0; i < G_N_ELEMENTS(values); i++)
        g_string_append_printf(sql, "INSERT INTO kinds (j, k) VALUES (JSON_ARRAY(%s), JSON_OBJECT('v', 1)); ",
                               values[i]);
    g_string_append(sql,
                    "SET cte_max_recursion_depth = 50000; CREATE TABLE many (id INT PRIMARY KEY, j JSON); INSERT INTO "
                    "many WITH RECURSIVE c AS (SELECT 1 AS n UNION ALL SELECT n + 1 FROM c WHERE n < 40000) SELECT n, "
                    "JSON_ARRAY(REPEAT('leaf ', 200), IF(n % 7 = 0, CAST(CAST('2026-01-02' AS DATE) AS JSON), "
                    "CAST('\"2026-01-02\"' AS JSON))) FROM c;"
                    " CREATE TABLE other AS SELECT * FROM many LIMIT 10; ANALYZE TABLE many");
    run_sql("old", sql->str);
    uri = servers_get_uri("old", "cellar");
    g_autofree char *ask_kinds = g_strdup_printf("SELECT COUNT(*) FROM kinds WHERE NOT (%s)", same);
    kinds = servers_query(uri, ask_kinds);
    g_strstrip(kinds);
    assert_true(atoi(kinds) > 10 && atoi(kinds) < (int)G_N_ELEMENTS(values) - 8);
    run_expect(run_shell("$HORNBEAM dump -q \"$(server_uri old cellar)\" $FOLDER/cellar.dump --skip table:other"), 1,
               NULL, NULL);
    Run shown = run_shell("$HORNBEAM show $FOLDER/cellar.dump --verbose | tr -s ' \\n' ' '");
    many = g_strdup_printf("types inside of j in rows many %d of its values", 40000 / 7);
    count = g_strdup_printf("types inside of j in rows kinds %s of its values", kinds);
    check_contains(shown.out, many);
    check_contains(shown.out, count);
    check_lacks(shown.out, "of twin");
    check_lacks(shown.out, "of k ");
    check_lacks(shown.out, "other");
    run_clear(&shown);
    /* beforehand, too */
    run_expect(run_shell("$HORNBEAM preflight \"$(server_uri old cellar)\" \"$(server_uri new)\" --take table:many"), 0,
               "types inside of", NULL);
}

/*
 * No server of an older version is at hand. The program is told that this one is, and what it sends then, all of which
 * the server logs, is held against that version's grammar
 */
static void older_versions_understand_what_is_sent(void **state)
{
    static const struct {
        const char *version, *parts;
    } versions[] = {{"5.7.44", "schema,data,settings"},
                    {"8.0.36", "schema,data,users,settings"},
                    {"8.4.3", "schema,data,users,settings"}};

    (void)state;
    NEEDS_MYSQL;
    servers_run_shell("mariadb_shell old <$SOURCE/tests/support/plain_mysql.sql");
    for (gsize i = 0; i < G_N_ELEMENTS(versions); i++) {
        g_autofree char *line = g_strdup_printf(
            "cd $FOLDER; . $SOURCE/scripts/versions.sh; from=$(server_uri old plain) to=$(server_uri new); parts=%s;"
            " for s in old new; do mariadb_shell $s -e \"SET GLOBAL general_log = OFF; SET GLOBAL log_output = 'TABLE';"
            " TRUNCATE mysql.general_log; SET GLOBAL general_log = ON\"; done;"
            " older() { ASAN_OPTIONS=$ASAN_OPTIONS:verify_asan_link_order=0 "
            "LD_PRELOAD=${HORNBEAM%%/*}/tests/libhb_older.so OLDER=%s $HORNBEAM \"$@\"; };"
            " rm -rf plain.dump; { older survey $from && older dump $from plain.dump --parts $parts &&"
            " older preflight plain.dump $to --parts $parts; older restore plain.dump $to --yes --parts $parts;"
            " older verify plain.dump $to --parts $parts; older restore plain.dump $to --yes --existing replace --parts"
            " $parts; } >told 2>&1;"
            " for s in old new; do mariadb_shell $s -e 'SET GLOBAL general_log = OFF'; mariadb_shell $s -N -e \"SELECT"
            " DISTINCT TO_BASE64(argument) FROM mysql.general_log WHERE command_type IN ('Query', 'Prepare') AND "
            "argument NOT LIKE 'PREPARE %% FROM ...'\"; done"
            " >sent; node $SOURCE/tests/grammar/check.js $(grammar_modules) %s <sent",
            versions[i].parts, versions[i].version, versions[i].version);
        run_sql("new", "DROP DATABASE IF EXISTS plain");
        run_expect(run_shell(line), 0, " 0 refused", NULL);
    }
    servers_run_shell("for s in old new; do $SOURCE/tests/support/mysql_census.sh $SERVERS/$s/socket plain |"
                      " sed '/^SHOW CREATE USER/,$d' >$FOLDER/plain.$s; done; [ $(wc -l <$FOLDER/plain.old) -gt 20 ];"
                      " diff $FOLDER/plain.old $FOLDER/plain.new");
}

/* An account with all privileges, as administrators have it, is as good as the first one */
static void an_administrators_account_is_enough(void **state)
{
    (void)state;
    NEEDS_MYSQL;
    run_expect(run_shell("export MYSQL_PWD=adm; as_adm() { server_uri \"$@\" | sed 's/root@/adm@/'; }; cd $FOLDER;"

                         " $HORNBEAM dump -q \"$(as_adm old shed)\" adm.dump --skip user:* && $HORNBEAM preflight "
                         "adm.dump \"$(as_adm new adm)\" &&"
                         " $HORNBEAM restore -q adm.dump \"$(as_adm new adm)\" --yes && $HORNBEAM verify adm.dump "
                         "\"$(as_adm new adm)\""),
               0, "Equal", NULL);
}

/* To the other product: what both can have arrives, all else is named, and nothing fails */
static void the_arboretum_moves_to_mariadb(void **state)
{
    (void)state;
    NEEDS_MYSQL;
    run_expect(
        run_shell(
            "cd $FOLDER; start_mariadb maria; r='--rename collation:utf8mb4_0900_ai_ci=utf8mb4_unicode_520_ci';"
            " $HORNBEAM dump -q \"$(server_uri old fennick_vale)\" over.dump; to=$(server_uri maria);"
            " $HORNBEAM preflight over.dump \"$to\" $r | grep -q '0 blockers' || exit 7;"
            " $HORNBEAM restore over.dump \"$to\" --yes $r --new-passwords words >told 2>&1; [ $? = 1 ] || exit 8;"
            " grep by_lower told;"
            " $HORNBEAM verify over.dump \"$to\" $r --parts schema,data,settings >proof || { grep -A6 -E \": "
            "(defined|missing|only|other)\" proof; "
            "exit 9; };"
            " mariadb_shell maria fennick_vale -e 'ALTER TABLE taxon DROP CONSTRAINT latin_name; ALTER TABLE station"
            " MODIFY name VARCHAR(41) NOT NULL; DROP TRIGGER tree_grows';"
            " $HORNBEAM verify over.dump \"$to\" $r --parts schema | grep -q 'Different: 3 differences' || exit 5; "
            "while IFS=$'\\t' "
            "read -r role word; do case $role in *weather*) mariadb --no-defaults -u"
            " weather_station -p\"$word\" -S $SERVERS/maria/socket -e 'SELECT 1' || exit 6 ;; esac; done <words"),
        0, "index taxon.by_lower_name: MariaDB has no keys over expressions", NULL);
}

static void what_mysql_has_not_is_named_on_the_way_to_it(void **state)
{
    static const char *const named[] = {"sequence untouched", "MySQL has nothing like it", "the account arrives locked",
                                        "in table tree: a UUID is a text there"};

    (void)state;
    NEEDS_MYSQL;
    run_sql("new", "DROP DATABASE IF EXISTS fennick_vale; DROP USER IF EXISTS `Ida Quill`@`%`, loans_desk@`10.20.%`,"
                   " vale_owner@localhost, weather_station@localhost; DROP ROLE IF EXISTS vale_keepers, vale_readers");
    servers_run_shell("cd $SOURCE; start_mariadb fresh; plant fresh 1; $HORNBEAM dump -q \"$(server_uri fresh "
                      "fennick_vale)\" $FOLDER/back.dump");
    run_expect(run_shell("cd $FOLDER; $HORNBEAM restore back.dump \"$(server_uri new)\" --yes >told 2>&1; [ $? = 1 ]"),
               0, NULL, NULL);
    run_expect(
        run_shell("cd $FOLDER; $HORNBEAM restore back.dump \"$(server_uri new)\" --yes --rename storage:Aria=InnoDB"
                  " --skip table:label_price >told 2>&1; s=$?; cat told; exit $s"),
        1, "but ", NULL);
    run_expect(
        run_shell("cd $FOLDER; $HORNBEAM verify back.dump \"$(server_uri new)\" --rename storage:Aria=InnoDB"
                  " --skip table:label_price >proof || { grep -A6 -E ': (defined|missing|only|other)' proof; exit 1; };"
                  " cat proof"),
        0, "Equal", NULL);
    for (gsize i = 0; i < G_N_ELEMENTS(named); i++)
        run_expect(run_shell("cat $FOLDER/told"), 0, named[i], NULL);
    run_sql("new", "DROP DATABASE fennick_vale; DROP USER `Ida Quill`@`%`, weather_station@localhost");
    run_expect(
        run_shell(
            "cd $FOLDER; rm -f words; $HORNBEAM restore back.dump \"$(server_uri new)\" --yes --rename"
            " storage:Aria=InnoDB --skip table:label_price --new-passwords words >told 2>&1; [ $? = 1 ] || { cat told "
            "words >&2; exit 3; };"
            " n=0; while IFS=$'\\t' read -r account word; do user=${account%%@*}; user=${user//\\'/}; [ \"$user\" ="
            " weather_station ] || continue; mariadb --no-defaults -u \"$user\" -p\"$word\" -S $SERVERS/new/socket -e"
            " 'SELECT 1' && n=$((n + 1)); mariadb --no-defaults -u \"$user\" -pwrong -S $SERVERS/new/socket -e"
            " 'SELECT 1' 2>/dev/null && exit 4; done <words; [ $n = 1 ]"),
        0, NULL, NULL);
}

/* The server cannot show its older list of sessions while one of them sends bytes that are no text */
static void what_others_send_need_not_be_text(void **state)
{
    (void)state;
    NEEDS_MYSQL;
    run_sql("old",
            "CREATE DATABASE shrub; CREATE TABLE shrub.leaf (n INT PRIMARY KEY); INSERT INTO shrub.leaf VALUES (1)");
    run_expect(
        run_shell("printf \"SELECT SLEEP(60), '\\311\\317p'\" >$FOLDER/bytes; mariadb_shell old -e 'SELECT 1' "
                  ">/dev/null; (mariadb_shell old <$FOLDER/bytes >/dev/null 2>&1 || true) & sleep 1;"
                  " ! mariadb_shell old -e 'SELECT ID FROM information_schema.PROCESSLIST' 2>/dev/null || exit 9;"
                  " printf \"BEGIN; UPDATE shrub.leaf SET n = n; SELECT SLEEP(3), '\\311\\317p'; SELECT SLEEP(60)\""
                  " >$FOLDER/open; (mariadb_shell old shrub <$FOLDER/open >/dev/null 2>&1 || true) & sleep 1.2;"
                  " ! mariadb_shell old -e 'SELECT trx_id FROM information_schema.INNODB_TRX' 2>/dev/null || exit 8;"
                  " $HORNBEAM survey \"$(server_uri old shrub)\" >/dev/null || exit 7;"
                  " set -e; $HORNBEAM survey \"$(server_uri old)\" >/dev/null; $HORNBEAM dump -q "
                  "\"$(server_uri old shrub)\" $FOLDER/shrub; $HORNBEAM preflight -q $FOLDER/shrub "
                  "\"$(server_uri old bush)\" >/dev/null; $HORNBEAM restore -q $FOLDER/shrub \"$(server_uri old "
                  "bush)\"; $HORNBEAM verify -q $FOLDER/shrub \"$(server_uri old bush)\"; for id in $(mariadb_shell "
                  "old -N -e \"SELECT ID FROM performance_schema.processlist WHERE STATE = 'User sleep'\"); do "
                  "mariadb_shell old -e \"KILL $id\"; done"),
        0, NULL, NULL);
}

/* Whom a freshen waits for, row by row */
static void who_holds_rows_is_told(void **state)
{
    (void)state;
    NEEDS_MYSQL;
    run_sql("old",
            "CREATE DATABASE herb; CREATE TABLE herb.leaf (n INT PRIMARY KEY, x INT); INSERT INTO herb.leaf VALUES"
            " (1, 1), (2, 2)");
    run_expect(
        run_shell(
            "cd $FOLDER; set -ef; from=$(server_uri old herb) to=$(server_uri new herb); $HORNBEAM carry -q \"$from\" "
            "\"$to\" --skip user:* >/dev/null; mariadb_shell old herb -e 'UPDATE leaf SET x = 3';"
            " (mariadb_shell new herb -e 'BEGIN; UPDATE leaf SET x = 9 WHERE n = 1; SELECT SLEEP(25)' >/dev/null 2>&1 "
            "|| true) & sleep 1; $HORNBEAM freshen \"$from\" \"$to\" --yes 2>told >/dev/null || true; cat told"),
        0, "waits for a lock on rows, held by session", NULL);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_whole_server_moves),
        cmocka_unit_test(what_is_there_is_replaced_or_carried_anew),
        cmocka_unit_test(scripts_run_in_the_stock_shell),
        cmocka_unit_test(what_was_killed_goes_on),
        cmocka_unit_test(what_mysql_cannot_give_is_named),
        cmocka_unit_test(a_script_makes_what_the_server_would_forbid),
        cmocka_unit_test(what_the_other_product_refuses_is_known_beforehand),
        cmocka_unit_test(json_values_that_text_cannot_say_are_counted),
        cmocka_unit_test(older_versions_understand_what_is_sent),
        cmocka_unit_test(an_administrators_account_is_enough),
        cmocka_unit_test(the_arboretum_moves_to_mariadb),
        cmocka_unit_test(what_mysql_has_not_is_named_on_the_way_to_it),
        cmocka_unit_test(what_others_send_need_not_be_text),
        cmocka_unit_test(who_holds_rows_is_told),
    };
    return servers_run_tests(is_here() ? "old=mysql:mariadb new=mysql:mariadb" : "",
                             is_here() ? "cd $SOURCE; plant old 1" : NULL, tests, G_N_ELEMENTS(tests));
}
