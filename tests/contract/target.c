/* SPDX-License-Identifier: Apache-2.0 */
/* The database, what is in it, and the hold that one restore has on it */
#include "contract/contract.h"

static void check_creation(const Contract *contract)
{
    HbServerInfo info = {0};
    gboolean exists = TRUE, created = FALSE;
    GError *error = NULL;

    assert_true(contract->engine->target->find(&contract->address, &info, &exists, &error));
    check_no_error(error);
    assert_false(exists);
    assert_non_null(info.version);
    hb_server_info_clear(&info);
    assert_true(contract->engine->target->create_database(&contract->address, contract->properties, &created, &error));
    assert_true(created);
    assert_true(contract->engine->target->create_database(&contract->address, contract->properties, &created, &error));
    assert_false(created);
    assert_true(contract->engine->target->find(&contract->address, &info, &exists, &error));
    assert_true(exists);
    hb_server_info_clear(&info);
}

/* A session that has been closed may have it for a moment more */
static void await_hold(const Contract *contract, HbSession *session)
{
    HbPeer holder = {.id = 1};

    for (int look = 0; look < 100 && holder.id != 0; look++) {
        hb_peer_clear(&holder);
        assert_true(contract->engine->target->claim(session, FALSE, &holder, NULL));
        if (holder.id != 0)
            g_usleep(50 * 1000);
    }
    assert_int_equal(holder.id, 0);
}

/* One has the hold, others learn who; what serves it is ended by who finds it dead, and whoever is alive is spared */
static void check_hold(const Contract *contract)
{
    const HbEngine *engine = contract->engine;
    HbSession *first = contract_open(contract), *servant = contract_open(contract), *next = contract_open(contract);
    const guint64 ids[] = {engine->connector->get_id(first), engine->connector->get_id(servant)};
    g_autoptr(GArray) alive = g_array_new(FALSE, FALSE, sizeof(guint64));
    HbPeer holder = {0};
    g_autofree char *wait = NULL;
    GError *error = NULL;
    guint ended = 0;

    assert_true(ids[0] != ids[1] && ids[0] != engine->connector->get_id(next));
    assert_true(engine->target->claim(first, FALSE, &holder, NULL) && holder.id == 0);
    assert_true(engine->target->claim(first, FALSE, &holder, NULL) && holder.id == 0);
    assert_true(engine->target->serve(servant, NULL) && engine->target->serve(servant, NULL));
    assert_true(engine->target->claim(next, FALSE, &holder, NULL));
    if (holder.id != 0) {
        HbPeer of_server = {0};
        assert_true(holder.id == ids[0] && holder.silent_s >= 0 && holder.silent_s < 10 && holder.who != NULL);
        assert_true(engine->target->claim(next, TRUE, &of_server, NULL));
        g_array_append_vals(alive, ids, 2);
        assert_true(engine->target->end_lost(next, alive, &ended, NULL));
        assert_int_equal(ended, 0);
        assert_true(engine->connector->find_wait(next, alive, &wait, NULL));
        assert_null(wait);
        g_array_set_size(alive, 1);
        assert_true(engine->target->end_lost(next, alive, &ended, NULL));
        assert_int_equal(ended, 1);
        assert_false(engine->journal->run_step(servant, contract->bad, "of the servant", NULL, &error));
        check_error(&error, HB_ERROR_LOST, "");
        g_array_set_size(alive, 0);
        assert_true(engine->target->end_lost(next, alive, &ended, NULL));
        assert_int_equal(ended, 1);
        hb_peer_clear(&holder);
        hb_peer_clear(&of_server);
        assert_true(engine->target->claim(next, FALSE, &holder, NULL));
    }
    assert_int_equal(holder.id, 0);
    engine->connector->close(first);
    engine->connector->close(servant);
    engine->connector->close(next);
}

/* Several hosts have a part of the hold each, and nobody else the whole; who has the whole may keep a part of it */
static void check_parts(const Contract *contract)
{
    const HbTarget *target = contract->engine->target;
    HbSession *first = contract_open(contract), *second = contract_open(contract), *third = contract_open(contract);
    HbPeer holder = {0};

    for (int again = 0; again < 2; again++)
        assert_true(target->join(first, &holder, NULL) && holder.id == 0);
    assert_true(target->join(second, &holder, NULL) && holder.id == 0);
    assert_true(target->claim(third, FALSE, &holder, NULL));
    if (holder.id == 0) { /* a server that gives the hold to everybody */
        contract->engine->connector->close(first);
        contract->engine->connector->close(second);
        contract->engine->connector->close(third);
        return;
    }
    assert_non_null(holder.who);
    hb_peer_clear(&holder);
    assert_true(target->leave(first, NULL) && target->leave(first, NULL));
    assert_true(target->claim(third, FALSE, &holder, NULL) && holder.id != 0);
    assert_true(holder.id == contract->engine->connector->get_id(second));
    hb_peer_clear(&holder);
    contract->engine->connector->close(second);
    await_hold(contract, third);
    second = contract_open(contract);
    assert_true(target->join(second, &holder, NULL) && holder.id == contract->engine->connector->get_id(third));
    hb_peer_clear(&holder);
    assert_true(target->join(third, &holder, NULL) && holder.id == 0);
    assert_true(target->join(second, &holder, NULL) && holder.id == 0);
    assert_true(target->leave(third, NULL) && target->leave(second, NULL));
    assert_true(target->claim(first, FALSE, &holder, NULL) && holder.id == 0);
    assert_true(target->leave(first, NULL));
    assert_true(target->claim(third, FALSE, &holder, NULL) && holder.id == 0);
    contract->engine->connector->close(first);
    contract->engine->connector->close(second);
    contract->engine->connector->close(third);
}

static void check_content(const Contract *contract)
{
    const HbTarget *target = contract->engine->target;
    HbSession *session = contract_open(contract);
    g_autofree char *content = NULL;
    gboolean found = TRUE;

    assert_true(target->find_content(session, &content, NULL));
    assert_null(content);
    assert_true(target->find_role(session, "no such role", &found, NULL));
    assert_false(found);
    contract->engine->connector->close(session);
}

static GArray *list_keys(guint first, guint end)
{
    GArray *rows = g_array_new(FALSE, FALSE, sizeof(HbSketchedRow));

    for (guint n = first; n < end; n++) {
        HbSketchedRow row = {.count = -1};
        row.key_length = (guint)g_snprintf(row.key, sizeof row.key, "%u", n);
        g_array_append_val(rows, row);
    }
    return rows;
}

static guint64 count_rows(const Contract *contract, HbSession *session, const HbRowSet *set)
{
    return contract_read_all(contract, session, set, 1).rows;
}

/* Rows go by their keys, others come, all of it or nothing; there are as many as one statement takes, and more */
static void check_changing(const Contract *contract)
{
    const HbTarget *target = contract->engine->target;
    HbSession *session = contract_open(contract);
    g_autoptr(HbCatalog) catalog = hb_catalog_new();
    HbRowSet *set = contract_add_row_set(contract, catalog);
    g_autoptr(GPtrArray) key = g_ptr_array_new();
    g_autoptr(GArray) all = list_keys(0, CONTRACT_ROWS), some = list_keys(3, 10),
                      absent = list_keys(CONTRACT_ROWS - 2, CONTRACT_ROWS + 1);
    ContractRows rows;
    GError *error = NULL;

    g_ptr_array_add(key, (gpointer) "n");
    assert_true(hb_row_set_set_key(set, key));
    assert_true(contract->engine->journal->begin(session, "dump 1", NULL));
    assert_true(contract->engine->journal->run_step(session, contract->create, "create it", NULL, &error));
    contract_rows_init(&rows, FALSE);
    assert_true(target->change_rows(session, set, &(HbRowChange){.source = contract_rows_give, .data = &rows}, &error));
    check_no_error(error);
    contract_rows_clear(&rows);
    assert_int_equal(count_rows(contract, session, set), CONTRACT_ROWS);
    assert_true(target->change_rows(session, set, &(HbRowChange){.gone = some}, &error));
    assert_int_equal(count_rows(contract, session, set), CONTRACT_ROWS - some->len);
    /* one of them is not there: all stay */
    assert_false(target->change_rows(session, set, &(HbRowChange){.gone = absent}, &error));
    check_error(&error, HB_ERROR_RETRY, "were there to be taken away");
    assert_int_equal(count_rows(contract, session, set), CONTRACT_ROWS - some->len);
    /* and if what comes breaks off, what went is back */
    contract_rows_init(&rows, TRUE);
    assert_false(target->change_rows(
        session, set, &(HbRowChange){.all_go = TRUE, .source = contract_rows_give, .data = &rows}, &error));
    check_error(&error, HB_ERROR_DAMAGED, "had enough");
    contract_rows_clear(&rows);
    assert_int_equal(count_rows(contract, session, set), CONTRACT_ROWS - some->len);
    contract_rows_init(&rows, FALSE);
    assert_true(target->change_rows(
        session, set, &(HbRowChange){.all_go = TRUE, .source = contract_rows_give, .data = &rows}, &error));
    contract_rows_clear(&rows);
    assert_true(target->change_rows(session, set, &(HbRowChange){.gone = all}, &error));
    assert_int_equal(count_rows(contract, session, set), 0);
    assert_true(contract->engine->journal->run_step(session, contract->drop, "drop it", NULL, &error));
    assert_true(contract->engine->journal->end(session, &error));
    check_no_error(error);
    contract->engine->connector->close(session);
}

/* It is no content, and what is written replaces what was there */
static void check_origin(const Contract *contract)
{
    static const char *const texts[] = {"{\"a\": \"it's\\\\n\"}", "second"};
    const HbTarget *target = contract->engine->target;
    HbSession *session = contract_open(contract);
    g_autofree char *text = NULL, *content = NULL;
    GError *error = NULL;

    assert_true(target->read_origin(session, &text, &error));
    assert_null(text);
    for (gsize i = 0; i < G_N_ELEMENTS(texts); i++) {
        target->write_origin(session, texts[i], &error);
        check_no_error(error);
        g_free(text);
        assert_true(target->read_origin(session, &text, &error));
        assert_string_equal(text, texts[i]);
    }
    assert_true(target->find_content(session, &content, NULL));
    assert_null(content);
    assert_true(target->drop_origin(session, &error) && target->drop_origin(session, &error));
    g_clear_pointer(&text, g_free);
    assert_true(target->read_origin(session, &text, &error));
    assert_null(text);
    contract->engine->connector->close(session);
}

void target_keeps_its_contract(const Contract *contract)
{
    check_creation(contract);
    check_content(contract);
    check_hold(contract);
    check_parts(contract);
    check_origin(contract);
    if (contract->engine->target->change_rows != NULL)
        check_changing(contract);
}
