/* SPDX-License-Identifier: Apache-2.0 */
#include "support/contract.h"

#include "support/check.h"

#include "core/base/digest.h"

#include <string.h>

#define ROWS 450

typedef struct {
    guint blocks; /* still to give */
    guint row;
    gboolean fails; /* instead of ending */
    GString *block;
} Source;

static gboolean give(gpointer data, const char **bytes, gsize *length, GError **error)
{
    Source *source = data;

    g_string_truncate(source->block, 0);
    *bytes = source->block->str;
    *length = 0;
    if (source->blocks == 0)
        return !source->fails || hb_error_set(error, HB_ERROR_DAMAGED, NULL, "the source has had enough");
    source->blocks--;
    for (int i = 0; i < ROWS / 3; i++, source->row++)
        g_string_append_printf(source->block, "%u\t%s row %u\n", source->row, "t", source->row);
    *bytes = source->block->str;
    *length = source->block->len;
    return TRUE;
}

static gboolean take(gpointer data, const char *row, gsize length, GError **error)
{
    (void)error;
    assert_int_equal(row[length - 1], '\n');
    hb_digest_add_row(data, row, length - 1);
    return TRUE;
}

static gboolean refuse(gpointer data, const char *row, gsize length, GError **error)
{
    (void)row;
    (void)length;
    return --*(int *)data > 0 || hb_error_set(error, HB_ERROR_FILE, NULL, "the sink is full");
}

static HbSession *open_session(const Contract *contract)
{
    GError *error = NULL;
    HbSession *session = contract->engine->connector->open(&contract->address, &error);

    check_no_error(error);
    assert_non_null(session);
    return session;
}

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

static gboolean is_noted(const Contract *contract, HbSession *session, const char *key)
{
    g_autoptr(GHashTable) steps = contract->engine->journal->read(session, NULL);

    return g_hash_table_contains(steps, key);
}

static void check_journal(const Contract *contract, HbSession *session)
{
    const HbEngine *engine = contract->engine;
    g_autofree char *none = NULL, *id = NULL, *content = NULL;
    GError *error = NULL;

    assert_true(engine->target->find_content(session, &content, NULL));
    assert_null(content);
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
    assert_false(is_noted(contract, session, "bad"));
    assert_true(engine->journal->run_step(session, NULL, "only noted", NULL, NULL));
    assert_false(engine->journal->run_step(session, NULL, "only noted", NULL, &error));
    check_error(&error, HB_ERROR_ALREADY_DONE, "");
    assert_true(is_noted(contract, session, "only noted"));
}

static void check_forgetting(const Contract *contract, HbSession *session)
{
    const HbEngine *engine = contract->engine;

    assert_true(engine->journal->run_step(session, NULL, "rows t%_ 1", NULL, NULL));
    assert_true(engine->journal->run_step(session, NULL, "rows t%_%_ 1", NULL, NULL));
    assert_true(engine->journal->forget_steps(session, "rows t%_ ", NULL));
    assert_false(is_noted(contract, session, "rows t%_ 1"));
    assert_true(is_noted(contract, session, "rows t%_%_ 1"));
}

static HbRowSet *row_set(HbCatalog *catalog, const Contract *contract)
{
    HbRowSet *set = hb_catalog_add_row_set(catalog, "rows t", contract->table);

    g_ptr_array_add(set->columns, g_strdup("n"));
    g_ptr_array_add(set->columns, g_strdup("label"));
    return set;
}

static HbDigest read_all(const Contract *contract, HbSession *session, const HbRowSet *set, guint64 bytes)
{
    g_autoptr(GArray) ranges = contract->engine->source->split_rows(session, set, bytes);
    HbDigest digest = {0};
    GError *error = NULL;

    for (guint i = 0; i < ranges->len; i++) {
        contract->engine->source->read_rows(session, set, &g_array_index(ranges, HbRange, i), take, &digest, &error);
        check_no_error(error);
    }
    return digest;
}

static void check_rows(const Contract *contract, HbSession *session)
{
    const HbEngine *engine = contract->engine;
    g_autoptr(HbCatalog) catalog = hb_catalog_new();
    HbRowSet *set = row_set(catalog, contract);
    Source bad = {2, 0, TRUE, g_string_new(NULL)}, good = {3, 0, FALSE, g_string_new(NULL)};
    Source again = {3, 0, FALSE, g_string_new(NULL)};
    HbDigest whole, pieces;
    GError *error = NULL;
    int room = 3;

    /* a source that fails leaves no row, and no note of it */
    assert_false(engine->journal->write_rows(session, set, give, &bad, "rows 1", &error));
    check_error(&error, HB_ERROR_DAMAGED, "had enough");
    assert_false(is_noted(contract, session, "rows 1"));
    assert_int_equal(read_all(contract, session, set, 1).rows, 0);

    assert_true(engine->journal->write_rows(session, set, give, &good, "rows 1", &error));
    check_no_error(error);
    assert_true(is_noted(contract, session, "rows 1"));

    /* the same chunk is never loaded twice */
    assert_false(engine->journal->write_rows(session, set, give, &again, "rows 1", &error));
    check_error(&error, HB_ERROR_ALREADY_DONE, "");
    g_string_free(again.block, TRUE);

    /* whole or in pieces, the rows are the same, each once */
    whole = read_all(contract, session, set, 1000);
    set->bytes = 100000;
    set->split_extent = contract->split_extent;
    set->split_column = g_strdup(contract->split_column);
    pieces = read_all(contract, session, set, 10000);
    assert_int_equal(whole.rows, ROWS);
    assert_true(hb_digest_is_equal(&whole, &pieces));
    if (contract->split_column != NULL) {
        g_autoptr(GArray) ranges = engine->source->split_rows(session, set, 10000);
        assert_true(ranges->len > 5);
    }

    /* a sink that has had enough ends the reading */
    assert_false(engine->source->read_rows(session, set, &(HbRange){.end = G_MAXUINT64}, refuse, &room, &error));
    check_error(&error, HB_ERROR_FILE, "full");
    g_string_free(bad.block, TRUE);
    g_string_free(good.block, TRUE);
}

/* One has the hold, others learn who; what serves it is ended by who finds it dead, and whoever is alive is spared */
static void check_hold(const Contract *contract)
{
    const HbEngine *engine = contract->engine;
    HbSession *first = open_session(contract), *servant = open_session(contract), *next = open_session(contract);
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

static void check_end(const Contract *contract)
{
    HbSession *session = open_session(contract);
    g_autofree char *id = NULL;
    GError *error = NULL;

    assert_true(contract->engine->journal->end(session, &error));
    check_no_error(error);
    assert_true(contract->engine->journal->find(session, &id, NULL));
    assert_null(id);
    contract->engine->connector->close(session);
}

void contract_check(const Contract *contract)
{
    HbSession *session;
    HbServerInfo info = {0};
    gboolean found = TRUE;

    check_creation(contract);
    session = open_session(contract);
    assert_true(contract->engine->connector->describe(session, &info, NULL));
    assert_non_null(info.user);
    assert_true(contract->engine->target->find_role(session, "no such role", &found, NULL));
    assert_false(found);
    hb_server_info_clear(&info);
    check_journal(contract, session);
    check_forgetting(contract, session);
    check_rows(contract, session);
    contract->engine->connector->close(session);
    check_hold(contract);
    check_end(contract);
}
