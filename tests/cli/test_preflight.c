/* SPDX-License-Identifier: Apache-2.0 */
/* Traps laid on targets: each is found before anything is written, and said with what to do */
#include "support/check.h"
#include "support/servers.h"

#include <glib/gstdio.h>
#include <string.h>

typedef struct {
    const char *trap;
    const char *server, *database; /* of the target */
    const char *role;              /* who restores; NULL: a superuser */
    const char *options;
    int status;
    const char *found[5]; /* parts of the output */
} Trap;

/* The dump is that of `old`, or for servers m... of `mold` */
static const Trap traps[] = {
    {"nothing", "new", "fresh", NULL, "", 0, {"The target can take it", "[foreign-host]", "[role-differs]"}},
    {"roles with other attributes and passwords",
     "new",
     "fresh",
     NULL,
     "",
     0,
     {"role vale_keepers: exists on the target and stays as it is: SUPERUSER LOGIN there, NOSUPERUSER NOLOGIN in the "
      "source",
      "ALTER ROLE vale_keepers WITH NOSUPERUSER", "password loans_desk: exists on the target with another password"}},
    {"a role that is nowhere",
     "new",
     "fresh",
     NULL,
     "--skip user:weather_station",
     1,
     {"role weather_station: is not on the target", "[role-missing]", "CREATE ROLE weather_station;"}},
    {"something is there",
     "new",
     "taken",
     NULL,
     "",
     1,
     {"taken: is not empty (it holds table public.plot", "[target-not-empty]"}},
    {"a database of the server's own", "new", "template1", NULL, "", 1, {"[system-database]"}},
    {"another encoding",
     "new",
     "latin",
     NULL,
     "",
     1,
     {"LATIN1 on the target, and UTF8", "[encoding-differs]", "collate, ctype"}},
    {"no right to create users or objects of superusers",
     "new",
     "fresh",
     "hosted",
     "",
     1,
     {"this role may not create any  [right-missing]", "ALTER ROLE hosted CREATEROLE;", "[ownership]",
      "foreign-data-wrapper far", "can be created by a superuser only"}},
    {"no right to create databases, too few connections",
     "new",
     "fresh",
     "loner",
     "--jobs 4",
     1,
     {"ALTER ROLE loner CREATEDB;", "has 1 connection left for loner; the restore needs 5", "[connections]"}},
    {"no right in the schema",
     "new",
     "mine",
     "loner",
     "--jobs 1 --take function:next_label --take extension:*",
     1,
     {"does not let this role create anything in it", "GRANT CREATE ON SCHEMA public TO loner;"}},
    {"no extension, and a newer version",
     "v17",
     "fresh",
     NULL,
     "",
     1,
     {"extension adminpack, extension old_snapshot: is not installed on the", "[extension-missing]"}},
    {"accepted", "v17", "fresh", NULL, "--accept extension-missing", 0, {"[extension-missing, accepted]"}},
    {"accepted for another one",
     "v17",
     "fresh",
     NULL,
     "--accept extension-missing:*adminpack",
     1,
     {"[extension-missing, accepted]", "[extension-missing]"}},
    {"a name in use, other meanings, accounts",
     "mnew",
     "taken",
     NULL,
     "",
     1,
     {"taken: is not empty (it holds table plot", "sql_mode: is “REAL_AS_FLOAT", "max_allowed_packet: is “1048576”",
      "'Ida Quill'@'%'", "event_scheduler: is “OFF” on the target"}},
    {"an engine and a database that are missing",
     "mnew",
     "fresh",
     NULL,
     "",
     1,
     {"ARCHIVE: the target has no such storage engine", "[storage-missing]",
      "view hills: uses database far_away, which is not on the target", "ENGINE=MyISAM"}},
    {"a database of the server's own", "mnew", "mysql", NULL, "", 1, {"mysql: is a database of the server's own"}},
    {"an account without rights",
     "mnew",
     "limited",
     "hosted",
     "",
     1,
     {"CREATE VIEW: is a right that this account lacks on `limited`.*",
      "GRANT TRIGGER ON `limited`.* TO 'hosted'@'localhost';", "GRANT SET USER ON *.* TO 'hosted'@'localhost';",
      "GRANT CREATE USER ON *.*"}},
};

static char *make_line(const Trap *trap, const char *command)
{
    const char *from = *trap->server == 'm' ? "mold" : "old";
    g_autofree char *as = trap->role != NULL
                              ? g_strdup_printf("| sed 's/postgres@/%s@/;s/root@/%s@/'", trap->role, trap->role)
                              : g_strdup("");

    return g_strdup_printf("set -f; $HORNBEAM %s $FOLDER/%s.full \"$(server_uri %s %s %s)\" %s", command, from,
                           trap->server, trap->database, as, trap->options);
}

static void each_trap_is_found_with_what_to_do(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(traps); i++) {
        g_autofree char *line = make_line(&traps[i], "preflight");
        Run run = run_shell(line);
        if (run.status != traps[i].status)
            fail_msg("%s: status %d: %s%s", traps[i].trap, run.status, run.out, run.err);
        for (gsize f = 0; f < G_N_ELEMENTS(traps[i].found) && traps[i].found[f] != NULL; f++)
            check_contains(run.out, traps[i].found[f]);
        run_clear(&run);
    }
}

/* What blocks a preflight stops a restore, too, and nothing is written */
static void a_restore_stops_at_blockers_before_writing(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(traps); i++) {
        g_autofree char *line = make_line(&traps[i], "restore");
        if (traps[i].status == 0)
            continue;
        run_expect(run_shell(line), 1, NULL, "nothing was written");
    }
    g_autofree char *postgres = servers_get_uri("new", "postgres");
    g_autofree char *databases =
        servers_query(postgres, "SELECT string_agg(datname, ' ' ORDER BY datname) FROM pg_database"
                                " WHERE NOT datistemplate AND datname <> 'postgres'");
    assert_string_equal(databases, "busy latin mine taken");
}

/* In a database of `old` and one of `new` made for it; before and after: SQL in the target, as a superuser */
static const struct {
    const char *trap, *source, *before, *target, *options, *after;
    int status;
    const char *found[3];
} meetings[] = {
    {"no standby",
     "SELECT 1",
     "ALTER SYSTEM SET synchronous_standby_names = 'oak'",
     "SELECT pg_reload_conf()",
     "",
     "ALTER SYSTEM RESET synchronous_standby_names",
     1,
     {"(synchronous_standby_names is 'oak'), and none is connected", "[standby-missing]"}},
    {"a prepared transaction",
     "SELECT 1",
     "SELECT 1",
     "BEGIN; CREATE SCHEMA held; PREPARE TRANSACTION 'acorn''s'",
     "",
     "ROLLBACK PREPARED 'acorn''s'",
     0,
     {"[prepared-transaction]", "ROLLBACK PREPARED 'acorn''s';"}},
    {"a publication of all",
     "SELECT 1",
     "SELECT 1",
     "CREATE PUBLICATION everything FOR ALL TABLES",
     "",
     "SELECT 1",
     0,
     {"publication everything: is on the target and publishes all tables"}},
    {"publications there",
     "CREATE TABLE t (a int PRIMARY KEY); CREATE PUBLICATION a_few FOR TABLE t",
     "SELECT 1",
     "SELECT 1",
     "",
     "SELECT 1",
     0,
     {"wal_level: of the target is replica: nobody can subscribe to publication a_few"}},
    {"an extension elsewhere, in use",
     "CREATE SCHEMA tools; CREATE EXTENSION pg_trgm SCHEMA tools",
     "SELECT 1",
     "CREATE EXTENSION pg_trgm; CREATE TABLE t (a text)",
     "--existing keep",
     "SELECT 1",
     1,
     {"extension pg_trgm: is in schema public on the target, and in tools in the source",
      "ALTER EXTENSION pg_trgm SET SCHEMA tools;", "[extension-differs]"}},
    {"an extension elsewhere and an older one",
     "CREATE SCHEMA tools; CREATE EXTENSION pg_trgm SCHEMA tools; CREATE EXTENSION hstore",
     "SELECT 1",
     "CREATE EXTENSION pg_trgm; CREATE EXTENSION hstore VERSION '1.4'",
     "",
     "SELECT 1",
     0,
     {"the restore moves it to tools", "extension hstore: is of version 1.4 on the target: the restore updates it"}},
    {"what only superusers may say",
     "CREATE FUNCTION quiet(text) RETURNS int LANGUAGE sql IMMUTABLE LEAKPROOF AS 'SELECT 1';"
     "CREATE CAST (text AS int) WITH FUNCTION quiet(text)",
     "GRANT CREATE ON SCHEMA public TO hosted",
     "GRANT CREATE ON DATABASE met TO hosted",
     "--skip user:*",
     "SELECT 1",
     0,
     {"function public.quiet(text): can be created by a superuser only", "cast (text AS integer): is between types of",
      "database-owner postgres: can be given by the database's owner only"}},
};

static void what_is_there_is_met_with_a_word(void **state)
{
    g_autofree char *old = servers_get_uri("old", "postgres"), *new = servers_get_uri("new", "postgres");
    const char *const postgres[] = {old, new};
    g_autofree char *from = servers_get_uri("old", "met"), *to = servers_get_uri("new", "met");

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(meetings); i++) {
        const gboolean is_hosted = strstr(meetings[i].found[0], "superuser") != NULL;
        g_autofree char *line = g_strdup_printf("set -f; $HORNBEAM preflight '%s' \"$(server_uri new met%s)\" %s", from,
                                                is_hosted ? " | sed s/postgres@/hosted@/" : "", meetings[i].options);
        Run run;
        for (gsize s = 0; s < G_N_ELEMENTS(postgres); s++)
            g_free(servers_query(postgres[s], "CREATE DATABASE met"));
        g_free(servers_query(from, meetings[i].source));
        g_free(servers_query(to, meetings[i].before));
        g_free(servers_query(to, meetings[i].target));
        g_usleep(300000);
        run = run_shell(line);
        if (run.status != meetings[i].status)
            fail_msg("%s: status %d: %s%s", meetings[i].trap, run.status, run.out, run.err);
        for (gsize f = 0; f < G_N_ELEMENTS(meetings[i].found) && meetings[i].found[f] != NULL; f++)
            check_contains(run.out, meetings[i].found[f]);
        run_clear(&run);
        if (meetings[i].status == 0 && !is_hosted)
            run_expect(run_hornbeam("carry", from, to, "--yes", NULL), 0, "Restored whole", NULL);
        if (meetings[i].status == 0 && !is_hosted)
            run_expect(run_hornbeam("verify", from, to, "--skip", "publication", NULL), 0, "Equal", NULL);
        g_free(servers_query(to, meetings[i].after));
        g_free(servers_query(to, "SELECT pg_reload_conf()"));
        for (gsize s = 0; s < G_N_ELEMENTS(postgres); s++)
            g_free(servers_query(postgres[s], "DROP DATABASE met WITH (FORCE)"));
    }
}

/* Two builds of a server rarely sort by the same library; where they do, nothing is said */
static void another_order_of_texts_is_told(void **state)
{
    static const char version[] =
        "SELECT pg_collation_actual_version(oid) FROM pg_collation WHERE collname = 'und-x-icu'";
    g_autofree char *old = servers_get_uri("old", "postgres"), *newer = servers_get_uri("v17", "postgres");
    g_autofree char *here = servers_query(old, version), *there = servers_query(newer, version);
    Run run;

    (void)state;
    g_free(servers_query(old, "CREATE DATABASE sorted TEMPLATE template0 LOCALE_PROVIDER icu ICU_LOCALE 'de'"));
    run = run_shell("$HORNBEAM preflight \"$(server_uri old sorted)\" \"$(server_uri v17 sorted)\"");
    assert_int_equal(run.status, 0);
    assert_int_equal(strstr(run.out, "[collation-differs]") != NULL, strcmp(here, there) != 0);
    run_clear(&run);
    g_free(servers_query(old, "DROP DATABASE sorted"));
}

static void the_source_itself_and_who_else_is_there_are_named(void **state)
{
    (void)state;
    run_expect(
        run_shell(
            "$HORNBEAM preflight \"$(server_uri old fennick_vale)\" \"$(server_uri old fennick_vale)&port=5432\""),
        1, "is the source itself, under this or another address", NULL);
    run_expect(run_shell("$HORNBEAM preflight \"$(server_uri mold fennick_vale)\" \"$(server_uri mold fennick_vale)\""),
               1, "is the source itself", NULL);
    run_expect(run_shell("hold new busy \"SET application_name = 'till'\"; $HORNBEAM preflight $FOLDER/old.full"
                         " \"$(server_uri new busy)\"; status=$?; let_go; exit $status"),
               0, "busy: is in use by others: postgres with till (1)", NULL);
    run_expect(
        run_shell(
            "hold mnew limited 'DO 1'; $HORNBEAM preflight $FOLDER/mold.full \"$(server_uri mnew limited)\"; let_go"),
        0, "limited: is in use by others: root from localhost (1)", NULL);
    run_expect(
        run_shell("hold mnew taken 'BEGIN; SELECT COUNT(*) FROM plot'; sleep 2.5; $HORNBEAM preflight $FOLDER/mold.full"
                  " \"$(server_uri mnew taken)\"; let_go"),
        0, "of root (Sleep) has had a transaction open since", NULL);
    run_expect(
        run_shell("hold new taken 'BEGIN; SELECT count(*) FROM plot'; sleep 2.5; $HORNBEAM preflight $FOLDER/old.full"
                  " \"$(server_uri new taken)\"; let_go"),
        0, "of user postgres (psql, idle in transaction) has had a transaction open since", NULL);
}

static void a_report_can_be_kept_and_read_by_programs(void **state)
{
    (void)state;
    run_expect(run_shell("cd $FOLDER; $HORNBEAM preflight mold.full \"$(server_uri mnew taken)\" --json --report "
                         "page.html >out.json;"
                         " echo $?; python3 -c \"import json; d = json.load(open('out.json'));"
                         " print(d['document'], d['blocked'], [f['name'] for f in d['findings']][0])\"; cat page.html"),
               0, "preflight True target-not-empty", NULL);
    run_expect(run_shell("cat $FOLDER/page.html"), 0, "<strong>taken</strong> is not empty", NULL);
    run_expect(run_shell("grep -c 'https\\?://' $FOLDER/page.html"), 1, "0", NULL);
    run_expect(run_shell("$HORNBEAM preflight $FOLDER/mold.full \"$(server_uri mnew x)\" --report /nowhere/page.html"),
               6, NULL, "--report");
    run_expect(run_shell("$HORNBEAM restore $FOLDER/mold.full \"$(server_uri mnew x)\" --accept role-mising"), 2, NULL,
               "did you mean role-missing?");
}

/* A whole server, from itself and from its dump */
static void all_databases_of_a_server_are_looked_at(void **state)
{
    (void)state;
    run_expect(run_shell("$HORNBEAM preflight \"$(server_uri mold)\" \"$(server_uri mnew)\" --accept storage-missing"),
               0, "database far_away (to be created)", NULL);
    run_expect(run_shell("cd $FOLDER; $HORNBEAM dump -q \"$(server_uri mold)\" whole; mariadb_shell mnew -e 'CREATE "
                         "DATABASE far_away;"
                         " CREATE TABLE far_away.hill (a int)'; $HORNBEAM preflight whole \"$(server_uri mnew)\""),
               1, "far_away: is not empty", NULL);
    run_expect(run_shell("cd $FOLDER; $HORNBEAM restore whole \"$(server_uri mnew)\""), 1, NULL,
               "far_away: is not empty");
}

/* A standby without a primary is a standby all the same; an account that may write in spite of it is not stopped by one
 */
static void a_server_that_takes_no_writes_is_named(void **state)
{
    (void)state;
    run_expect(run_shell("again() { stop_server new; as_server_user $POSTGRES_BIN/pg_ctl -D $SERVERS/new/data -l"
                         " $SERVERS/new/data/server.log -w start >/dev/null; };"
                         " as_server_user touch $SERVERS/new/data/standby.signal; again;"
                         " $HORNBEAM restore $FOLDER/old.full \"$(server_uri new standby)\"; status=$?;"
                         " as_server_user rm $SERVERS/new/data/standby.signal; again; exit $status"),
               1, NULL, "server: is a standby, which takes no writes  [read-only]");
    run_expect(
        run_shell("mariadb_shell mnew -e \"CREATE USER plain@localhost; GRANT CREATE, DROP, ALTER, INSERT, SELECT"
                  " ON *.* TO plain@localhost; SET GLOBAL read_only = 1\";"
                  " to=$(server_uri mnew standby | sed s/root@/plain@/);"
                  " $HORNBEAM preflight $FOLDER/mold.full \"$to\" --skip user:*; status=$?;"
                  " mariadb_shell mnew -e 'SET GLOBAL read_only = 0'; exit $status"),
        1, "[read-only]", NULL);
}

/* A dump may go back to where it comes from, but not without a word */
static void where_the_dump_comes_from_is_said(void **state)
{
    (void)state;
    run_expect(run_shell("$HORNBEAM preflight $FOLDER/old.full \"$(server_uri old fennick_vale)\" --existing replace"),
               0, "fennick_vale: is where the dump comes from", NULL);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(each_trap_is_found_with_what_to_do),
        cmocka_unit_test(a_restore_stops_at_blockers_before_writing),
        cmocka_unit_test(what_is_there_is_met_with_a_word),
        cmocka_unit_test(another_order_of_texts_is_told),
        cmocka_unit_test(the_source_itself_and_who_else_is_there_are_named),
        cmocka_unit_test(a_report_can_be_kept_and_read_by_programs),
        cmocka_unit_test(all_databases_of_a_server_are_looked_at),
        cmocka_unit_test(where_the_dump_comes_from_is_said),
        cmocka_unit_test(a_server_that_takes_no_writes_is_named),
    };

    g_setenv("WAL_LEVEL", "replica", TRUE); /* so that nobody can subscribe */
    return servers_run_tests(
        "old new v17=17 mold:mariadb mnew:mariadb",
        "cd $SOURCE; plant old 1; psql -qX \"$(server_uri old fennick_vale)\" "
        " -c 'CREATE FOREIGN DATA WRAPPER far' -c 'CREATE EXTENSION adminpack'"
        " -c 'CREATE EXTENSION old_snapshot SCHEMA public'"
        " -c \"CREATE SERVER mill FOREIGN DATA WRAPPER far OPTIONS (host 'mill')\";"
        " psql -qX \"$(server_uri new postgres)\" -c 'CREATE ROLE hosted LOGIN CREATEDB'"
        " -c 'CREATE DATABASE taken'  -c 'CREATE ROLE loner LOGIN CONNECTION LIMIT 1'"
        " -c 'CREATE ROLE vale_keepers LOGIN SUPERUSER'  -c 'CREATE ROLE vale_owner'"
        " -c \"CREATE ROLE loans_desk LOGIN PASSWORD 'other' CONNECTION LIMIT 12\" "
        " -c \"CREATE DATABASE latin ENCODING latin1 LC_COLLATE 'C' LC_CTYPE 'C' TEMPLATE template0\" "
        " -c 'CREATE DATABASE busy' -c 'CREATE DATABASE mine OWNER vale_owner';"
        " psql -qX \"$(server_uri new taken)\" -c 'CREATE TABLE plot (a int)';"
        " psql -qX \"$(server_uri new mine)\" -c 'REVOKE ALL ON SCHEMA public FROM PUBLIC';"
        " mariadb_shell mold <demo/arboretum/mariadb.sql;"
        " mariadb_shell mold fennick_vale -e 'INSTALL SONAME \"ha_archive\";"
        " CREATE TABLE moss (a int) ENGINE=Archive;   CREATE DATABASE far_away;"
        " CREATE TABLE far_away.hill (a int);   CREATE VIEW hills AS SELECT a FROM far_away.hill;"
        " SET GLOBAL event_scheduler = ON'; mariadb_shell mnew -e \"CREATE DATABASE taken;"
        " CREATE TABLE taken.plot (a int); CREATE DATABASE limited;   CREATE USER hosted@localhost;"
        " GRANT SELECT, INSERT, CREATE ON limited.* TO hosted@localhost;"
        "   CREATE USER 'Ida Quill'@'%' IDENTIFIED BY 'other';"
        " SET GLOBAL sql_mode = 'ANSI',   GLOBAL max_allowed_packet = 1048576\"; for s in old mold;"
        " do $HORNBEAM dump -q \"$(server_uri $s fennick_vale)\"  $FOLDER/$s.full || [ $? = 1 ]; done",
        tests, G_N_ELEMENTS(tests));
}
