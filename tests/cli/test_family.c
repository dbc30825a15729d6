/* SPDX-License-Identifier: Apache-2.0 */
/* MariaDB across versions: the built program between servers of two */
#include "support/check.h"
#include "support/servers.h"

#include <string.h>

#define NEWER  "11.8"
#define OLDEST "10.5"

static struct {
    char *folder;
} it;

static int begin(void **state)
{
    (void)state;
    if (servers_has_family(NEWER))
        it.folder = servers_begin_with_folder(servers_has_family(OLDEST) ? "old:mariadb new=" NEWER
                                                                           ":mariadb oldest=" OLDEST ":mariadb"
                                                                         : "old:mariadb new=" NEWER ":mariadb");
    return 0;
}

static int end(void **state)
{
    (void)state;
    if (it.folder != NULL)
        servers_end_with_folder(it.folder);
    return 0;
}

/* A current row ends where time ends, and that is another moment in each version */
static void current_rows_of_versioned_tables_stay_current(void **state)
{
    static const struct {
        const char *from, *to;
    } ways[] = {{"old", "new"}, {"new", "old"}};

    (void)state;
    if (it.folder == NULL)
        skip(); /* that version is not here */
    for (gsize i = 0; i < G_N_ELEMENTS(ways); i++) {
        g_autofree char *database = g_strdup_printf("bed_%s", ways[i].from);
        g_autofree char *from = servers_get_uri(ways[i].from, database), *to = servers_get_uri(ways[i].to, database);
        g_autofree char *server = servers_get_uri(ways[i].from, NULL), *target = servers_get_uri(ways[i].to, NULL);
        g_autofree char *dump = g_build_filename(it.folder, database, NULL), *made = NULL, *script = NULL;

        made = g_strdup_printf("CREATE DATABASE %s CHARACTER SET utf8mb4 COLLATE utf8mb4_bin", database);
        g_free(servers_query(server, made));
        g_free(servers_query(
            from, "CREATE TABLE bed (id INT PRIMARY KEY, v INT, note LONGTEXT) WITH SYSTEM VERSIONING;"
                  "CREATE TABLE told (id INT PRIMARY KEY, s TIMESTAMP(6) GENERATED ALWAYS AS ROW START,"
                  " e TIMESTAMP(6) GENERATED ALWAYS AS ROW END, PERIOD FOR SYSTEM_TIME (s, e)) WITH SYSTEM VERSIONING;"
                  "INSERT INTO bed VALUES (1, 1, 'a'), (2, 1, REPEAT('large', 1000000)), (3, 1, 'c');"
                  "UPDATE bed SET v = 2 WHERE id < 3; DELETE FROM bed WHERE id = 3; INSERT INTO told (id) VALUES (1)"));
        run_expect(run_hornbeam("dump", from, dump, NULL), 0, "Written whole", NULL);
        run_expect(run_hornbeam("restore", dump, target, "--yes", NULL), 0, "Restored whole", NULL);
        run_expect(run_hornbeam("verify", from, to, "--parts", "data", NULL), 0, "Equal", NULL);
        g_autofree char *counts = servers_query(
            to,
            "SELECT (SELECT COUNT(*) FROM bed), (SELECT COUNT(*) FROM bed FOR SYSTEM_TIME ALL), (SELECT COUNT(*) FROM "
            "told), (SELECT SUM(v) FROM bed)");
        assert_string_equal(counts, "2\t5\t1\t4");
        g_free(servers_query(to, "DELETE FROM bed WHERE id = 1")); /* the proof looks at what is current, too */
        run_expect(run_hornbeam("verify", from, to, "--parts", "data", NULL), 1, "rows bed", NULL);
        g_free(servers_query(target, "DROP DATABASE IF EXISTS script"));
        script = g_strdup_printf(
            "$HORNBEAM sql '%s' --rename database:%s=script --database script >$FOLDER/script.sql && mariadb_shell %s "
            "<$FOLDER/script.sql",
            dump, database, ways[i].to);
        run_expect(run_shell(script), 0, NULL, NULL);
        g_autofree char *scripted = servers_get_uri(ways[i].to, "script");
        g_autofree char *again = servers_query(scripted, "SELECT COUNT(*), SUM(v) FROM bed");
        assert_string_equal(again, "2\t4");
    }
}

/* The arboretum, between 10.11 and 11.8 as it is; of what 10.5 has not been told yet, that server gets another form */
static void the_arboretum_moves_between_versions(void **state)
{
    static const struct {
        const char *from, *to, *form;
    } ways[] = {
        {"old", "new", "cat"},
        {"new", "old", "cat"},
        {"oldest", "new",
         "sed -E 's/UUID NOT NULL DEFAULT UUID\\(\\)/CHAR(36) NOT NULL DEFAULT UUID()/; s/ IGNORED,/,/; /^DO NEXT/d;"
         " s/ WITH SYSTEM VERSIONING//'"},
        {"oldest", "old",
         "sed -E 's/UUID NOT NULL DEFAULT UUID\\(\\)/CHAR(36) NOT NULL DEFAULT UUID()/; s/ IGNORED,/,/; /^DO NEXT/d;"
         " s/ WITH SYSTEM VERSIONING//'"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(ways); i++) {
        g_autofree char *line =
            g_strdup_printf("f=%s t=%s; form() { %s \"$1\"; }; "
                            "cd $FOLDER; for s in $f $t; do mariadb_shell $s -e \"DROP DATABASE IF EXISTS "
                            "fennick_vale; DROP USER IF EXISTS"
                            " 'Ida Quill'@'%%', loans_desk@'10.20.%%', weather_station@localhost, "
                            "vale_owner@localhost; DROP ROLE IF EXISTS"
                            " vale_readers, vale_keepers\"; done; data=$SOURCE/demo/arboretum; form $data/mariadb.sql "
                            "| mariadb_shell $f &&"
                            " form $data/mariadb-rows.sql | mariadb_shell $f fennick_vale || exit 9;"
                            " rm -rf way.dump; $HORNBEAM dump -q \"$(server_uri $f fennick_vale)\" way.dump &&"
                            " $HORNBEAM preflight way.dump \"$(server_uri $t)\" >before; grep -A9 ^Blockers before;"
                            " grep -q ' 0 blockers' before &&"
                            " $HORNBEAM restore way.dump \"$(server_uri $t)\" --yes && $HORNBEAM verify way.dump "
                            "\"$(server_uri $t)\"",
                            ways[i].from, ways[i].to, ways[i].form);
        if (it.folder == NULL || (strcmp(ways[i].from, "oldest") == 0 && !servers_has_family(OLDEST)))
            continue;
        run_expect(run_shell(line), 0, "Equal", NULL);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(current_rows_of_versioned_tables_stay_current),
        cmocka_unit_test(the_arboretum_moves_between_versions),
    };
    return cmocka_run_group_tests(tests, begin, end);
}
