/* SPDX-License-Identifier: Apache-2.0 */
/* Steps and rows, each done and noted, or neither */
#include "contract/contract.h"

#include "core/base/digest.h"

static void check_steps(const Contract *contract, HbSession *session)
{
    const HbEngine *engine = contract->engine;
    g_autofree char *none = NULL, *id = NULL;
    GError *error = NULL;

    assert_true(engine->journal->find(session, &none, NULL));
    assert_null(none);
    assert_true(engine->journal->begin(session, "dump 1", NULL));
    assert_true(engine->journal->find(session, &id, NULL));
    assert_string_equal(id, "dump 1");
    assert_true(engine->journal->run_step(session, contract->create, "create 'it'", "a \"note\"", &error));
    check_no_error(error);
    g_autoptr(GHashTable) steps = engine->journal->read(session, NULL);
    assert_string_equal(g_hash_table_lookup(steps, "create 'it'"), "a \"note\"");
    assert_false(engine->journal->run_step(session, contract->bad, "bad", NULL, &error));
    assert_non_null(error);
    g_clear_error(&error);
    assert_false(contract_is_noted(contract, session, "bad"));
    /* what is there by then was not made by the step that was refused */
    assert_false(engine->journal->run_step(session, contract->create, "bad", NULL, &error));
    check_error(&error, HB_ERROR_EXISTS, "");
    assert_true(engine->journal->run_step(session, NULL, "only noted", NULL, NULL));
    assert_false(engine->journal->run_step(session, NULL, "only noted", NULL, &error));
    check_error(&error, HB_ERROR_ALREADY_DONE, "");
    assert_true(contract_is_noted(contract, session, "only noted"));
}

/* Many at once, some of them another's; what is given up can be had by others */
static void check_taking(const Contract *contract, HbSession *session)
{
    static const char *const names[] = {"create 'it'", "create \"it\"", "of another's \\", "größe"};
    static const HbStepClaim wanted[] = {HB_CLAIM_NOTED, HB_CLAIM_OURS, HB_CLAIM_ELSEWHERE, HB_CLAIM_OURS};
    const HbEngine *engine = contract->engine;
    HbSession *other = contract_open(contract);
    g_autoptr(GPtrArray) keys = g_ptr_array_new(), none = g_ptr_array_new(), one = g_ptr_array_new();
    HbStepClaim states[G_N_ELEMENTS(names)];
    gboolean taken;

    for (gsize i = 0; i < G_N_ELEMENTS(names); i++)
        g_ptr_array_add(keys, (gpointer)names[i]);
    g_ptr_array_add(one, (gpointer)names[2]);
    assert_true(engine->journal->take_steps(other, none, one, states, NULL) && states[0] == HB_CLAIM_OURS);
    assert_true(engine->journal->take_steps(session, none, keys, states, NULL));
    for (gsize i = 0; i < G_N_ELEMENTS(names); i++)
        assert_int_equal(states[i], wanted[i]);
    assert_true(engine->connector->lock_name(other, names[3], &taken, NULL) && !taken);
    g_ptr_array_remove_index(keys, 2);
    assert_true(engine->journal->take_steps(session, keys, none, states, NULL));
    assert_true(engine->connector->lock_name(other, names[3], &taken, NULL) && taken);
    assert_true(engine->journal->take_steps(session, none, none, NULL, NULL));
    contract->engine->connector->close(other);
}

static void check_forgetting(const Contract *contract, HbSession *session)
{
    const HbEngine *engine = contract->engine;

    assert_true(engine->journal->run_step(session, NULL, "rows t%_ 1", NULL, NULL));
    assert_true(engine->journal->run_step(session, NULL, "rows t%_%_ 1", NULL, NULL));
    assert_true(engine->journal->forget_steps(session, "rows t%_ ", NULL));
    assert_false(contract_is_noted(contract, session, "rows t%_ 1"));
    assert_true(contract_is_noted(contract, session, "rows t%_%_ 1"));
}

static void check_rows(const Contract *contract, HbSession *session)
{
    const HbJournal *journal = contract->engine->journal;
    g_autoptr(HbCatalog) catalog = hb_catalog_new();
    HbRowSet *set = contract_add_row_set(contract, catalog);
    g_autoptr(GHashTable) steps = NULL;
    ContractRows bad, good, again;
    GError *error = NULL;

    /* a source that fails leaves no row, and no note of it */
    contract_rows_init(&bad, TRUE);
    assert_false(
        journal->write_rows(session, set, contract_rows_give, &bad, &(HbJournalEntry){"rows 1", NULL}, &error));
    check_error(&error, HB_ERROR_DAMAGED, "had enough");
    assert_false(contract_is_noted(contract, session, "rows 1"));
    assert_int_equal(contract_read_all(contract, session, set, 1).rows, 0);
    contract_rows_init(&good, FALSE);
    assert_true(
        journal->write_rows(session, set, contract_rows_give, &good, &(HbJournalEntry){"rows 1", "it's"}, &error));
    check_no_error(error);
    steps = journal->read(session, NULL);
    assert_string_equal(g_hash_table_lookup(steps, "rows 1"), "it's");
    /* the same chunk is never loaded twice */
    contract_rows_init(&again, FALSE);
    assert_false(
        journal->write_rows(session, set, contract_rows_give, &again, &(HbJournalEntry){"rows 1", NULL}, &error));
    check_error(&error, HB_ERROR_ALREADY_DONE, "");
    assert_int_equal(contract_read_all(contract, session, set, 1).rows, CONTRACT_ROWS);
    contract_rows_clear(&bad);
    contract_rows_clear(&good);
    contract_rows_clear(&again);
}

void journal_keeps_its_contract(const Contract *contract)
{
    const HbEngine *engine = contract->engine;
    g_autofree char *id = NULL;
    HbSession *session;
    GError *error = NULL;
    gboolean created;

    engine->target->create_database(&contract->address, contract->properties, &created, NULL);
    session = contract_open(contract);
    check_steps(contract, session);
    check_taking(contract, session);
    check_forgetting(contract, session);
    check_rows(contract, session);
    assert_true(engine->journal->settle(session, &error));
    assert_true(engine->journal->run_step(session, contract->drop, "drop it", NULL, &error));
    assert_true(engine->journal->end(session, &error));
    check_no_error(error);
    assert_true(engine->journal->find(session, &id, NULL));
    assert_null(id);
    engine->connector->close(session);
}

/* As many chunks as make it sure that one comes before, and one after, in whatever order the journal keeps them */
#define CHUNKS 12

static gboolean write_chunk(const Contract *contract, HbSession *session, const HbRowSet *set, int number,
                            gboolean fails, GError **error)
{
    g_autofree char *key = g_strdup_printf("rows t %d", number);
    ContractRows rows;
    gboolean ok;

    contract_rows_init(&rows, fails);
    ok = contract->engine->journal->write_rows(session, set, contract_rows_give, &rows, &(HbJournalEntry){key, NULL},
                                               error);
    contract_rows_clear(&rows);
    return ok;
}

void journal_takes_back_what_broke_off(const Contract *contract)
{
    const HbJournal *journal = contract->engine->journal;
    g_autoptr(HbCatalog) catalog = hb_catalog_new();
    HbRowSet *set = contract_add_row_set(contract, catalog);
    HbSession *session;
    GError *error = NULL;
    gboolean created;

    contract->engine->target->create_database(&contract->address, contract->properties, &created, NULL);
    session = contract_open(contract);
    assert_true(journal->begin(session, "dump 1", NULL));
    assert_true(journal->run_step(session, contract->create, "create it", NULL, &error));
    for (int i = 0; i < CHUNKS; i++)
        assert_true(write_chunk(contract, session, set, i, FALSE, NULL));
    assert_false(write_chunk(contract, session, set, CHUNKS, TRUE, &error));
    check_error(&error, HB_ERROR_DAMAGED, "had enough");
    /* to read the journal changes nothing, and nothing more goes into the table */
    assert_true(contract_is_noted(contract, session, "rows t 1"));
    assert_true(contract_read_all(contract, session, set, 1).rows >= (guint64)CHUNKS * CONTRACT_ROWS);
    assert_false(write_chunk(contract, session, set, CHUNKS, FALSE, &error));
    check_error(&error, HB_ERROR_LEFTOVER, "holds a part of what broke off");
    /* nor from another session, once that one is gone */
    contract->engine->connector->close(session);
    session = contract_open(contract);
    g_usleep(G_USEC_PER_SEC / 2);
    assert_false(write_chunk(contract, session, set, CHUNKS + 1, FALSE, &error));
    check_error(&error, HB_ERROR_LEFTOVER, "holds a part of what broke off");
    assert_true(journal->empty_broken(session, &error));
    for (int i = 0; i <= CHUNKS; i++) {
        g_autofree char *key = g_strdup_printf("rows t %d", i);
        assert_false(contract_is_noted(contract, session, key));
    }
    assert_true(contract_is_noted(contract, session, "create it"));
    assert_int_equal(contract_read_all(contract, session, set, 1).rows, 0);
    assert_true(write_chunk(contract, session, set, 0, FALSE, NULL));
    assert_true(journal->empty_broken(session, &error));
    assert_int_equal(contract_read_all(contract, session, set, 1).rows, CONTRACT_ROWS);
    assert_true(journal->run_step(session, contract->drop, "drop it", NULL, &error));
    assert_true(journal->end(session, &error));
    check_no_error(error);
    contract->engine->connector->close(session);
}
