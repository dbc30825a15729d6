/* SPDX-License-Identifier: Apache-2.0 */
/* Part of a database instead of all of it, at dump time, at restore time, and when comparing; on both engines */
#include "support/check.h"
#include "support/servers.h"

#include <string.h>

typedef struct {
    const char *old, *new, *database; /* servers; a database that the choice goes to */
    const char *selection;            /* options, as typed */
    int status;                       /* of the restore */
    const char *note;                 /* what is told */
    const char *there, *absent;       /* in the target's survey of what was restored, as `show` lists it */
} Case;

static const Case cases[] = {
    {"old", "new", "one_schema", "--take schema:loans", 0, "comes along, because it is needed: table garden.accession",
     "foreign-key  loans.loan.loan_code_fkey", "table  garden.tree"},
    /* who granted is no need where the server takes any superuser for it */
    {"old", "new", "two_schemas", "--take schema:garden --take schema:loans", 0, NULL,
     "membership  loans_desk in vale_readers", "role  postgres"},
    {"old", "new", "no_pictures", "--skip rows:photograph", 0, NULL, "table  garden.photograph",
     "rows  garden.photograph"},
    {"old", "new", "no_trees", "--skip table:tree", 1, NULL, "table  garden.plot", "view  garden.standing_tree"},
    {"old", "new", "one_view", "--take view:worry_list --skip user:*", 0, "table garden.tree",
     "view  garden.worry_list", "rows  garden.tree"},
    {"mold", "mnew", "one_view", "--take view:a_worry_list", 0, "comes along, because it is needed: view alarming",
     "view  a_worry_list", "rows  tree"},
    {"mold", "mnew", "some", "--take table:loan --skip rows:logger_message", 0, "table borrower",
     "foreign-key  loan.loan_borrower", "station"},
};

/* The choice from a full dump, and a dump of the choice alone: both verify, and both lead to the same database */
static void what_is_chosen_arrives_and_nothing_else(void **state)
{
    (void)state;
    run_expect(
        run_shell(
            "cd $FOLDER; for s in old mold; do $HORNBEAM dump -q \"$(server_uri $s fennick_vale)\" $s.full; done"),
        0, NULL, NULL);
    for (gsize i = 0; i < G_N_ELEMENTS(cases); i++) {
        const Case *it = &cases[i];
        g_autofree char *line =
            g_strdup_printf("set -f; cd $FOLDER; from=$(server_uri %s fennick_vale) to=$(server_uri %s %s);"
                            " $HORNBEAM restore %s.full \"$to\" %s; echo restored $?;"
                            " $HORNBEAM verify %s.full \"$to\" %s; echo full $?;"
                            " $HORNBEAM dump \"$from\" part.%s%zu %s; echo dumped $?; $HORNBEAM verify part.%s%zu "
                            "\"$to\"; echo part $?;"
                            " $HORNBEAM show part.%s%zu | tr -s ' ' | sed 's/^ [0-9]* [a-z]* \\([a-z-]*\\) /\\1  /'",
                            it->old, it->new, it->database, it->old, it->selection, it->old, it->selection, it->old, i,
                            it->selection, it->old, i, it->old, i);
        g_autofree char *restored = g_strdup_printf("restored %d\n", it->status);
        g_autofree char *dumped = g_strdup_printf("dumped %d\n", it->status);
        Run run = run_shell(line);
        if (strstr(run.out, restored) == NULL || strstr(run.out, dumped) == NULL ||
            strstr(run.out, "full 0\n") == NULL || strstr(run.out, "part 0\n") == NULL)
            fail_msg("%s: %s%s", it->selection, run.out, run.err);
        check_contains(run.out, it->there);
        check_lacks(run.out, it->absent);
        if (it->note != NULL)
            check_contains(run.err, it->note);
        run_clear(&run);
    }
}

static void what_the_target_has_already_can_be_left_out(void **state)
{
    (void)state;
    run_expect(
        run_shell("cd $FOLDER; $HORNBEAM restore old.full \"$(server_uri new alone)\" --take table:plot --needs no"), 1,
        NULL,
        "schema garden, table garden.keeper, type garden.years: is needed by what was taken, does not come along "
        "(--needs no), and is not on the target");
    run_expect(
        run_shell("cd $FOLDER; $HORNBEAM restore old.full \"$(server_uri new alone)\" --take table:plot --needs no"
                  " --accept need-missing"),
        4, "schema \"garden\" does not exist", "needed, and not taken: schema garden; the target must have it");
    run_expect(run_shell("cd $FOLDER; to=$(server_uri new beside); $HORNBEAM restore -q old.full \"$to\" --skip"
                         " view:worry_list; $HORNBEAM restore old.full \"$to\" --take view:worry_list --needs no"
                         " --existing keep"),
               0, "Restored: database beside", NULL);
    run_expect(run_shell("$HORNBEAM dump \"$(server_uri old fennick_vale)\" $FOLDER/nothing --take table:fountain"), 2,
               NULL, "--take table:fountain: there is no such object");
}

static void what_needs_what_can_be_drawn(void **state)
{
    (void)state;
    run_expect(run_shell("cd $FOLDER; $HORNBEAM show old.full --graph all.svg && grep -c '>garden.tree<' all.svg"), 0,
               "1\n", NULL);
    run_expect(
        run_shell("cd $FOLDER; $HORNBEAM show mold.full --graph one.dot --around tree && grep -c alarming one.dot"), 0,
        NULL, NULL);
    run_expect(run_shell("cd $FOLDER; $HORNBEAM show mold.full --around tree"), 2, NULL, "--graph");
}

/* Of a whole server, databases and objects are chosen by the same words */
static void objects_of_each_database_of_a_server_are_chosen(void **state)
{
    (void)state;
    run_expect(
        run_shell("cd $FOLDER; $HORNBEAM dump \"$(server_uri mold)\" whole --take database:fennick* --take table:plot"
                  " --skip user:ida* && $HORNBEAM show whole/databases/fennick_vale | tr -s ' '"),
        0, "rows plot", NULL);
    run_expect(run_shell("cd $FOLDER; $HORNBEAM restore whole \"$(server_uri mnew)\";"
                         " $HORNBEAM verify whole \"$(server_uri mnew)\""),
               0, "Equal", NULL);
}

/* One file serves all commands; the command line wins */
static void a_route_says_what_goes_where(void **state)
{
    (void)state;
    run_expect(
        run_shell("cd $FOLDER; printf '[route]\\nfrom = %s\\nto = %s\\ndump = route.dump\\njobs = 1\\nquiet = yes\\n"
                  "take = table:plot; table:note\\nskip = user:*\\ngrants = drop\\nownership = mine\\n'"
                  " \"$(server_uri old fennick_vale)\" \"$(server_uri new by_route)\" >x.route;"
                  " for c in preflight dump restore; do $HORNBEAM --route x.route $c || exit 9; done;"
                  " sed -i s/quiet/verbose/ x.route; $HORNBEAM --route x.route verify;"
                  " $HORNBEAM show --route x.route | tr -s ' '"),
        0, "rows garden.note", NULL);
    run_expect(run_shell("cd $FOLDER; $HORNBEAM --route x.route verify --take table:note"), 0, "every row of 1 table",
               NULL);
}

/* What nobody asked for is not missing, and what is known to be missing is no news */
static void only_what_was_chosen_is_missed(void **state)
{
    static const struct {
        const char *options;
        int status;
    } dumps[] = {
        {"", 1},
        {"--parts data", 0},
        {"--take table:public.bed --parts data", 0},
        {"--take table:public.bed", 1}, /* the index may be its */
        {"--skip index --skip foreign-server", 0},
        {"--accept left-out-of-dump", 0},
        {"--accept 'left-out-of-dump:secret options of *'", 1},
        {"--accept 'left-out-of-dump:secret options of *' --accept 'left-out-of-dump:index *'", 0},
    };

    (void)state;
    servers_run_shell(
        "psql -qX \"$(server_uri old postgres)\" -c 'CREATE DATABASE missed'; psql -qX \"$(server_uri old missed)\""
        " -c 'CREATE TABLE bed (n int); CREATE INDEX half ON bed (n); CREATE FOREIGN DATA WRAPPER far; CREATE"
        " SERVER mill FOREIGN DATA WRAPPER far OPTIONS (pin $$x$$)' -c \"UPDATE pg_index SET indisvalid = false"
        " WHERE indexrelid = 'half'::regclass\"");
    for (gsize i = 0; i < G_N_ELEMENTS(dumps); i++) {
        g_autofree char *line = g_strdup_printf(
            "cd $FOLDER; rm -rf missed.dump; $HORNBEAM dump -q \"$(server_uri old missed)\" missed.dump %s",
            dumps[i].options);
        Run run = run_shell(line);
        if (run.status != dumps[i].status)
            fail_msg("%s: status %d: %s", dumps[i].options, run.status, run.err);
        run_clear(&run);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_is_chosen_arrives_and_nothing_else),
        cmocka_unit_test(what_the_target_has_already_can_be_left_out),
        cmocka_unit_test(what_needs_what_can_be_drawn),
        cmocka_unit_test(a_route_says_what_goes_where),
        cmocka_unit_test(objects_of_each_database_of_a_server_are_chosen),
        cmocka_unit_test(only_what_was_chosen_is_missed),
    };

    return servers_run_tests("old new mold:mariadb mnew:mariadb", "cd $SOURCE; plant old 1; plant mold 1;", tests,
                             G_N_ELEMENTS(tests));
}
