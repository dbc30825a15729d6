/* SPDX-License-Identifier: Apache-2.0 */
/* The dialects, without a server */
#include "support/check.h"

#include "engine/mariadb/dialect/dialect.h"
#include "engine/postgres/dialect/dialect.h"

#include <string.h>

typedef struct {
    const char *in;
    const char *out;
} Pair;

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

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(hashes_of_mariadb_are_hidden),
        cmocka_unit_test(passwords_are_hidden),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
