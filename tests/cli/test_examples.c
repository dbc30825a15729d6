/* SPDX-License-Identifier: Apache-2.0 */
/* The examples for launchers of several hosts do what they say: what each would start is started here three times */
#include "support/check.h"
#include "support/servers.h"

/* three LINE: at the same time, each with the program on its path; then $DUMP is FROM, and so is TO */
#define WITH                                                                                                           \
    "export PATH=$(dirname \"$HORNBEAM\"):$PATH FROM=\"$(server_uri old fennick_vale)\" TO=\"$(server_uri new %s)\""   \
    " DUMP=$FOLDER/%s.dump; three() { local i p; for i in 1 2 3; do bash -c \"$1\" >o$i 2>e$i & p[$i]=$!; done;"       \
    " for i in 1 2 3; do wait ${p[$i]} || { cat e$i >&2; return 9; }; done; };"                                        \
    " dumped() { hb verify -q $DUMP \"$FROM\" >o; grep -q '^Equal' o; };"                                              \
    " restored() { hb verify -q $DUMP \"$TO\" >o; grep -q '^Equal' o; }; "

static void with_launcher(const char *name, const char *line)
{
    g_autofree char *begin = g_strdup_printf(WITH, name, name), *whole = g_strconcat(begin, line, NULL);

    servers_run_traced(whole);
}

/* srun is given the line, and starts it on each node */
static void batch_scripts_are_run_on_all_nodes(void **state)
{
    (void)state;
    with_launcher(
        "batch",
        "mkdir -p bin; printf '#!/bin/bash\\nwhile [[ $1 = --* ]]; do shift; done; for i in 1 2 3; do \"$@\" & "
        "p[$i]=$!; done; for i in 1 2 3; do wait ${p[$i]} || exit; done\\n' >bin/srun; chmod +x bin/srun;"
        " PATH=$FOLDER/bin:$PATH SLURM_NNODES=3 bash $SOURCE/examples/dump.slurm \"$FROM\" $DUMP; dumped;"
        " PATH=$FOLDER/bin:$PATH bash $SOURCE/examples/restore.slurm $DUMP \"$TO\"; restored");
}

/* Their commands, once the published schema has let them pass */
static void jobs_are_as_their_schema_wants_them(void **state)
{
    (void)state;
    with_launcher(
        "jobs",
        ". $SOURCE/scripts/versions.sh; command_of() { node $SOURCE/tests/support/jobs.js $(jobs_modules) $1; };"
        " three \"$(command_of $SOURCE/examples/dump-job.yaml)\"; dumped; three \"$(command_of"
        " $SOURCE/examples/restore-job.yaml)\"; restored; sed 's/backoffLimit: 0/backoffLimits: 0/'"
        " $SOURCE/examples/dump-job.yaml >other; fails 1 command_of other; grep -q 'no field backoffLimits' e");
}

/* What the unit runs, as systemd would, which has nothing to say against it but that nothing is installed here */
static void the_unit_is_one(void **state)
{
    (void)state;
    with_launcher("unit",
                  "hb dump -q \"$FROM\" $DUMP; U=$SOURCE/examples/hornbeam-restore@.service; systemd-analyze verify"
                  " --man=no $U 2>v || true; not grep -v '/usr/bin/hornbeam is not executable' v;"
                  " three \"$(sed -n 's,^ExecStart=/usr/bin/,,p' $U | sed 's/${\\([A-Z]*\\)}/\"$\\1\"/g')\"; restored");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(batch_scripts_are_run_on_all_nodes),
        cmocka_unit_test(jobs_are_as_their_schema_wants_them),
        cmocka_unit_test(the_unit_is_one),
    };
    return servers_run_tests("old new", "plant old 2", tests, G_N_ELEMENTS(tests));
}
