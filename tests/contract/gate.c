/* SPDX-License-Identifier: Apache-2.0 */
/* Writing is stopped and let in again, each way, as often as one likes; what writes is seen; strings lead there */
#include "contract/contract.h"

#include <string.h>

static void check_way(const Contract *contract, HbSession *session, HbGateWay way)
{
    const HbGate *gate = contract->engine->gate;
    GError *error = NULL;
    g_autofree char *before = gate->make_note(session, way, &error), *after = NULL, *described = NULL;
    g_autoptr(GPtrArray) opening = gate->list_opening(contract->address.database, before, NULL);

    check_no_error(error);
    described = gate->describe(before);
    assert_non_null(described);
    assert_non_null(opening);
    assert_false(gate->explains(before, "table t"));
    assert_true(gate->is_same_way(before, before));
    for (int times = 0; times < 2; times++) {
        gate->stop(session, before, &error);
        check_no_error(error);
    }
    for (int times = 0; times < 2; times++) {
        gate->open(session, before, &error);
        check_no_error(error);
    }
    after = gate->make_note(session, way, &error);
    check_no_error(error);
    assert_string_equal(before, after);
}

/* Whatever stands in a note: it is refused before anything of it reaches the server */
static void check_hostile_notes(const Contract *contract, HbSession *session)
{
    static const char *const notes[] = {"",
                                        "()",
                                        "('sessions', int64 -7, '')",
                                        "('read-only', int64 -1, 'off; DROP DATABASE postgres')",
                                        "('everything', int64 -1, '')",
                                        "('sessions', false, ['alone'])",
                                        "('nothing', false, @as [])",
                                        "('sessions', false, @as []"};
    const HbGate *gate = contract->engine->gate;

    for (gsize i = 0; i < G_N_ELEMENTS(notes); i++) {
        GError *error = NULL;
        assert_null(gate->describe(notes[i]));
        assert_false(gate->stop(session, notes[i], &error));
        check_error(&error, HB_ERROR_BLOCKED, "cannot be read");
        assert_false(gate->open(session, notes[i], &error));
        check_error(&error, HB_ERROR_BLOCKED, "cannot be read");
        assert_null(gate->list_opening("t", notes[i], NULL));
    }
}

static char *look(const Contract *contract, HbSession *session, guint writers)
{
    g_autoptr(GPtrArray) found = g_ptr_array_new_with_free_func(g_free);
    GError *error = NULL;
    g_autofree char *state = NULL, *counters = NULL;

    contract->engine->gate->find_writers(session, NULL, found, &state, &counters, &error);
    check_no_error(error);
    assert_int_equal(found->len, writers);
    return g_strdup_printf("%s, %s", state, counters);
}

/* A change that is not committed has a name; one that is makes another state, when the server has counted it */
static void check_writers(const Contract *contract, HbSession *session)
{
    g_autofree char *before = look(contract, session, 0), *after = NULL;
    HbSession *writer = contract_open(contract);
    g_autoptr(HbCatalog) catalog = hb_catalog_new();
    const HbRowSet *set = contract_add_row_set(contract, catalog);
    ContractRows rows;
    GError *error = NULL;
    guint ended = 0;

    g_usleep(1100 * 1000);
    contract_rows_init(&rows, FALSE);
    contract->engine->journal->write_rows(writer, set, contract_rows_give, &rows, &(HbJournalEntry){"rows 1", NULL},
                                          &error);
    check_no_error(error);
    contract_rows_clear(&rows);
    contract->engine->connector->close(writer); /* what it has done is counted at the latest when it ends */
    for (int tries = 0; tries < 50 && (after == NULL || strcmp(before, after) == 0); tries++) {
        g_free(after);
        g_usleep(100 * 1000);
        after = look(contract, session, 0);
    }
    assert_string_not_equal(before, after);

    /* and those who are there are sent away, but us */
    writer = contract_open(contract);
    g_autofree char *note = contract->engine->gate->make_note(session, HB_GATE_READ_ONLY, &error);
    const guint64 own = contract->engine->connector->get_id(writer);
    g_autoptr(GArray) ours = g_array_new(FALSE, FALSE, sizeof(guint64));
    g_array_append_val(ours, own);
    assert_true(contract->engine->gate->end_sessions(session, note, ours, &ended, NULL));
    assert_int_equal(ended, 0);
    assert_true(contract->engine->gate->end_sessions(session, note, NULL, &ended, NULL));
    assert_int_equal(ended, 1);
    contract->engine->connector->close(writer);
}

/* Each form that is read here leads to the database, as the user and with the password that it names */
static void check_forms(const Contract *contract, HbSession *session)
{
    const HbGate *gate = contract->engine->gate;
    HbServerInfo info = {0};
    g_autoptr(GPtrArray) forms = NULL;
    guint tried = 0;

    assert_true(contract->engine->connector->describe(session, &info, NULL));
    forms = gate->list_forms(&contract->address, &info, contract->odd_user, contract->odd_password);
    for (guint i = 0; i < forms->len; i++) {
        const HbConnectionForm *form = forms->pdata[i];
        GError *error = NULL;
        gboolean unknown;
        assert_true((form->text != NULL) != (form->complaint != NULL));
        if (!form->is_read_here)
            continue;
        tried++;
        if (!gate->try_form(form, &contract->address, &unknown, &error))
            fail_msg("%s: %s: %s", form->form, form->text, error->message);
    }
    assert_int_equal(tried, 3);
    g_ptr_array_unref(forms);
    forms = gate->list_forms(&contract->address, &info, contract->odd_user, NULL);
    for (guint i = 0; i < tried; i++) {
        gboolean unknown = FALSE;
        assert_false(gate->try_form(forms->pdata[i], &contract->address, &unknown, NULL));
        assert_true(unknown); /* it wants the password */
    }
    hb_server_info_clear(&info);
}

void gate_keeps_its_contract(const Contract *contract)
{
    gboolean created;
    HbSession *session;
    GError *error = NULL;

    contract->engine->target->create_database(&contract->address, contract->properties, &created, &error);
    check_no_error(error);
    session = contract_open(contract);
    contract->engine->journal->begin(session, "gate", &error);
    check_no_error(error);
    contract->engine->journal->run_step(session, contract->create, "table t", NULL, &error);
    check_no_error(error);
    check_way(contract, session, HB_GATE_SESSIONS);
    check_way(contract, session, HB_GATE_READ_ONLY);
    check_hostile_notes(contract, session);
    check_writers(contract, session);
    check_forms(contract, session);
    contract->engine->journal->end(session, NULL);
    contract->engine->connector->close(session);
}
