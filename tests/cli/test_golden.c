/* SPDX-License-Identifier: Apache-2.0 */
/* Dumps that earlier versions wrote: each is read, restored and found equal for as long as this program lives */
#include "support/check.h"
#include "support/servers.h"

static void every_golden_dump_is_what_was_dumped(void **state)
{
    (void)state;
    run_expect(run_shell("cd $SOURCE/tests/golden; n=0; for dump in *-[0-9].tar; do s=${dump:0:1}; n=$((n + 1));"
                         " $HORNBEAM verify $dump \"$(server_uri $s grove)\" || exit 8; done; echo $n dumps"),
               0, "4 dumps", NULL);
}

static void every_golden_dump_can_be_restored(void **state)
{
    (void)state;
    run_expect(run_shell("cd $SOURCE/tests/golden; for dump in *-[0-9].tar; do s=${dump:0:1}; v=${dump: -5:1};"
                         " to=$(server_uri $s again$v); $HORNBEAM restore -q $dump \"$to\" || exit 9;"
                         " $HORNBEAM verify \"$(server_uri $s grove)\" \"$to\" || exit 8;"
                         " tar xf $dump -C $FOLDER --one-top-level=$dump && (cd $FOLDER/$dump && sha256sum -c --quiet"
                         " SHA256SUMS) || exit 6; done"),
               0, "Equal", NULL);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(every_golden_dump_is_what_was_dumped),
        cmocka_unit_test(every_golden_dump_can_be_restored),
    };

    return servers_run_tests(
        "p m:mariadb",
        "G=$SOURCE/tests/golden; psql -qX \"$(server_uri p postgres)\" -c 'CREATE DATABASE grove';"
        " psql -qX -v ON_ERROR_STOP=1 \"$(server_uri p grove)\" -f $G/postgres.sql;"
        " mariadb_shell m -e 'CREATE DATABASE grove CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci';"
        " mariadb_shell m grove <$G/mariadb.sql",
        tests, G_N_ELEMENTS(tests));
}
