/* SPDX-License-Identifier: Apache-2.0 */
#include "support/check.h"
#include "support/contract.h"
#include "support/scripted.h"

static void the_scripted_engine_keeps_the_contract(void **state)
{
    g_autoptr(GHashTable) properties = g_hash_table_new(g_str_hash, g_str_equal);
    const Contract contract = {.engine = &scripted_engine,
                               .address = {.uri = "scripted://target/vale", .database = "vale"},
                               .properties = properties,
                               .create = "create table t;",
                               .bad = "this is bad",
                               .table = "t"};

    (void)state;
    scripted_reset("", 0);
    scripted_fail_statement("this is bad", HB_ERROR_STATEMENT);
    g_hash_table_insert(properties, (gpointer) "colour", (gpointer) "green");
    contract_check(&contract);
    assert_int_equal(scripted_count_sessions(), 0);
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(the_scripted_engine_keeps_the_contract)};
    return cmocka_run_group_tests(tests, NULL, NULL);
}
