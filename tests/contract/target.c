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

void target_keeps_its_contract(const Contract *contract)
{
    check_creation(contract);
    check_content(contract);
    check_hold(contract);
}
