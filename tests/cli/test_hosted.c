/* SPDX-License-Identifier: Apache-2.0 */
/*
 * Who restores is no superuser, and the target is somebody else's: what he may not do is known beforehand, and he gets
 * as far as his rights go
 */
#include "support/check.h"
#include "support/servers.h"

#include <string.h>

static char *folder;

/* A nursery with owners whose names need quotes, and things that only superusers, or holders, may give */
#define NURSERY                                                                                                        \
    "CREATE ROLE \\\"Ida Quill\\\" LOGIN; CREATE ROLE clerk LOGIN; CREATE ROLE readers; GRANT readers TO clerk;"       \
    " GRANT pg_read_all_stats TO clerk; CREATE ROLE copier REPLICATION; GRANT readers TO copier; ALTER ROLE clerk "    \
    "SET log_statement = 'all';"                                                                                       \
    " CREATE SCHEMA beds AUTHORIZATION \\\"Ida Quill\\\"; CREATE TABLE beds.bed (id int PRIMARY KEY, crop text);"      \
    " ALTER TABLE beds.bed OWNER TO \\\"Ida Quill\\\"; INSERT INTO beds.bed SELECT i, 'kale' FROM generate_series(1, " \
    "300)"                                                                                                             \
    " i; CREATE FUNCTION beds.size() RETURNS bigint LANGUAGE sql AS 'SELECT count(*) FROM beds.bed';"                  \
    " ALTER FUNCTION beds.size OWNER TO readers; GRANT SELECT ON beds.bed TO readers;"                                 \
    " ALTER DEFAULT PRIVILEGES FOR ROLE \\\"Ida Quill\\\" IN SCHEMA beds GRANT SELECT ON TABLES TO readers;"           \
    " CREATE VIEW beds.kale AS SELECT id FROM beds.bed WHERE crop = 'kale'"

static int begin(void **state)
{
    (void)state;
    folder = servers_begin_with_folder("old new v17=17 mold:mariadb");
    servers_run_shell(
        "psql -qX \"$(server_uri old postgres)\" -c 'CREATE DATABASE nursery';"
        " psql -qX \"$(server_uri old nursery)\" -c \"" NURSERY "\";"
        " psql -qX \"$(server_uri old nursery)\" -c 'CREATE PUBLICATION everything FOR ALL TABLES' 2>/dev/null;"
        " for s in new v17; do psql -qX \"$(server_uri $s postgres)\" -c 'CREATE ROLE hosted LOGIN CREATEDB CREATEROLE'"
        " -c 'CREATE ROLE plain LOGIN' -c 'CREATE DATABASE crowded CONNECTION LIMIT 2 OWNER plain'; done;"
        " cd $SOURCE; plant mold 1; start_mariadb strict --plugin-load-add=simple_password_check"
        "  --strict-password-validation=ON --innodb-default-row-format=compact --plugin-maturity=gamma;"
        " mariadb_shell strict -e \"CREATE USER hosted@localhost IDENTIFIED BY 'L0ng-enough!'; GRANT ALL ON nursery.* "
        "TO"
        " hosted@localhost; CREATE USER single@localhost IDENTIFIED BY 'L0ng-enough!' WITH MAX_USER_CONNECTIONS 1; "
        "GRANT"
        " ALL ON *.* TO single@localhost\";"
        " mariadb_shell mold -e \"CREATE DATABASE nursery; USE nursery; CREATE TABLE bed (id INT PRIMARY KEY, crop"
        " VARCHAR(300) CHARACTER SET utf8mb4, KEY (crop)); INSERT INTO bed VALUES (1, 'kale'); CREATE USER"
        " clerk@localhost IDENTIFIED BY 'x'; GRANT SELECT ON nursery.* TO clerk@localhost; CREATE "
        "DEFINER=clerk@localhost"
        " VIEW kale AS SELECT id FROM bed; CREATE TRIGGER late BEFORE INSERT ON bed FOR EACH ROW SET NEW.crop ="
        " LOWER(NEW.crop); INSERT INTO mysql.time_zone_name VALUES ('Vale/Mill', 7001); INSERT INTO mysql.time_zone"
        " VALUES (7001, 'N'); INSERT INTO mysql.time_zone_transition_type VALUES (7001, 0, 3600, 0, 'VM'); SET "
        "time_zone"
        " = 'Vale/Mill'; CREATE EVENT nightly ON SCHEDULE EVERY 1 DAY DO DELETE FROM bed WHERE id < 0\";"
        " for s in old mold; do $HORNBEAM dump -q \"$(server_uri $s nursery)\" $FOLDER/$s.nursery; done");
    return 0;
}

static int end(void **state)
{
    (void)state;
    servers_run_shell("stop_server strict");
    servers_end_with_folder(folder);
    return 0;
}

#define AS(user) " | sed 's/postgres@/" user "@/;s/root@/" user ":L0ng-enough!@/'"

typedef struct {
    const char *claim, *line;
    int status;
    const char *found[4];
} Case;

static const Case cases[] = {
    {"what only holders and superusers may give, from 16 on",
     "$HORNBEAM preflight old.nursery \"$(server_uri v17 nursery" AS("hosted") ")\"",
     0,
     {"membership clerk in pg_read_all_stats: cannot be granted by this role, which has no admin option",
      "role copier: has the attribute REPLICATION, which only a role that has it may grant",
      "role-setting clerk.log_statement: can be set by a superuser only",
      "publication everything: can be created by a superuser only"}},
    {"the same before 16",
     "$HORNBEAM preflight old.nursery \"$(server_uri new nursery" AS("hosted") ")\"",
     0,
     {"role copier, publication everything: can be created by a superuser only",
      "role \"Ida Quill\": owns objects of the source (schema beds, for example): to give it these, hosted becomes a "
      "member of it",
      "role postgres: owns objects of the source", "name another owner (--rename owner:OLD=NEW)"}},
    {"a database's own limit of connections",
     "$HORNBEAM preflight old.nursery \"$(server_uri new crowded" AS("plain") ")\" --jobs 3",
     1,
     {"crowded: has 2 connections left for plain; the restore needs 4", "use --jobs 1, or raise the limit"}},
    {"passwords as hashes, and time zones, that the server refuses",
     "$HORNBEAM preflight mold.nursery \"$(server_uri strict nursery)\"",
     1,
     {"strict_password_validation: is ON", "SET GLOBAL strict_password_validation = OFF;",
      "Vale/Mill: is a time zone that the target does not know: event nightly"}},
    {"definers, grants and trust",
     "$HORNBEAM preflight mold.nursery \"$(server_uri strict nursery" AS("hosted") ")\"",
     1,
     {"or use --ownership mine: what is defined becomes this account's",
      "log_bin_trust_function_creators: is OFF, the target keeps a binary log", "or use --grants drop",
      "GRANT GRANT OPTION ON `nursery`.* TO 'hosted'@'localhost';"}},
    {"an account's own limit of connections",
     "$HORNBEAM preflight mold.nursery \"$(server_uri strict nursery" AS("single") ")\" --jobs 2",
     1,
     {"account: has 1 connection left; the restore needs 3"}},
};

static void what_he_may_not_do_is_known_beforehand(void **state)
{
    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *line = g_strdup_printf("cd $FOLDER; %s", cases[i].line);
        Run run = run_shell(line);
        if (run.status != cases[i].status)
            fail_msg("%s: status %d: %s%s", cases[i].claim, run.status, run.out, run.err);
        for (gsize f = 0; f < G_N_ELEMENTS(cases[i].found) && cases[i].found[f] != NULL; f++)
            check_contains(run.out, cases[i].found[f]);
        run_clear(&run);
    }
}

/* Whoever may create roles gets everything to where it belongs, but for what only superusers may create */
static void he_joins_the_owners_to_give_them_what_is_theirs(void **state)
{
    static const char *const servers[] = {"new", "v17"};

    (void)state;
    for (gsize i = 0; i < G_N_ELEMENTS(servers); i++) {
        g_autofree char *line = g_strdup_printf(
            "cd $FOLDER; set -f; to=$(server_uri %s nursery" AS(
                "hosted") "); what='--rename owner:postgres=hosted"
                          " --skip publication:* --skip user:copier';"
                          " $HORNBEAM restore old.nursery \"$to\" $what; echo $?;"
                          " psql -qX \"$(server_uri %s postgres)\" -c 'GRANT pg_read_all_stats TO clerk' -c \"ALTER "
                          "ROLE clerk SET"
                          " log_statement = 'all'\"; $HORNBEAM verify old.nursery \"$to\" $what",
            servers[i], servers[i]);
        run_expect(run_shell(line), 0, "hosted is a member of it now", NULL);
    }
    run_expect(
        run_shell("cd $FOLDER; to=$(server_uri new nursery2" AS(
            "hosted") "); set -f; what='--rename"
                      " owner:postgres=readers --skip publication:* --skip user:copier';"
                      " $HORNBEAM restore old.nursery \"$to\" $what; $HORNBEAM verify old.nursery \"$to\" $what"),
        0, "Equal", NULL);
}

/* Nothing that belongs to others is found undroppable half-way */
static void what_belongs_to_others_is_not_touched(void **state)
{
    (void)state;
    run_expect(run_shell("cd $FOLDER; to=$(server_uri new nursery" AS(
                   "plain") "); psql -qX \"$(server_uri new nursery)\""
                            " -c 'DROP VIEW beds.kale'; for how in replace keep; do"
                            " $HORNBEAM restore old.nursery \"$to\" --existing $how --yes; echo $?; done"),
               0, NULL, "belongs to Ida Quill, of whom this role is no member  [right-missing]");
    run_expect(run_shell("psql -qXAt \"$(server_uri new nursery)\" -c 'SELECT count(*) FROM beds.bed'"), 0, "300",
               NULL);
}

static void an_account_takes_over_what_others_defined(void **state)
{
    (void)state;
    run_expect(
        run_shell("cd $FOLDER; set -f; to=$(server_uri strict nursery" AS(
            "hosted") "); what='--ownership mine"
                      " --grants drop --skip user:* --skip trigger:* --skip event:*';"
                      " $HORNBEAM restore mold.nursery \"$to\" $what && $HORNBEAM verify mold.nursery \"$to\" $what &&"
                      " $HORNBEAM restore -q mold.nursery \"$to\" $what --existing keep && mariadb_shell strict -N -e "
                      "\"SELECT DEFINER FROM information_schema.VIEWS WHERE TABLE_SCHEMA ="
                      " 'nursery'\""),
        0, "Equal: TO holds what FROM holds\nhosted@localhost", NULL);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_he_may_not_do_is_known_beforehand),
        cmocka_unit_test(he_joins_the_owners_to_give_them_what_is_theirs),
        cmocka_unit_test(what_belongs_to_others_is_not_touched),
        cmocka_unit_test(an_account_takes_over_what_others_defined),
    };

    return cmocka_run_group_tests(tests, begin, end);
}
