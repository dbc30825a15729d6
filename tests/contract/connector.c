/* SPDX-License-Identifier: Apache-2.0 */
/* Addresses, sessions, and how one that works is stopped from another thread */
#include "contract/contract.h"

static void check_addresses(const HbConnector *connector, const Contract *contract)
{
    const HbAddress secret = {.uri = contract->secret_uri};
    g_autofree char *shown = connector->display(&secret), *uri = NULL, *database = NULL;
    GError *error = NULL;

    assert_true(connector->check_uri(contract->secret_uri, &error));
    check_no_error(error);
    check_lacks(shown, "geheim");
    assert_false(connector->check_uri(contract->bad_uri, &error));
    check_error(&error, HB_ERROR_USAGE, "");
    uri = g_strconcat(connector->schemes[0], "://somewhere/vale", NULL);
    database = connector->get_database(uri);
    assert_string_equal(database, "vale");
}

static void check_description(const HbConnector *connector, const Contract *contract)
{
    HbSession *one = contract_open(contract), *other = contract_open(contract);
    HbServerInfo info = {0};

    assert_true(connector->describe(one, &info, NULL));
    assert_true(info.user != NULL && info.product != NULL && info.version != NULL && info.version_number > 0);
    check_lacks(info.address, "geheim");
    hb_server_info_clear(&info);
    assert_true(connector->get_id(one) != connector->get_id(other));
    connector->close(one);
    connector->close(other);
    connector->close(NULL);
}

typedef struct {
    HbSession *session;
    void (*stop)(HbSession *session);
} Stopper;

#define STOP_AFTER_US (300 * 1000)

static gpointer stop_soon(gpointer data)
{
    const Stopper *stopper = data;

    g_usleep(STOP_AFTER_US);
    stopper->stop(stopper->session);
    return NULL;
}

/* What takes a minute ends within seconds, and with the error that says why */
static void check_stop(const Contract *contract, void (*stop)(HbSession *), HbErrorCode code)
{
    Stopper stopper = {contract_open(contract), stop};
    GThread *thread = g_thread_new("stopper", stop_soon, &stopper);
    gint64 start = g_get_monotonic_time();
    GError *error = NULL;

    assert_false(contract->engine->journal->run_step(stopper.session, contract->slow, "slow", NULL, &error));
    check_error(&error, code, "");
    assert_true(g_get_monotonic_time() - start < 20 * G_TIME_SPAN_SECOND);
    g_thread_join(thread);
    /* where the connection was cut, the server does not know it yet */
    contract->engine->connector->interrupt(stopper.session);
    g_usleep(STOP_AFTER_US);
    contract->engine->connector->close(stopper.session);
}

/* A name is one session's, until that gives it back or ends */
static void check_names(const Contract *contract)
{
    const HbConnector *connector = contract->engine->connector;
    HbSession *first = contract_open(contract), *second = contract_open(contract);
    const char name[] = "table \"it's a 'step'\\ größe";
    gboolean taken, locked;

    assert_true(connector->is_name_locked(first, name, &locked, NULL) && !locked);
    assert_true(connector->lock_name(first, name, &taken, NULL) && taken);
    assert_true(connector->is_name_locked(first, name, &locked, NULL) && locked);
    assert_true(connector->lock_name(second, name, &taken, NULL) && !taken);
    assert_true(connector->lock_name(second, "table other", &taken, NULL) && taken);
    assert_true(connector->unlock_name(first, name, NULL));
    assert_true(connector->is_name_locked(second, name, &locked, NULL) && !locked);
    assert_true(connector->lock_name(second, name, &taken, NULL) && taken);
    assert_true(connector->is_name_locked(first, name, &locked, NULL) && locked);
    connector->close(second);
    for (int look = 0; look < 100 && locked; look++) {
        g_usleep(50 * 1000);
        assert_true(connector->is_name_locked(first, name, &locked, NULL));
    }
    assert_false(locked);
    connector->close(first);
}

void connector_keeps_its_contract(const Contract *contract)
{
    const HbEngine *engine = contract->engine;
    gboolean created;
    HbSession *session;

    engine->target->create_database(&contract->address, contract->properties, &created, NULL);
    check_addresses(engine->connector, contract);
    check_description(engine->connector, contract);
    check_names(contract);
    if (contract->slow == NULL)
        return;
    session = contract_open(contract);
    assert_true(engine->journal->begin(session, "dump 0", NULL));
    check_stop(contract, engine->connector->interrupt, HB_ERROR_CANCELLED);
    check_stop(contract, engine->connector->cut, HB_ERROR_LOST);
    assert_false(contract_is_noted(contract, session, "slow"));
    assert_true(engine->journal->end(session, NULL));
    engine->connector->close(session);
}
