/* SPDX-License-Identifier: Apache-2.0 */
/* A catalog, a moment that several sessions share, rows in pieces, and answers */
#include "contract/contract.h"

#include "core/base/digest.h"

static gboolean refuse(gpointer data, const char *row, gsize length, GError **error)
{
    (void)row;
    (void)length;
    return --*(int *)data > 0 || hb_error_set(error, HB_ERROR_FILE, NULL, "the sink is full");
}

static void check_rows(const Contract *contract, HbSession *session, HbRowSet *set)
{
    const HbSource *source = contract->engine->source;
    HbDigest whole, pieces;
    GError *error = NULL;
    int room = 3;

    /* whole or in pieces, the rows are the same, each once */
    whole = contract_read_all(contract, session, set, 1000);
    set->bytes = 100000;
    set->split_extent = contract->split_extent;
    set->split_column = g_strdup(contract->split_column);
    pieces = contract_read_all(contract, session, set, 10000);
    assert_int_equal(whole.rows, CONTRACT_ROWS);
    assert_true(hb_digest_is_equal(&whole, &pieces));
    if (contract->split_column != NULL) {
        g_autoptr(GArray) ranges = source->split_rows(session, set, 10000);
        assert_true(ranges->len > 5);
    }
    /* a sink that has had enough ends the reading */
    assert_false(source->read_rows(session, set, &(HbRange){.end = G_MAXUINT64}, refuse, &room, &error));
    check_error(&error, HB_ERROR_FILE, "full");
}

/* Two sessions see one moment, whatever a third one does meanwhile */
static void check_snapshot(const Contract *contract, HbSession *writer, HbRowSet *set)
{
    const HbSource *source = contract->engine->source;
    HbSession *keeper = contract_open(contract), *reader = contract_open(contract);
    HbSnapshot snapshot = {.sessions = 1};
    ContractRows more;
    GError *error = NULL;

    source->begin_snapshot(keeper, 1000, &snapshot, NULL, NULL, &error);
    check_no_error(error);
    source->join_snapshot(reader, &snapshot, &error);
    check_no_error(error);
    source->seal_snapshot(keeper, &snapshot, &error);
    check_no_error(error);
    assert_non_null(snapshot.time);
    if (contract->slow != NULL) { /* a real server */
        contract_rows_init(&more, FALSE);
        more.row = CONTRACT_ROWS;
        contract->engine->journal->write_rows(writer, set, contract_rows_give, &more, &(HbJournalEntry){"rows 2", NULL},
                                              &error);
        check_no_error(error);
        contract_rows_clear(&more);
    }
    assert_int_equal(contract_read_all(contract, reader, set, 1000).rows, CONTRACT_ROWS);
    source->check_structure(keeper, &error);
    check_no_error(error);
    source->end_snapshot(keeper, &error);
    check_no_error(error);
    hb_snapshot_clear(&snapshot);
    contract->engine->connector->close(keeper);
    contract->engine->connector->close(reader);
}

static void check_catalog(const Contract *contract, HbSession *session)
{
    const HbSource *source = contract->engine->source;
    g_autoptr(GPtrArray) sessions = g_ptr_array_new();
    g_autoptr(HbCatalog) catalog = NULL;
    g_autoptr(GPtrArray) survey = NULL;
    GError *error = NULL;

    g_ptr_array_add(sessions, session);
    catalog = source->read_catalog(sessions, HB_PART_ALL, &error);
    check_no_error(error);
    survey = source->survey(session, FALSE, &error);
    check_no_error(error);
    assert_non_null(survey);
    if (contract->identity != NULL)
        assert_non_null(hb_catalog_find(catalog, contract->identity));
}

static void check_answers(const Contract *contract, HbSession *session)
{
    g_autoptr(HbResultTable) answer = NULL;
    GError *error = NULL;

    if (contract->question == NULL)
        return;
    answer = contract->engine->source->ask(session, contract->question, &error);
    check_no_error(error);
    assert_int_equal(answer->rows->len, 1);
    assert_string_equal(((char **)answer->rows->pdata[0])[0], "7");
    assert_null(contract->engine->source->ask(session, contract->drop, &error));
    assert_non_null(error);
    g_clear_error(&error);
}

void source_keeps_its_contract(const Contract *contract)
{
    const HbEngine *engine = contract->engine;
    g_autoptr(HbCatalog) catalog = hb_catalog_new();
    HbRowSet *set = contract_add_row_set(contract, catalog);
    ContractRows rows;
    HbSession *session;
    GError *error = NULL;
    gboolean created;

    engine->target->create_database(&contract->address, contract->properties, &created, NULL);
    session = contract_open(contract);
    assert_true(engine->journal->begin(session, "dump 2", NULL));
    assert_true(engine->journal->run_step(session, contract->create, "create", NULL, &error));
    contract_rows_init(&rows, FALSE);
    assert_true(engine->journal->write_rows(session, set, contract_rows_give, &rows, &(HbJournalEntry){"rows 1", NULL},
                                            &error));
    check_no_error(error);
    contract_rows_clear(&rows);
    check_rows(contract, session, set);
    check_catalog(contract, session);
    check_answers(contract, session);
    check_snapshot(contract, session, set);
    assert_true(engine->journal->run_step(session, contract->drop, "drop", NULL, &error));
    assert_true(engine->journal->end(session, NULL));
    engine->connector->close(session);
}
