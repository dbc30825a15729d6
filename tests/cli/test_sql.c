/* SPDX-License-Identifier: Apache-2.0 */
/* A dump as a script: the stock shells run it, and what comes of it is what was dumped */
#include "support/check.h"
#include "support/servers.h"

#include <string.h>

/* shell SERVER DATABASE: runs standard input; must_verify DUMP SERVER DATABASE OPTIONS */
#define FUNCTIONS                                                                                                      \
    "cd $FOLDER; shell() { case $1 in m*) mariadb_shell \"$@\" --binary-mode --comments ;; *) psql -qX "               \
    "\"$(server_uri $1 ${2:-postgres})\" ;; "                                                                          \
    "esac; };"                                                                                                         \
    " drop() { case $1 in m*) mariadb_shell $1 -e \"DROP DATABASE IF EXISTS $2\" ;;"                                   \
    "  *) psql -qX \"$(server_uri $1 postgres)\" -c \"DROP DATABASE IF EXISTS $2\" ;; esac; };"

typedef struct {
    const char *claim;
    const char *dump, *server;
    const char *options, *verify;
} Case;

static const Case cases[] = {
    {"the whole", "old.fennick_vale", "new", "", ""},
    {"as INSERTs", "old.fennick_vale", "new", "--rows 7", ""},
    {"for an older version", "old.fennick_vale", "new", "--for-version 13 --skip function:age", "--skip function:age"},
    {"a part", "old.fennick_vale", "new", "--take schema:loans --grants drop", "--take schema:loans --grants drop"},
    {"odd objects and values", "old.odd", "new", "", ""},
    {"odd values as INSERTs", "old.odd", "new", "--rows 100", ""},
    {"in one transaction", "old.fennick_vale", "new", "--one-transaction", ""},
    {"in one transaction", "old.odd", "new", "--one-transaction --rows 50", ""},
    {"the whole", "mold.fennick_vale", "mnew", "", ""},
    {"a row a statement", "mold.fennick_vale", "mnew", "--rows 1 --skip rows:reading", "--skip rows:reading"},
    {"a part", "mold.fennick_vale", "mnew", "--skip event --rename storage:MyISAM=InnoDB",
     "--skip event --rename storage:MyISAM=InnoDB"},
    {"odd objects and values", "mold.odd", "mnew", "", ""},
};

static void what_a_script_makes_is_what_was_dumped(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        const Case *it = &cases[i];
        g_autofree char *line = g_strdup_printf(
            FUNCTIONS
            "$HORNBEAM sql %s --database made%zu %s >script.sql; tail -n1 script.sql; shell %s <script.sql >/dev/null"
            " && $HORNBEAM verify %s \"$(server_uri %s made%zu)\" %s",
            it->dump, i, it->options, it->server, it->dump, it->server, i, it->verify);
        Run run = run_shell(line);
        if (run.status != 0 || strstr(run.out, "-- The script is whole.") == NULL || strstr(run.out, "Equal") == NULL)
            fail_msg("%s of %s: status %d: %s%s", it->claim, it->dump, run.status, run.out, run.err);
        run_clear(&run);
    }
}

static void a_script_refuses_a_database_that_holds_such_objects(void **state)
{
    (void)state;
    run_expect(
        run_shell(FUNCTIONS
                  "drop new made; $HORNBEAM sql old.fennick_vale --database made --parts schema --take table:note"
                  " --ownership mine --grants drop | shell new; $HORNBEAM sql old.fennick_vale | shell new made"),
        3, NULL, "database made holds garden.note already; nothing was changed");
    run_expect(
        run_shell(FUNCTIONS
                  "drop mnew made; $HORNBEAM sql mold.fennick_vale --database made --parts schema --take table:note"
                  " | shell mnew; $HORNBEAM sql mold.fennick_vale | shell mnew made"),
        1, NULL, "the database holds note already; nothing was changed");
    run_expect(run_shell(FUNCTIONS "$HORNBEAM sql mold.fennick_vale | shell mnew"), 1, NULL, "no database is selected");
}

static void one_transaction_comes_whole_or_not_at_all(void **state)
{
    static const struct {
        const char *line;
        int status;
        const char *out, *err;
    } lines[] = {
        {"drop new made; $HORNBEAM sql old.fennick_vale --one-transaction --database made |"
         " sed 's/^COMMIT;$/SELECT 1 \\/ 0;\\n&/' | shell new >/dev/null; psql -qXAt \"$(server_uri new made)\" -c"
         " \"SELECT count(*) FROM pg_class WHERE oid >= 16384\"",
         0, "0\n", "division by zero"},
        {"$HORNBEAM sql mold.fennick_vale --one-transaction", 1, NULL, "commits whatever was done before with each"},
        {"$HORNBEAM sql mold.fennick_vale --one-transaction --parts data", 1, NULL,
         "rows label_queue cannot be part of one transaction: ENGINE=Aria"},
        {"drop mnew made; $HORNBEAM sql mold.fennick_vale --database made --parts schema --skip trigger | shell mnew;"
         " $HORNBEAM sql mold.fennick_vale --one-transaction --parts data --skip table:label_queue --skip"
         " table:visitor_count --database made >script.sql || exit 9; sed 's/^COMMIT;$/SELECT 1 FROM nothing;\\n&/' "
         "script.sql |"
         " shell mnew; mariadb_shell mnew made -BNe 'SELECT COUNT(*) FROM tree'; shell mnew <script.sql;"
         " mariadb_shell mnew made -BNe 'SELECT COUNT(*) > 0 FROM tree'",
         0, "0\n1\n", "nothing"},
    };

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(lines); i++) {
        g_autofree char *line = g_strconcat(FUNCTIONS, lines[i].line, NULL);
        run_expect(run_shell(line), lines[i].status, lines[i].out, lines[i].err);
    }
}

static void what_stood_in_a_missing_tablespace_comes_all_the_same(void **state)
{
    (void)state;
    run_expect(
        run_shell(FUNCTIONS
                  "as_server_user mkdir $SERVERS/shelf; psql -qX \"$(server_uri old postgres)\" -c \"CREATE TABLESPACE"
                  " \\\"the 'shelf'\\\" LOCATION '$SERVERS/shelf'\" -c 'CREATE DATABASE shelved TABLESPACE \"the"
                  " '\\''shelf'\\''\"'; psql -qX \"$(server_uri old shelved)\" -c 'SET default_tablespace ="
                  " pg_default; CREATE TABLE plain (id int PRIMARY KEY)'; psql -qX \"$(server_uri old postgres)\""
                  " -c 'CREATE DATABASE beside'; psql -qX \"$(server_uri old beside)\" -c 'CREATE TABLE kept (id int"
                  " PRIMARY KEY USING INDEX TABLESPACE \"the '\\''shelf'\\''\") TABLESPACE \"the"
                  " '\\''shelf'\\''\"; INSERT INTO kept VALUES (1)'; for d in shelved beside; do $HORNBEAM dump -q"
                  " \"$(server_uri old $d)\" old.$d; for s in new old; do $HORNBEAM sql old.$d --database made_$d |"
                  " shell $s; psql -qXAt \"$(server_uri $s made_$d)\" -c \"SELECT count(*), (SELECT spcname FROM"
                  " pg_tablespace t JOIN pg_database d ON d.dattablespace = t.oid WHERE datname ="
                  " current_database()) FROM pg_class WHERE oid >= 16384 AND reltablespace <> 0\"; done; done"),
        0, "0|pg_default\n2|the 'shelf'\n0|pg_default\n2|pg_default\n",
        "there is no tablespace \"the 'shelf'\": what stood");
}

/* Who is there already keeps the password */
static void users_who_are_there_stay_as_they_are(void **state)
{
    (void)state;
    run_expect(
        run_shell(
            FUNCTIONS
            "drop new made; psql -qX \"$(server_uri new postgres)\""
            " -c \"ALTER ROLE loans_desk PASSWORD 'changed' CONNECTION LIMIT 3\";"
            " before=$(psql -qXAtc 'SELECT rolpassword FROM pg_authid ORDER BY 1' \"$(server_uri new postgres)\");"
            " $HORNBEAM sql old.fennick_vale --database made | shell new >/dev/null;"
            " after=$(psql -qXAtc 'SELECT rolpassword FROM pg_authid ORDER BY 1' \"$(server_uri new postgres)\");"
            " [ \"$before\" = \"$after\" ] && echo same"),
        0, "same", NULL);
}

/* A chunk that is damaged is found, and the script does not say that it is whole */
static void a_script_of_a_damaged_dump_is_not_whole(void **state)
{
    (void)state;
    run_expect(run_shell(FUNCTIONS
                         "cp -r mold.fennick_vale hurt; f=$(ls hurt/rows/reading/*); printf x |"
                         " dd of=$f bs=1 seek=4000 conv=notrunc 2>/dev/null; $HORNBEAM sql hurt >script.sql; status=$?;"
                         " grep -c 'script is whole.$' script.sql; exit $status"),
               5, "0\n", "reading/0001.rows.zst");
    run_expect(run_shell(FUNCTIONS "$HORNBEAM sql mold.fennick_vale >/dev/full"), 6, NULL,
               "writing to standard output");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_a_script_makes_is_what_was_dumped),
        cmocka_unit_test(a_script_refuses_a_database_that_holds_such_objects),
        cmocka_unit_test(one_transaction_comes_whole_or_not_at_all),
        cmocka_unit_test(what_stood_in_a_missing_tablespace_comes_all_the_same),
        cmocka_unit_test(users_who_are_there_stay_as_they_are),
        cmocka_unit_test(a_script_of_a_damaged_dump_is_not_whole),
    };

    return servers_run_tests("old new mold:mariadb mnew:mariadb",
                             "cd $SOURCE; psql -qX \"$(server_uri old postgres)\" -c 'CREATE DATABASE odd';"
                             " psql -qX \"$(server_uri old odd)\" -f tests/support/odd.sql >/dev/null;  plant old 1;"
                             " plant mold 1; mariadb_shell mold -e 'CREATE DATABASE odd';"
                             " mariadb_shell mold odd <tests/support/odd_mariadb.sql;"
                             " mariadb_shell mnew -e 'CREATE DATABASE beside;"
                             " CREATE TABLE beside.station (id int PRIMARY KEY, name varchar(40))'; cd $FOLDER;"
                             " for s in old mold; do for d in odd fennick_vale;"
                             " do  $HORNBEAM dump -q \"$(server_uri $s $d)\" $s.$d || [ $? = 1 ]; done; done",
                             tests, G_N_ELEMENTS(tests));
}
