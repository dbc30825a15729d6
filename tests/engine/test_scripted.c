/* SPDX-License-Identifier: Apache-2.0 */
#include "contract/contract.h"
#include "support/check.h"
#include "support/scripted.h"

static void check_contract(void (*keeps)(const Contract *))
{
    g_autoptr(GHashTable) properties = g_hash_table_new(g_str_hash, g_str_equal);
    const Contract contract = {.engine = &scripted_engine,
                               .address = {.uri = "scripted://target/vale", .database = "vale"},
                               .properties = properties,
                               .secret_uri = "scripted://target/vale",
                               .bad_uri = "nonsense://x",
                               .create = "create table t;",
                               .drop = "drop table t;",
                               .bad = "this is bad",
                               .table = "t"};

    scripted_reset("", 0);
    scripted_fail_statement("this is bad", HB_ERROR_STATEMENT);
    g_hash_table_insert(properties, (gpointer) "colour", (gpointer) "green");
    keeps(&contract);
    assert_int_equal(scripted_count_sessions(), 0);
}

static void the_scripted_engine_keeps_all_contracts(void **state)
{
    (void)state;
    check_contract(connector_keeps_its_contract);
    check_contract(target_keeps_its_contract);
    check_contract(journal_keeps_its_contract);
    check_contract(source_keeps_its_contract);
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(the_scripted_engine_keeps_all_contracts)};
    return cmocka_run_group_tests(tests, NULL, NULL);
}
